package ops

import (
	"fmt"
	"io"
	"path/filepath"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"dappertally/internal/demo"
	"dappertally/internal/localdb"
	"dappertally/internal/service"
)

func demoCommand() *cobra.Command {
	var dir string
	var crowd int
	cmd := &cobra.Command{
		Use:   "demo",
		Short: "Run the demo on a private database",
		Long: "Run the service with made-up data: the reviews of Second Wind, a workshop that gives old " +
			"laptops a second life. The database is a private MariaDB on loopback with its data in its " +
			"own folder, so that the demo continues where it stopped. Remove the folder to start again.",
		Example: "  dtallyd demo\n  dtallyd demo --dir /tmp/second-wind --listen 127.0.0.1:9000",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			s, err := loadSettings(cmd.Flags())
			if err != nil {
				return err
			}
			if crowd < 0 || crowd > demo.LargestCrowd {
				return fmt.Errorf("--crowd takes a number from 0 to %d, not %d", demo.LargestCrowd, crowd)
			}
			return runDemo(cmd, s, dir, crowd)
		},
	}
	addSettings(cmd)
	cmd.Flags().StringVar(&dir, "dir", ".demo", "folder for the database")
	cmd.Flags().IntVar(&crowd, "crowd", 0,
		"number of additional made-up editions, to see the service with many; only when the data is "+
			"loaded")
	return cmd
}

func runDemo(cmd *cobra.Command, s *Settings, dir string, crowd int) error {
	ctx, say := cmd.Context(), func(format string, args ...any) { fmt.Fprintf(cmd.ErrOrStderr(), format+"\n", args...) }
	// Before anything is started: a port in use is the most likely problem.
	probe, err := listen(s.Listen)
	if err != nil {
		return err
	}
	probe.Close()
	whole, err := filepath.Abs(dir)
	if err != nil {
		return err
	}
	say("Starting the private database in %s", whole)
	st, err := privately(ctx, func() (*localdb.Server, error) { return localdb.Start(ctx, dir) })
	if err != nil {
		return err
	}
	defer say("The database has stopped; its data stays in %s", whole)
	defer st.Close()
	if _, err := st.Migrate(ctx); err != nil {
		return err
	}
	log := newLog(cmd, s)
	svc := service.New(st.Store, log, demo.Clock)
	svc.Keeper, svc.Demo = demo.Team, true
	empty, err := svc.Intake.Empty(ctx)
	if err != nil {
		return err
	}
	if empty {
		say("Loading the demo's data")
		if _, err := demo.LoadCrowded(ctx, svc, crowd); err != nil {
			return fmt.Errorf("%w\n"+
				"(remove %s to start again)", err, whole)
		}
	}
	examples := filepath.Join(whole, "examples")
	if err := demo.LayOut(examples); err != nil {
		return err
	}
	return runOn(ctx, st, svc, s, log, func(address string) { welcome(cmd.OutOrStdout(), address, examples) })
}

// welcome shows the demo's address, its accounts, and the folder of the examples' files.
func welcome(w io.Writer, address, examples string) {
	fmt.Fprintf(w, "\nThe demo is ready: %s\n\nAccounts (nothing here is real):\n", address)
	table := tabwriter.NewWriter(w, 0, 0, 3, ' ', 0)
	for _, a := range demo.Accounts {
		fmt.Fprintf(table, "  %s\t%s\t%s\t%s\n", a.Name, a.Secret, strings.Join(a.Roles, ", "), a.Title)
	}
	_ = table.Flush() // a closed output does no harm
	fmt.Fprintf(w, "\n"+
		"The files for the examples in the help are in %s\n"+
		"Press Ctrl-C to stop.\n\n", examples)
}
