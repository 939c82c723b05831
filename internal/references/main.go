// Command references writes the pages of the documentation that list commands, settings and operations, from their
// definitions:
//
//	go run ./internal/references docs/reference
package main

import (
	"fmt"
	"os"
	"path/filepath"

	"dappertally/internal/cli"
	"dappertally/internal/contract"
	"dappertally/internal/ops"
)

func main() {
	if err := run(os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "references:", err)
		os.Exit(1)
	}
}

func run(args []string) error {
	if len(args) != 1 {
		return fmt.Errorf("name the folder of the pages, such as docs/reference")
	}
	pages, err := all()
	if err != nil {
		return err
	}
	for file, text := range pages {
		if err := os.WriteFile(filepath.Join(args[0], file), []byte(text), 0o644); err != nil {
			return err
		}
	}
	return nil
}

// all returns every page by file name.
func all() (map[string]string, error) {
	service := ops.Command()
	serve, _, err := service.Find([]string{"migrate"}) // its only flags are settings
	if err != nil {
		return nil, err
	}
	asked, err := operations(contract.Document)
	if err != nil {
		return nil, fmt.Errorf("the contract: %w", err)
	}
	return map[string]string{
		"commands.md": commands(
			cli.Command(),
			"Commands of the client",
			"`dtally` is the command-line client. It reads without an account; `dtally login NAME` lets it write. "+
				"Output is a table "+
				"on a terminal and tab-separated text in a pipe; `--output` changes that.\n\n"+
				"Exit codes: 0 done, 1 failed, 2 wrong usage, "+
				"3 not found, 4 refused, 5 the service cannot be reached.",
			nil,
		),
		"service.md": commands(
			service,
			"Commands of the service",
			"`dtallyd` is the service. [Settings](settings.md) can be given as flags, by the environment or in a file.",
			serve.Flags(),
		),
		"settings.md":   settings(serve.Flags()),
		"operations.md": asked,
	}, nil
}
