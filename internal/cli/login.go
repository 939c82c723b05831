package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/prompt"
	"dappertally/internal/wholefile"
)

// login is what is stored between calls, readable only by its owner.
type login struct {
	Server string `json:"server"`
	Name   string `json:"name"`
	Token  string `json:"token"`
	ID     string `json:"id"`
}

func loginFile() (string, error) {
	dir, err := os.UserConfigDir()
	if err != nil {
		return "", fmt.Errorf("there is no folder to save the login in: %w", err)
	}
	return filepath.Join(dir, "dtally", "login.json"), nil
}

// readLogin returns what was stored; nothing, without an error, if nobody is logged in.
func readLogin() (login, error) {
	var l login
	file, err := loginFile()
	if err != nil {
		return l, nil // without a home folder one can read, as a reader does
	}
	data, err := os.ReadFile(file)
	if errors.Is(err, os.ErrNotExist) {
		return l, nil
	}
	if err == nil {
		err = json.Unmarshal(data, &l)
	}
	if err != nil {
		return l, fmt.Errorf("the login saved in %s cannot be read; remove the file and log in again (%w)", file, err)
	}
	return l, nil
}

func keepLogin(l login) error {
	file, err := loginFile()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	data, err := json.Marshal(l)
	if err != nil {
		return err
	}
	return wholefile.WriteSecret(file, func(w io.Writer) error {
		_, err := w.Write(data)
		return err
	})
}

func (s *session) loginCommand() *cobra.Command {
	var review string
	cmd := &cobra.Command{
		Use:   "login [NAME]",
		Short: "Sign in with a personal token",
		Long: "With NAME, sign in with a password, which is asked for or read from standard input, and " +
			"save a personal token of 90 days for the next commands.\n\n" +
			"Without NAME, sign in a machine under review without typing a password on it: a short code " +
			"is shown, which a reviewer approves in the console on another machine. The saved token can " +
			"record in one review and expires after a day.",
		Example: "  dtally login tomas --server http://127.0.0.1:8310\n  echo three-old-laptops | dtally login tomas",
		Args:    args(0, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			kept, err := readLogin()
			if err != nil {
				return err
			}
			if len(a) == 0 {
				server := s.address(kept)
				if err := serverAddress(server); err != nil {
					return err
				}
				return s.loginByCode(cmd, server, review)
			}
			password, err := prompt.Password(cmd.Context(), cmd.ErrOrStderr(), cmd.InOrStdin())
			if errors.Is(err, prompt.ErrNone) {
				return usage{err}
			}
			if err != nil {
				return err
			}
			l := login{Server: s.address(kept), Name: a[0]}
			if err := serverAddress(l.Server); err != nil {
				return err
			}
			if err := l.obtain(cmd, password); err != nil {
				return err
			}
			if err := keepLogin(l); err != nil {
				return fmt.Errorf("the login could not be saved: %w", err)
			}
			fmt.Fprintf(cmd.OutOrStdout(), "Signed in to %s as %s\n", l.Server, l.Name)
			return nil
		},
	}
	cmd.Flags().StringVar(&review, "review", "", "without NAME: id of the review that the machine wants to record in")
	return cmd
}

// obtain signs in only long enough to make a token.
func (l *login) obtain(cmd *cobra.Command, password string) error {
	c := client.Connect(l.Server, "")
	ctx := cmd.Context()
	in, err := c.SignIn(ctx, contract.Credentials{Name: l.Name, Password: password})
	if err != nil {
		return fmt.Errorf("signing in to %s as %s: %w", l.Server, l.Name, err)
	}
	if !in.Value.SignedIn || in.Value.Enrols {
		return fmt.Errorf(
			"signing in to %s as %s needs a second step, which is not possible in a terminal: create a "+
				"token in the console, under My account, and set it as DTALLY_TOKEN",
			l.Server,
			l.Name,
		)
	}
	host, _ := os.Hostname() // a token needs no label
	made, err := c.CreateToken(ctx, contract.NewToken{Label: strings.TrimSpace("dtally on " + host)})
	if err != nil {
		return err
	}
	l.Token, l.ID = made.Value.Secret, made.Value.Id
	return c.SignOut(ctx)
}

func (s *session) logoutCommand() *cobra.Command {
	return &cobra.Command{
		Use:     "logout",
		Short:   "Revoke and delete the token",
		Example: "  dtally logout\n  dtally login ines",
		Args:    args(0, 0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			kept, err := readLogin()
			if err != nil {
				return err
			}
			if kept.Token == "" {
				return fmt.Errorf("not signed in: %w", errNotFound)
			}
			ended := client.Connect(kept.Server, kept.Token).RevokeToken(cmd.Context(), kept.ID)
			if err := keepLogin(login{Server: kept.Server}); err != nil {
				return err
			}
			if ended != nil {
				return fmt.Errorf("the token is deleted here, but the service did not revoke it: %w", ended)
			}
			fmt.Fprintln(cmd.OutOrStdout(), "Signed out")
			return nil
		},
	}
}
