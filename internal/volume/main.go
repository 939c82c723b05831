// Command volume fills a private database with as many readings as a team gathers in decades, and measures how the
// service answers over them.
package main

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/signal"
	"sync/atomic"
	"time"

	"github.com/spf13/cobra"

	"dappertally/internal/demo"
	"dappertally/internal/localdb"
	"dappertally/internal/service"
	"dappertally/internal/store"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	root := &cobra.Command{Use: "volume", SilenceUsage: true}
	root.AddCommand(fillCommand(), benchCommand())
	if err := root.ExecuteContext(ctx); err != nil {
		os.Exit(1)
	}
}

func fillCommand() *cobra.Command {
	var dir string
	var editions int
	cmd := &cobra.Command{
		Use:   "fill",
		Short: "Fill a private database with the demo and a crowd",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return fill(cmd.Context(), cmd.OutOrStdout(), dir, editions)
		},
	}
	cmd.Flags().StringVar(&dir, "dir", ".volume", "folder for the database; dtallyd demo --dir shows it afterwards")
	cmd.Flags().IntVar(&editions, "editions", 10_000, "how many editions more than the demo's")
	return cmd
}

// unhurried lets the server write to the disk lazily: the data can be created again.
var unhurried = []string{
	"--innodb-flush-log-at-trx-commit=0", "--innodb-flush-method=nosync", "--skip-innodb-doublewrite",
	"--innodb-log-file-size=512M", "--innodb-buffer-pool-size=1G",
}

func fill(ctx context.Context, out io.Writer, dir string, editions int) error {
	began := time.Now()
	server, err := localdb.Start(ctx, dir, unhurried...)
	if err != nil {
		return err
	}
	defer server.Stop()
	st, err := store.Open(server.DSN(localdb.Schema))
	if err != nil {
		return err
	}
	defer st.Close()
	if _, err := st.Migrate(ctx); err != nil {
		return err
	}
	svc := service.New(st, slog.New(slog.DiscardHandler), demo.Clock)
	empty, err := svc.Intake.Empty(ctx)
	if err != nil {
		return err
	}
	if !empty {
		return fmt.Errorf("%s is already filled; remove it to fill it again", dir)
	}
	if _, err := demo.Load(ctx, svc); err != nil {
		return err
	}
	crowd, err := demo.Crowd(editions, true)
	if err != nil {
		return err
	}
	if err := svc.Board.Refresh(ctx); err != nil {
		return err
	}
	var readings atomic.Int64
	const atOnce = 3
	if err := svc.Intake.Bulk(ctx, crowd, atOnce, func(n int) { readings.Add(int64(n)) }); err != nil {
		return err
	}
	took := time.Since(began)
	fmt.Fprintf(out, "%d readings more, in %v: %.0f a second\n",
		readings.Load(), took.Round(time.Second), float64(readings.Load())/took.Seconds())
	return nil
}
