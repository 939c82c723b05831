package cli

import (
	"fmt"
	"os"
	"time"

	"github.com/mdp/qrterminal/v3"
	"github.com/spf13/cobra"

	"dappertally/core/reading"
	"dappertally/internal/client"
)

// loginByCode lets somebody sign this machine in from elsewhere: no password is typed here, and the token can record
// in one review for a day.
func (s *session) loginByCode(cmd *cobra.Command, server, review string) error {
	if review != "" && !reading.ValidID(review) {
		return wrongUsage("--review takes the id of a review, not %q; the reviewer who approves this machine can also "+
			"choose the review", review)
	}
	c := client.Connect(server, "")
	host, _ := os.Hostname() // without a name, the address identifies it
	w, err := c.AwaitSignIn(cmd.Context(), host, review)
	if err != nil {
		return err
	}
	out := cmd.OutOrStdout()
	fmt.Fprintf(
		out,
		"Open %s on a machine where you are signed in, and enter the code\n\n"+
			"    %s\n\n",
		w.VerificationURI,
		w.UserCode,
	)
	if isTerminal(out) {
		qrterminal.GenerateHalfBlock(w.VerificationURIComplete, qrterminal.L, out)
		fmt.Fprintln(out)
	}
	fmt.Fprintf(out, "It is valid until %s. Waiting.\n", w.Expiry.Local().Format("15:04"))
	in, err := w.Await(cmd.Context())
	if err != nil {
		return err
	}
	return s.keepMachine(cmd, server, in)
}

// keepMachine stores what a machine was given, and sets the defaults for the next commands.
func (s *session) keepMachine(cmd *cobra.Command, server string, in client.SignedInMachine) error {
	c := client.Connect(server, in.Token)
	who, err := c.WhoAmI(cmd.Context())
	if err != nil {
		return err
	}
	l := login{Server: server, Name: who.Value.Person.Name, Token: in.Token, ID: in.ID}
	if err := keepLogin(l); err != nil {
		return fmt.Errorf("the login could not be saved: %w", err)
	}
	out := cmd.OutOrStdout()
	fmt.Fprintf(out, "Signed in to %s as %s until %s, to record in one review only\n", server, l.Name,
		in.Expires.Local().Format(time.DateTime))
	r, err := c.ShowReview(cmd.Context(), in.Review)
	if err != nil {
		return err
	}
	b := bearings{Server: server, Review: r.Value.Id, Edition: r.Value.Edition}
	if err := keepBearings(&b); err != nil {
		return err
	}
	fmt.Fprintln(out, b.String())
	return nil
}
