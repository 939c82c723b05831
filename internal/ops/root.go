package ops

import (
	"fmt"

	"github.com/spf13/cobra"

	"dappertally/internal/build"
	"dappertally/internal/manual"
	"dappertally/internal/store"
)

// Command returns dtallyd with all its commands.
func Command() *cobra.Command {
	root := &cobra.Command{
		Use:   "dtallyd",
		Short: "The Dapper Tally service",
		Long: "Dapper Tally stores the reviews of a team that reviews Linux distributions, scores them " +
			"against one shared checklist, and ranks them.",
		SilenceUsage:  true,
		Version:       build.Lines(),
		SilenceErrors: true,
	}
	root.AddCommand(
		serveCommand(),
		demoCommand(),
		migrateCommand(),
		checkCommand(),
		accountCommand(),
		auditCommand(),
		backupCommand(),
		restoreCommand(),
		settingsCommand(),
		manual.Command("  dtallyd manual ~/.local/share/man/man1\n  dtallyd manual pages"),
	)
	return root
}

func migrateCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "migrate",
		Short: "Upgrade the database's schema",
		Example: "  dtallyd migrate --database 'dtally:SECRET@tcp(127.0.0.1:3306)/dtally'\n  dtallyd migrate --config " +
			"/etc/dtally.yaml",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return onStore(cmd, func(st *store.Store) error {
				n, err := st.Migrate(cmd.Context())
				if err != nil {
					return err
				}
				fmt.Fprintf(cmd.OutOrStdout(), "%d migrations applied; the schema is up to date\n", n)
				return nil
			})
		},
	}
	addSettings(cmd)
	return cmd
}

func checkCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "check",
		Short: "Check settings, database and schema",
		Example: "  dtallyd check --config /etc/dtally.yaml\n  DTALLY_DATABASE='dtally:SECRET@tcp(127.0.0.1:3306)/dtally' " +
			"dtallyd check",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			s, err := loadSettings(cmd.Flags())
			if err != nil {
				return err
			}
			fmt.Fprintln(cmd.OutOrStdout(), "settings: valid")
			st, err := open(cmd.Context(), s)
			if err != nil {
				return err
			}
			defer st.Close()
			fmt.Fprintln(cmd.OutOrStdout(), "database: answers")
			have, want, err := st.SchemaVersions(cmd.Context())
			if err != nil {
				return err
			}
			if have != want {
				return fmt.Errorf("schema: version %d, this program needs %d; run dtallyd migrate", have, want)
			}
			fmt.Fprintf(cmd.OutOrStdout(), "schema: version %d, up to date\n", have)
			return nil
		},
	}
	addSettings(cmd)
	return cmd
}

// connect loads the settings and opens their database.
func connect(cmd *cobra.Command) (*Settings, *records, error) {
	s, err := loadSettings(cmd.Flags())
	if err != nil {
		return nil, nil, err
	}
	st, err := open(cmd.Context(), s)
	return s, st, err
}

// onStore runs do with the configured database.
func onStore(cmd *cobra.Command, do func(*store.Store) error) error {
	_, st, err := connect(cmd)
	if err != nil {
		return err
	}
	defer st.Close()
	return do(st.Store)
}
