// Command dtally is the Dapper Tally client.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"dappertally/core/controls"
	"dappertally/internal/cli"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	context.AfterFunc(ctx, stop) // the second signal ends it at once
	err := cli.Command().ExecuteContext(ctx)
	if err != nil {
		fmt.Fprintln(os.Stderr, controls.Shown("dtally: "+err.Error()))
	}
	os.Exit(cli.Code(err))
}
