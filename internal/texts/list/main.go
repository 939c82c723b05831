// Command list prints every text that people can read, by the file that has it.
package main

import (
	"fmt"
	"os"
	"strings"

	"dappertally/internal/texts"
)

func main() {
	all, err := texts.All(".")
	if err != nil {
		fmt.Fprintln(os.Stderr, "list:", err)
		os.Exit(1)
	}
	file := ""
	for _, t := range all {
		if t.File != file {
			file = t.File
			fmt.Printf("\n%s\n", file)
		}
		fmt.Printf("%6d  %s\n", t.Line, strings.ReplaceAll(t.Text, "\n", " ⏎ "))
	}
}
