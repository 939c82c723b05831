// Command run runs a trial cluster on this machine, and makes faults happen in it.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"dappertally/internal/demo"
	"dappertally/internal/trial"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	root := &cobra.Command{Use: "run", SilenceUsage: true}
	root.AddCommand(clusterCommand(), faultsCommand(), soakCommand())
	if err := root.ExecuteContext(ctx); err != nil {
		os.Exit(1)
	}
}

func options(dir, program, listen string) (o trial.Options, err error) {
	o = trial.Options{Listen: listen, Size: 3, Progress: func(text string) { fmt.Fprintln(os.Stderr, text) }}
	if o.Dir, err = filepath.Abs(dir); err != nil {
		return o, err
	}
	if o.Program, err = filepath.Abs(program); err != nil {
		return o, err
	}
	return o, os.MkdirAll(o.Dir, 0o711) // started by root, the database runs as another user
}

func clusterCommand() *cobra.Command {
	var dir, program, listen string
	cmd := &cobra.Command{
		Use:   "cluster",
		Short: "Run three database nodes, three instances and a balancer on the demo's data",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			o, err := options(dir, program, listen)
			if err != nil {
				return err
			}
			t, err := trial.Start(cmd.Context(), o)
			if err != nil {
				return err
			}
			welcome(t)
			t.Keep(cmd.Context(), o.Progress)
			fmt.Fprintln(os.Stderr, "Stopping; the data stays in "+o.Dir)
			return t.Stop()
		},
	}
	cmd.Flags().StringVar(&dir, "dir", ".cluster", "folder of data and logs")
	cmd.Flags().StringVar(&program, "program", "bin/dtallyd", "the service's program")
	cmd.Flags().StringVar(&listen, "listen", "127.0.0.1:8310", "address of the balancer")
	return cmd
}

// welcome shows the addresses, and how to kill each part.
func welcome(t *trial.Trial) {
	fmt.Printf("\nThe cluster is ready: %s\n\n", t.Address)
	for _, i := range t.Instances {
		fmt.Printf("  %-10s %-24s kill -9 %d\n", i.Name, i.Address, i.ID())
	}
	for _, n := range t.Nodes.Nodes {
		fmt.Printf("  %-10s %-24s kill -9 %d     pause: kill -STOP, go on: kill -CONT\n", n.Name, n.Address, n.Process())
	}
	fmt.Printf("\nSign in as %s with %s.\nWhat you kill is started again after ten seconds. End it with Ctrl-C.\n\n",
		demo.Accounts[0].Name, demo.Accounts[0].Secret)
}

func faultsCommand() *cobra.Command {
	var dir, program, before string
	var rounds, single int
	cmd := &cobra.Command{
		Use:   "faults",
		Short: "Kill, pause and restart everything under load, and check that nothing is lost",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			o, err := options(dir, program, "")
			if err != nil {
				return err
			}
			o.Before, o.Disk, o.Network = before, true, true
			began := time.Now()
			var wrong []string
			if single > 0 {
				more, err := trial.OneMachine(cmd.Context(), o, single, cmd.OutOrStdout())
				if err != nil {
					return err
				}
				wrong = append(wrong, more...)
			}
			if rounds > 0 {
				more, err := cluster(cmd, o, rounds)
				if err != nil {
					return err
				}
				wrong = append(wrong, more...)
			}
			fmt.Fprintf(cmd.OutOrStdout(), "It took %s.\n", time.Since(began).Round(time.Second))
			if len(wrong) > 0 {
				return errors.New("wrong:\n  " + strings.Join(wrong, "\n  "))
			}
			fmt.Fprintln(cmd.OutOrStdout(), "Nothing is lost or duplicated, and all instances give the same answers.")
			return nil
		},
	}
	cmd.Flags().StringVar(&dir, "dir", ".faults", "folder of data and logs")
	cmd.Flags().StringVar(&program, "program", "bin/dtallyd", "the service's program")
	cmd.Flags().StringVar(&before, "before", "", "the program of the version before, which instances start with")
	cmd.Flags().IntVar(&rounds, "rounds", 1, "how often each fault happens in the cluster")
	cmd.Flags().IntVar(&single, "single", 200, "how often something is killed on a single machine")
	return cmd
}

func cluster(cmd *cobra.Command, o trial.Options, rounds int) (wrong []string, err error) {
	t, err := trial.Start(cmd.Context(), o)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, t.Stop()) }()
	_, wrong, err = t.RunFaults(cmd.Context(), rounds, func(string) bool { return true }, cmd.OutOrStdout())
	return wrong, err
}

func soakCommand() *cobra.Command {
	var dir, program string
	var lasts time.Duration
	cmd := &cobra.Command{
		Use:   "soak",
		Short: "Put load on a service for a while, and check whether its resources grow",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			o, err := options(dir, program, "")
			if err != nil {
				return err
			}
			wrong, err := trial.Soak(cmd.Context(), o, lasts, cmd.OutOrStdout())
			if err == nil && len(wrong) > 0 {
				err = errors.New("wrong:\n  " + strings.Join(wrong, "\n  "))
			}
			if err == nil {
				fmt.Fprintln(cmd.OutOrStdout(), "Nothing grew, and every acknowledged write is there.")
			}
			return err
		},
	}
	cmd.Flags().StringVar(&dir, "dir", ".soak", "folder of data and logs")
	cmd.Flags().StringVar(&program, "program", "bin/dtallyd", "the service's program")
	cmd.Flags().DurationVar(&lasts, "lasts", time.Hour, "how long")
	return cmd
}
