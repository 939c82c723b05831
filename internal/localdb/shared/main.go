// Command shared runs another command with one private database server for all the tests of a run:
//
//	go run ./internal/localdb/shared -- go test ./...
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"syscall"

	"dappertally/internal/dbtest"
	"dappertally/internal/localdb"
)

func main() {
	code, err := run(os.Args[1:])
	if err != nil {
		fmt.Fprintln(os.Stderr, "shared:", err)
	}
	os.Exit(code)
}

func run(args []string) (code int, err error) {
	if len(args) < 2 || args[0] != "--" {
		return 2, errors.New("usage: shared -- COMMAND [ARG…]")
	}
	dir, err := os.MkdirTemp(dbtest.Place(), "dtally-test-")
	if err != nil {
		return 1, err
	}
	defer os.RemoveAll(dir)
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	server, err := dbtest.Start(ctx, dir)
	if err != nil {
		return 1, err
	}
	defer server.Stop()
	cmd := exec.CommandContext(ctx, args[1], args[2:]...)
	cmd.Stdin, cmd.Stdout, cmd.Stderr = os.Stdin, os.Stdout, os.Stderr
	cmd.Env = append(os.Environ(), dbtest.Variable+"="+server.DSN(localdb.Schema))
	err = cmd.Run()
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		return max(exit.ExitCode(), 1), nil
	}
	if err != nil {
		return 1, err
	}
	return 0, nil
}
