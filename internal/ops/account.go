package ops

import (
	"context"
	"fmt"
	"io"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"dappertally/internal/access"
	"dappertally/internal/people"
	"dappertally/internal/prompt"
	"dappertally/internal/service"
)

func accountCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "account",
		Short: "Add and change accounts directly in the database, if nobody can sign in",
		Long: "Add and change accounts directly in the database, whose schema is upgraded first. Passwords " +
			"are asked for, or read from standard input if it is not a terminal.",
	}
	cmd.AddCommand(
		accountAdd(),
		accountVerb("password NAME", "Set a person's password, and end all their sessions",
			"  dtallyd account password perrin --config /etc/dtally.yaml\n"+
				"  echo a-quite-different-one | dtallyd account password perrin --config /etc/dtally.yaml",
			func(cmd *cobra.Command, p *people.Service, name string) (string, error) {
				password, err := prompt.Password(cmd.Context(), cmd.ErrOrStderr(), cmd.InOrStdin())
				if err != nil {
					return "", err
				}
				return name + " has a new password", p.OnTheMachine().SetPassword(cmd.Context(), name, password)
			}),
		accountVerb("disable NAME", "Stop a person from signing in, at once",
			"  dtallyd account disable tomas --config /etc/dtally.yaml\n"+
				"  dtallyd account disable odile --config /etc/dtally.yaml",
			func(cmd *cobra.Command, p *people.Service, name string) (string, error) {
				return name + " can no longer sign in", p.OnTheMachine().SetDisabled(cmd.Context(), name, true)
			}),
		accountVerb("enable NAME", "Let a person sign in again",
			"  dtallyd account enable tomas --config /etc/dtally.yaml\n"+
				"  dtallyd account enable odile --config /etc/dtally.yaml",
			func(cmd *cobra.Command, p *people.Service, name string) (string, error) {
				return name + " can sign in again", p.OnTheMachine().SetDisabled(cmd.Context(), name, false)
			}),
		accountVerb("erase NAME", "Remove a person's name from the records; what they recorded stays",
			"  dtallyd account erase ines --config /etc/dtally.yaml\n"+
				"  dtallyd account erase odile --config /etc/dtally.yaml",
			func(cmd *cobra.Command, p *people.Service, name string) (string, error) {
				instead, err := p.OnTheMachine().Erase(cmd.Context(), name)
				return name + " is now " + instead + "; earlier backups and archives still have the name", err
			}),
		accountRoles(),
		accountList(),
	)
	return cmd
}

// onPeople runs do with the accounts of the configured database.
func onPeople(cmd *cobra.Command, do func(*people.Service) error) error {
	s, st, err := connect(cmd)
	if err != nil {
		return err
	}
	defer st.Close()
	if _, err := st.Migrate(cmd.Context()); err != nil { // the first account can come before the first start
		return err
	}
	byCommand(cmd)
	return do(service.New(st.Store, newLog(cmd, s), time.Now).People)
}

func accountVerb(
	use, short, example string, do func(cmd *cobra.Command, p *people.Service, name string) (said string, err error),
) *cobra.Command {
	cmd := &cobra.Command{
		Use: use, Short: short, Example: example, Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return onPeople(cmd, func(p *people.Service) error {
				said, err := do(cmd, p, args[0])
				if err != nil {
					return err
				}
				fmt.Fprintln(cmd.OutOrStdout(), said)
				return nil
			})
		},
	}
	addSettings(cmd)
	return cmd
}

func accountAdd() *cobra.Command {
	var title string
	var roles []string
	cmd := accountVerb("add NAME", "Add an account, such as the first administrator",
		"  dtallyd account add perrin --title 'Perrin Askelow' --role administrator --config /etc/dtally.yaml\n"+
			"  echo lamp-on-the-quay | dtallyd account add marit --role lead --role reviewer --config /etc/dtally.yaml",
		func(cmd *cobra.Command, p *people.Service, name string) (string, error) {
			password, err := prompt.Password(cmd.Context(), cmd.ErrOrStderr(), cmd.InOrStdin())
			if err != nil {
				return "", err
			}
			if title == "" {
				title = name
			}
			return fmt.Sprintf("%s can sign in now, as %s", name, strings.Join(roles, ", ")),
				p.FirstPerson(cmd.Context(), people.Account{Name: name, Title: title, Roles: roles}, password)
		})
	cmd.Flags().StringVar(&title, "title", "", "display name")
	cmd.Flags().
		StringSliceVar(&roles, "role", []string{access.Administrator}, "reviewer, lead or administrator; repeatable")
	return cmd
}

func accountRoles() *cobra.Command {
	var roles []string
	cmd := accountVerb("roles NAME", "Set a person's roles",
		"  dtallyd account roles marit --role lead --role administrator --config /etc/dtally.yaml\n"+
			"  dtallyd account roles tomas --role reviewer --config /etc/dtally.yaml",
		func(cmd *cobra.Command, p *people.Service, name string) (string, error) {
			return fmt.Sprintf("%s has the roles %s", name, strings.Join(roles, ", ")),
				p.OnTheMachine().SetRoles(cmd.Context(), name, roles)
		})
	cmd.Flags().StringSliceVar(&roles, "role", nil, "reviewer, lead or administrator; repeatable")
	_ = cmd.MarkFlagRequired("role") // the flag is defined above
	return cmd
}

func accountList() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "list",
		Short: "List accounts",
		Example: "  dtallyd account list --config /etc/dtally.yaml\n  dtallyd account list --config /etc/dtally.yaml | grep " +
			"administrator",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return onPeople(cmd, func(p *people.Service) error { return writeAccounts(cmd.Context(), cmd.OutOrStdout(), p) })
		},
	}
	addSettings(cmd)
	return cmd
}

func writeAccounts(ctx context.Context, out io.Writer, p *people.Service) error {
	all, err := p.OnTheMachine().People(ctx)
	if err != nil {
		return err
	}
	w := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	for i := range all {
		state := "cannot sign in: no password"
		switch x := &all[i]; {
		case !x.Disabled.IsZero():
			state = "disabled since " + x.Disabled.Format(time.DateOnly)
		case x.Active():
			state = "can sign in"
		}
		fmt.Fprintf(w, "%s\t%s\t%s\t%s\n", all[i].Name, all[i].Title, strings.Join(all[i].Roles, ", "), state)
	}
	return w.Flush()
}
