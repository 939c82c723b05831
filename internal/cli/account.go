package cli

import (
	"cmp"
	"fmt"

	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/prompt"
	"dappertally/internal/tables"
)

// mine returns whom a command is about: the given person, else who is signed in.
func (s *session) mine(cmd *cobra.Command, c *client.Client, person string) (string, error) {
	if person != "" {
		return person, nil
	}
	now, err := c.WhoAmI(cmd.Context())
	if err != nil {
		return "", err
	}
	if !now.Value.SignedIn {
		return "", fmt.Errorf("not signed in; run dtally login NAME")
	}
	return now.Value.Person.Name, nil
}

// about builds a command about oneself or, for an administrator, about somebody else.
func (s *session) about(
	use, short, example string, args cobra.PositionalArgs,
	run func(cmd *cobra.Command, a []string, c *client.Client, person string) error,
) *cobra.Command {
	cmd := &cobra.Command{Use: use, Short: short, Example: example, Args: args}
	person := cmd.Flags().String("person", "", "name of another account, for administrators")
	cmd.RunE = s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
		whose, err := s.mine(cmd, c, *person)
		if err != nil {
			return err
		}
		return run(cmd, a, c, whose)
	})
	return cmd
}

func (s *session) signedInCommand() *cobra.Command {
	return noun("session", "Browsers that are signed in", s.listSignedIn(), s.endSignedIn())
}

var signedInTable = tables.Define("signed-in", "a browser that is signed in",
	tables.Text("address", "Address", "address of the last use"),
	tables.Text("program", "Program", "browser or program of the last use").Yields(),
	tables.Moment("used", "Used", "time of the last use, to five minutes"),
	tables.Moment("created", "Since", ""),
	tables.Moment("expires", "Ends", ""),
	tables.Text("id", "Id", ""),
)

func (s *session) listSignedIn() *cobra.Command {
	return s.about("list", "List sessions, last used first",
		"  dtally session list\n  dtally session list --person tomas", args(0, 0),
		func(cmd *cobra.Command, _ []string, c *client.Client, person string) error {
			return show(s, cmd, alone(func(l *contract.SignedInList) *sheet {
				t := sheetOf(signedInTable)
				for _, x := range l.Sessions {
					t.Add(x.Address, x.Program, x.Used, x.Created, x.Expires, x.Id)
				}
				return t
			}))(c.ListSessions(cmd.Context(), person))
		})
}

func (s *session) endSignedIn() *cobra.Command {
	return s.about("end [ID]", "End a session, or all sessions if none is named",
		"  dtally session end\n  dtally session end 01a2079c-190f-704e-8692-1071691b58a1 --person tomas", args(0, 1),
		func(cmd *cobra.Command, a []string, c *client.Client, person string) error {
			if len(a) == 0 {
				return c.EndSessions(cmd.Context(), person)
			}
			return c.EndSession(cmd.Context(), person, a[0])
		})
}

func (s *session) tokenCommand() *cobra.Command {
	return noun("token", "Personal tokens that let programs sign in", s.listTokens(), s.endToken())
}

var tokensTable = tables.Define("tokens", "a personal token",
	tables.Text("label", "For", "its purpose"),
	tables.List("roles", "Roles", ""),
	tables.Moment("used", "Used", "time of the last use, to five minutes"),
	tables.Text("address", "From", "address of the last use"),
	tables.Moment("created", "Made", ""),
	tables.Moment("expires", "Ends", ""),
	tables.Text("id", "Id", ""),
)

func (s *session) listTokens() *cobra.Command {
	return s.about("list", "List tokens, oldest first",
		"  dtally token list\n  dtally token list --person tomas --output json", args(0, 0),
		func(cmd *cobra.Command, _ []string, c *client.Client, person string) error {
			return show(s, cmd, alone(tokensSheet))(c.ListTokensOf(cmd.Context(), person))
		})
}

func tokensSheet(l *contract.TokenList) *sheet {
	t := sheetOf(tokensTable)
	for _, x := range l.Tokens {
		used := any(nil)
		if !x.Used.IsZero() {
			used = x.Used
		}
		t.Add(x.Label, roleWords(x.Roles), used, x.Address, x.Created, x.Expires, x.Id)
	}
	return t
}

func roleWords(roles []contract.Role) []string {
	words := make([]string, len(roles))
	for i, r := range roles {
		words[i] = string(r)
	}
	return words
}

func (s *session) endToken() *cobra.Command {
	return s.about("end ID", "End a token",
		"  dtally token end 01a2079c-190f-704e-8692-1071691b58a1\n"+
			"  dtally token end 01a2079c-190f-704e-8692-1071691b58a1 --person tomas", args(1, 1),
		func(cmd *cobra.Command, a []string, c *client.Client, person string) error {
			return c.RevokeTokenOf(cmd.Context(), person, a[0])
		})
}

func (s *session) passwordCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "password [NAME]",
		Short: "Change your password",
		Long: "Change your password. The current and the new password are asked for, or read from two " +
			"lines of standard input. All browsers are signed out. Tokens stay valid, including the " +
			"token that dtally uses.",
		Example: "  printf '%s\\n' three-old-laptops 'nine grey otters hum' | dtally password tomas\n" +
			"  printf '%s\\n' 'nine grey otters hum' three-old-laptops | dtally password",
		Args: args(0, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			kept, err := readLogin()
			if err != nil {
				return err
			}
			name := kept.Name
			if len(a) > 0 {
				name = a[0]
			}
			if name == "" {
				return wrongUsage("not signed in; run dtally password NAME")
			}
			address := s.address(kept)
			if err := serverAddress(address); err != nil {
				return err
			}
			before, after, err := prompt.Passwords(cmd.Context(), cmd.ErrOrStderr(), cmd.InOrStdin())
			if err != nil {
				return err
			}
			c := client.Connect(address, "")
			if _, err := c.SignIn(cmd.Context(), contract.Credentials{Name: name, Password: before}); err != nil {
				return fmt.Errorf("signing in to %s as %s: %w", address, name, err)
			}
			changed := c.ChangePassword(cmd.Context(), contract.PasswordChange{Before: before, Password: after})
			left := c.SignOut(cmd.Context())
			if err := cmp.Or(changed, left); err != nil {
				return err
			}
			fmt.Fprintln(cmd.OutOrStdout(), "The password is changed. All browsers are signed out.")
			return nil
		},
	}
}
