// Command inventory lists the components of the programs and the console.
//
//	go run ./internal/inventory page > docs/reference/dependencies.md
//	go run ./internal/inventory sbom bin/dtallyd > bin/sbom.cdx.json
package main

import (
	"fmt"
	"os"
)

func main() {
	if err := run(os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "error:", err)
		os.Exit(1)
	}
}

func run(args []string) error {
	switch {
	case len(args) == 1 && args[0] == "page":
		text, err := Page(".")
		if err != nil {
			return err
		}
		_, err = os.Stdout.WriteString(text)
		return err
	case len(args) == 2 && args[0] == "sbom":
		return writeBOM(os.Stdout, ".", args[1])
	}
	return fmt.Errorf("usage: inventory page, or inventory sbom PROGRAM")
}
