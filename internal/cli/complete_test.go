package cli

import (
	"bytes"
	"slices"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// offered returns the completions of a line, without a service.
func offered(t *testing.T, line ...string) []string {
	t.Helper()
	cmd := Command()
	cmd.SetArgs(append([]string{cobra.ShellCompNoDescRequestCmd}, line...))
	var out bytes.Buffer
	cmd.SetOut(&out)
	cmd.SetErr(&bytes.Buffer{})
	if err := cmd.Execute(); err != nil {
		t.Fatal(err)
	}
	lines := strings.Split(strings.TrimSpace(out.String()), "\n")
	return lines[:len(lines)-1] // the last is the directive
}

func TestFixedChoicesAreOffered(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	t.Setenv("DTALLY_SERVER", "http://127.0.0.1:1")
	for _, c := range []struct {
		line []string
		want string
	}{
		{[]string{"rank", "--output", ""}, "json csv table yaml"},
		{[]string{"rank", "--output", "t"}, "table"},
		{[]string{"steadiness", "--vary", ""}, "weights readings both"},
		{[]string{"frames", "--unit", ""}, "s ms us ns"},
		{[]string{"record", "x", "--bound", "at"}, "at-least at-most"},
		{[]string{"finding", "add", "x", "--fate", ""}, "still-there fixed changed"},
		{[]string{"claim", "edit", "x", "--state", "up"}, "upheld"},
		{[]string{"import", "catalogue", "--form", ""}, "yaml csv xlsx json jsonl"},
		{[]string{"finding", "remove", ""}, "last"},
		{[]string{"rank", "--audience", ""}, ""}, // the service is out of reach
		{[]string{"compare", ""}, ""},
	} {
		if got := strings.Join(offered(t, c.line...), " "); got != c.want {
			t.Errorf("%q: %q, want %q", c.line, got, c.want)
		}
	}
}

func TestPlaceholders(t *testing.T) {
	for use, want := range map[string]string{
		"rank": "", "show KEY@VERSION": "KEY@VERSION", "compare EDITION EDITION…": "EDITION EDITION…", "record CRITERION [ANSWER…]": "CRITERION ANSWER…",
		"carry [REVIEW …] --to KEY@VERSION": "REVIEW… KEY@VERSION", "explain [A B]": "A B",
	} {
		if got := strings.Join(placeholders(use), " "); got != want {
			t.Errorf("%q: %q, want %q", use, got, want)
		}
	}
}

// Every flag that a lookup is named for is a flag of some command.
func TestLookupsAreUsed(t *testing.T) {
	var flags []string
	root := Command()
	var walk func(*cobra.Command)
	walk = func(cmd *cobra.Command) {
		cmd.LocalFlags().VisitAll(func(f *pflag.Flag) {
			flags = append(flags, "--"+f.Name, strings.TrimPrefix(cmd.CommandPath(), "dtally ")+" --"+f.Name)
		})
		for _, child := range cmd.Commands() {
			walk(child)
		}
	}
	walk(root)
	for name := range (&session{}).flagLookups() {
		if !slices.Contains(flags, name) {
			t.Errorf("no command has %s", name)
		}
	}
}
