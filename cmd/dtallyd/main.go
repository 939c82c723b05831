// Command dtallyd is the Dapper Tally service.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"dappertally/internal/ops"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := ops.Command().ExecuteContext(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "dtallyd:", err)
		os.Exit(1)
	}
}
