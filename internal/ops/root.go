package ops

import (
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappertally/internal/access"
	"dappertally/internal/build"
	"dappertally/internal/people"
	"dappertally/internal/prompt"
	"dappertally/internal/service"
	"dappertally/internal/store"
)

// Command is dtallyd with all that it can do.
func Command() *cobra.Command {
	root := &cobra.Command{
		Use:           "dtallyd",
		Short:         "The Dapper Tally service",
		Long:          "Dapper Tally keeps the reviews of a team that reviews Linux distributions, scores them against one shared checklist, and ranks them.",
		SilenceUsage:  true,
		Version:       build.Version(),
		SilenceErrors: true,
	}
	root.AddCommand(
		serveCommand(),
		demoCommand(),
		migrateCommand(),
		checkCommand(),
		accountCommand(),
		backupCommand(),
		restoreCommand(),
		settingsCommand(),
	)
	return root
}

func migrateCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "migrate",
		Short:   "Bring the database's schema up to date",
		Example: "  dtallyd migrate --database 'dtally:SECRET@tcp(127.0.0.1:3306)/dtally'\n  dtallyd migrate --config /etc/dtally.yaml",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			_, st, err := connect(cmd)
			if err != nil {
				return err
			}
			defer st.Close()
			n, err := st.Migrate(cmd.Context())
			if err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "%d migrations applied; the schema is up to date\n", n)
			return nil
		},
	}
	addSettings(cmd)
	return cmd
}

func checkCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "check",
		Short:   "Check settings, database and schema",
		Example: "  dtallyd check --config /etc/dtally.yaml\n  DTALLY_DATABASE='dtally:SECRET@tcp(127.0.0.1:3306)/dtally' dtallyd check",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			s, err := loadSettings(cmd.Flags())
			if err != nil {
				return err
			}
			fmt.Fprintln(cmd.OutOrStdout(), "settings: sound")
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

func accountCommand() *cobra.Command {
	var title string
	var roles []string
	cmd := &cobra.Command{
		Use:     "account NAME",
		Short:   "Add an account, such as the first administrator",
		Long:    "Add an account to the database, whose schema is brought up to date first. The password is asked for, or read from standard input where that is no terminal.",
		Example: "  dtallyd account perrin --title 'Perrin Askelow' --role administrator --config /etc/dtally.yaml\n  echo lamp-on-the-quay | dtallyd account marit --role lead --role reviewer --config /etc/dtally.yaml",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			s, st, err := connect(cmd)
			if err != nil {
				return err
			}
			defer st.Close()
			if _, err := st.Migrate(cmd.Context()); err != nil { // the first account may come before the first start
				return err
			}
			password, err := prompt.Password(cmd.Context(), cmd.ErrOrStderr(), cmd.InOrStdin())
			if err != nil {
				return err
			}
			if title == "" {
				title = args[0]
			}
			svc := service.New(st, newLog(cmd, s.LogLevel), time.Now)
			if err := svc.People.FirstPerson(cmd.Context(), people.Account{Name: args[0], Title: title, Roles: roles}, password); err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "%s can sign in now, as %s\n", args[0], strings.Join(roles, ", "))
			return nil
		},
	}
	addSettings(cmd)
	cmd.Flags().StringVar(&title, "title", "", "the name as people say it")
	cmd.Flags().
		StringSliceVar(&roles, "role", []string{access.Administrator}, "reviewer, lead or administrator; repeatable")
	return cmd
}

// connect loads the settings and opens the database that they name.
func connect(cmd *cobra.Command) (*Settings, *store.Store, error) {
	s, err := loadSettings(cmd.Flags())
	if err != nil {
		return nil, nil, err
	}
	st, err := open(cmd.Context(), s)
	return s, st, err
}
