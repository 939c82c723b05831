// Package cli is the command-line client, with one file per noun or work command.
package cli

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"regexp"
	"strings"
	"sync"

	"github.com/spf13/cobra"

	"dappertally/core/fault"
	"dappertally/internal/build"
	"dappertally/internal/client"
	"dappertally/internal/manual"
	"dappertally/internal/numerals"
)

// The exit codes of dtally.
const (
	Done        = 0
	Failed      = 1
	WrongUsage  = 2
	NotFound    = 3
	Refused     = 4
	Unreachable = 5
)

// usage is an error in the words of a call.
type usage struct{ error }

func wrongUsage(format string, args ...any) error { return usage{fmt.Errorf(format, args...)} }

// Code returns the exit code for the error of a command.
func Code(err error) int {
	var words usage
	var refused *client.Refusal
	var faults fault.List
	switch {
	case err == nil:
		return Done
	case errors.As(err, &words):
		return WrongUsage
	case errors.Is(err, client.ErrUnreachable):
		return Unreachable
	case errors.Is(err, errNotFound), errors.Is(err, os.ErrNotExist):
		return NotFound
	case errors.As(err, &faults):
		return Refused
	case errors.As(err, &refused):
		switch {
		case refused.Status == http.StatusNotFound:
			return NotFound
		case refused.Status < http.StatusInternalServerError:
			return Refused
		}
	}
	return Failed
}

var errNotFound = errors.New("not found")

// session is what all commands share: the service's address and the output format.
type session struct {
	server, output, table string
	complaints            io.Writer
	otherVersion          sync.Once
}

// Command returns dtally with all its commands.
func Command() *cobra.Command {
	s := &session{}
	root := &cobra.Command{
		Use:   "dtally",
		Short: "Record, rank and compare reviews of Linux distributions",
		Long: "dtally is the command-line client of Dapper Tally. It reads without an account; dtally " +
			"login lets it write.\n\n" +
			"Output is a table on a terminal and tab-separated text in a pipe; --output json, csv, table " +
			"or yaml changes that.\n" +
			"Exit codes: 0 done, 1 failed, 2 wrong usage, 3 not found, 4 refused, 5 the service cannot " +
			"be reached.",
		Version:                    build.Lines(),
		SilenceUsage:               true,
		SilenceErrors:              true,
		Args:                       knownCommand,
		SuggestionsMinimumDistance: 2,
		RunE:                       func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
		PersistentPreRunE: func(cmd *cobra.Command, _ []string) error {
			s.complaints = cmd.ErrOrStderr()
			if !known(s.output) {
				return wrongUsage("--output must be json, csv, table or yaml, not %q", s.output)
			}
			return nil
		},
	}
	if isTerminal(os.Stdout) { // a pipe gets what there is
		root.SetOut(shown(os.Stdout))
	}
	root.SetErr(shown(os.Stderr))
	root.PersistentFlags().
		StringVar(&s.server, "server", "", "address of the service (default: where you logged in, or DTALLY_SERVER)")
	choiceVar(root.PersistentFlags(), &s.output, "output", "", "", outputs)
	root.PersistentFlags().
		StringVar(&s.table, "table", "", "of several tables: the one for a pipe or CSV (default: the first)")
	root.SetFlagErrorFunc(func(cmd *cobra.Command, err error) error { return usage{flagFault(cmd, err)} })
	root.AddGroup(
		&cobra.Group{ID: "work", Title: "Work:"},
		&cobra.Group{ID: "nouns", Title: "Records:"},
		&cobra.Group{ID: "access", Title: "Access:"},
	)
	root.SetHelpCommandGroupID("access")
	root.SetCompletionCommandGroupID("access")
	add := func(group string, commands ...*cobra.Command) {
		for _, c := range commands {
			c.GroupID = group
			root.AddCommand(c)
		}
	}
	add(
		"work",
		s.atCommand(),
		s.recordCommand(),
		s.undoCommand(),
		s.rankCommand(),
		s.compareCommand(),
		s.explainCommand(),
		s.tippingCommand(),
		s.steadinessCommand(),
		s.fitsCommand(),
		s.groupsCommand(),
		s.historyCommand(),
		s.recordsCommand(),
		s.leadersCommand(),
		s.computeCommand(),
		s.surveyCommand(),
		s.clockCommand(),
		s.measureCommand(),
		s.framesCommand(),
		s.handInCommand(),
		s.importCommand(),
		s.exportCommand(),
	)
	add(
		"nouns",
		s.distributionCommand(),
		s.releaseCommand(),
		s.editionCommand(),
		s.rigCommand(),
		s.checklistCommand(),
		s.audienceCommand(),
		s.proposalCommand(),
		s.reviewCommand(),
		s.evidenceCommand(),
		s.knownIssueCommand(),
		s.queueCommand(),
		s.suggestionCommand(),
		s.planCommand(),
		s.benchCommand(),
		s.reportCommand(),
		s.archiveCommand(),
		s.policyCommand(),
		s.componentCommand(),
		s.mappingCommand(),
		s.calendarCommand(),
	)
	for i := range parts {
		add("nouns", s.partCommand(&parts[i]))
	}
	add("access", s.loginCommand(), s.logoutCommand(), s.passwordCommand(), s.signedInCommand(), s.tokenCommand(),
		s.personCommand(), s.auditCommand(), s.operationsCommand(),
		manual.Command("  dtally manual ~/.local/share/man/man1\n  dtally manual pages"))
	s.completeAll(root)
	return root
}

// knownCommand rejects an unknown command, and suggests similar ones.
func knownCommand(cmd *cobra.Command, args []string) error {
	if len(args) == 0 {
		return nil
	}
	says := fmt.Sprintf("unknown command %q; %s --help lists the commands", args[0], cmd.CommandPath())
	if like := cmd.SuggestionsFor(args[0]); len(like) > 0 {
		says += "; did you mean " + orWords(like) + "?"
	}
	return wrongUsage("%s", says)
}

// noun groups the verbs of a noun. An unknown verb is a usage error.
func noun(name, short string, verbs ...*cobra.Command) *cobra.Command {
	cmd := &cobra.Command{Use: name, Short: short, RunE: func(cmd *cobra.Command, args []string) error {
		if len(args) == 0 {
			return cmd.Help()
		}
		return wrongUsage("dtally %s has no subcommand %q; dtally %s --help lists them", name, args[0], name)
	}}
	cmd.AddCommand(verbs...)
	return cmd
}

// args requires a number of arguments, at most many if that is not negative.
func args(least, most int) cobra.PositionalArgs {
	return func(cmd *cobra.Command, got []string) error {
		if len(got) < least || (most >= 0 && len(got) > most) {
			return wrongUsage("%s: write %s", arguments(len(got), least, most), cmd.UseLine())
		}
		return nil
	}
}

// arguments describes how many arguments a command needs, and how many it got.
func arguments(got, least, most int) string {
	takes := numerals.Count(least, "argument")
	switch {
	case most < 0:
		takes = "at least " + takes
	case most == 0:
		takes = "no argument"
	case most > least:
		takes = fmt.Sprintf("%d to %s", least, numerals.Count(most, "argument"))
	}
	if got == 0 {
		return "the command takes " + takes + " and got none"
	}
	return fmt.Sprintf("the command takes %s and got %d", takes, got)
}

var looksNegative = regexp.MustCompile(`unknown shorthand flag: '[0-9.,]' in (-[0-9.,]\S*)`)

// flagFault explains what to do if a negative number was taken for a flag.
func flagFault(cmd *cobra.Command, err error) error {
	if number := looksNegative.FindStringSubmatch(err.Error()); number != nil {
		return fmt.Errorf(
			"%s looks like a flag: write -- before negative numbers, as in %s … -- %s",
			number[1],
			cmd.CommandPath(),
			number[1],
		)
	}
	return err
}

// serverAddress checks the address of a service.
func serverAddress(address string) error {
	u, err := url.Parse(address)
	if err != nil || (u.Scheme != "http" && u.Scheme != "https") || u.Host == "" {
		return wrongUsage(
			"%q is not the address of a service: write http:// or https:// before it, such as %s",
			address,
			standardServer,
		)
	}
	return nil
}

// connect returns a client for the service of this call.
func (s *session) connect() (*client.Client, error) {
	c, err := s.plainly()
	if err != nil {
		return nil, err
	}
	if p := pendingRequests(); p != nil {
		c = c.Remembering(p)
	}
	return c, nil
}

// plainly is connect without storing keys of requests on the disk.
func (s *session) plainly() (*client.Client, error) {
	kept, err := readLogin()
	if err != nil {
		return nil, err
	}
	server, token := s.address(kept), os.Getenv("DTALLY_TOKEN")
	if token == "" && server == kept.Server {
		token = kept.Token
	}
	if err := serverAddress(server); err != nil {
		return nil, err
	}
	c := client.Connect(server, token)
	c.Version = func(version string) { s.heldAgainst(version, server) }
	return c, nil
}

// heldAgainst warns once if client and service are built from different sources. A build that does not know its
// source is ignored.
func (s *session) heldAgainst(version, server string) {
	own := build.Version()
	if version == own || !build.Stamped(version) || !build.Stamped(own) {
		return
	}
	s.otherVersion.Do(func() {
		fmt.Fprintf(
			s.complaints,
			"This dtally is %s, and the service is %s; get the matching client: %s/get\n",
			own,
			version,
			server,
		)
	})
}

const standardServer = "http://127.0.0.1:8310"

// address returns the service's address: from the flag, the environment or the login, in this order.
func (s *session) address(kept login) string {
	for _, a := range []string{s.server, os.Getenv("DTALLY_SERVER"), kept.Server} {
		if a != "" {
			return strings.TrimRight(a, "/")
		}
	}
	return standardServer
}

// asking builds the body of a command that uses the service.
func (s *session) asking(do func(*cobra.Command, []string, *client.Client) error) func(*cobra.Command, []string) error {
	return func(cmd *cobra.Command, args []string) error {
		c, err := s.connect()
		if err != nil {
			return err
		}
		return do(cmd, args, c)
	}
}
