package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/spf13/cobra"

	"dappertally/internal/cli"
	"dappertally/internal/dbtest"
)

// alone are the verbs whose examples remove things that others need: each has a demo of its own. All other commands of
// a noun share one.
var alone = []string{"merge", "rename", "remove", "import", "accept", "undo", "logout"}

// leaves maps examples to their exit status, if that is not 0 according to their help.
var leaves = map[string]int{
	// There is no session or token with that id.
	"dtally session end 01a2079c-190f-704e-8692-1071691b58a1 --person tomas": 3,
	"dtally token end 01a2079c-190f-704e-8692-1071691b58a1":                  3,
	"dtally token end 01a2079c-190f-704e-8692-1071691b58a1 --person tomas":   3,

	// There are two test files.
	"dtally checklist test-files workshop@2 --folder test-files":          1,
	"dtally measure pack quaymark.sheet --review quaymark/22.1/latchwork": 3,

	"dtally measure pack stick/quaymark.sheet --review quaymark/22.1/latchwork --test-files stick/test-files": 3,

	"dtally record week-of-use 11 --review quaymark/22.1/latchwork": 4, // it shows an error
}

// together are the nouns whose examples can run on the same demo.
var together = map[string][]string{
	"record-of-a-review": {
		"advice",
		"change",
		"claim",
		"disclosure",
		"evidence",
		"experience",
		"finding",
		"journal",
		"state",
		"use",
		"verdict",
	},
	"catalogue": {"distribution", "release", "edition", "rig"},
	"team":      {"known-issue", "plan", "bench", "report", "queue", "proposal", "component"},
	"results": {
		"at",
		"compare",
		"compute",
		"explain",
		"export",
		"fits",
		"frames",
		"groups",
		"history",
		"leaders",
		"rank",
		"records",
		"steadiness",
		"tipping",
		"survey",
		"clock",
		"measure",
		"manual",
		"calendar",
		"submit",
		"policy",
		"suggestion",
	},
}

func groupOf(noun string) string {
	for group, nouns := range together {
		if slices.Contains(nouns, noun) {
			return group
		}
	}
	return noun
}

// TestExamplesRun runs the examples of every command's help: in their order, on a fresh demo, in the folder with its
// files, signed in as a reviewer or, if a reviewer has no right, as a lead.
func TestExamplesRun(t *testing.T) {
	groups := map[string][]*cobra.Command{}
	count := 0
	var walk func(noun string, cmd *cobra.Command)
	walk = func(noun string, cmd *cobra.Command) {
		if cmd.Example != "" {
			count++
			group := groupOf(noun)
			if group == noun && slices.Contains(alone, cmd.Name()) {
				group = strings.ReplaceAll(cmd.CommandPath(), " ", "-")
			}
			groups[group] = append(groups[group], cmd)
		}
		for _, c := range cmd.Commands() {
			walk(noun, c)
		}
	}
	for _, top := range cli.Command().Commands() {
		walk(top.Name(), top)
	}
	if count < 150 {
		t.Errorf("only %d commands have examples", count)
	}
	for group, cmds := range groups {
		t.Run(group, func(t *testing.T) {
			t.Parallel()
			e := newExample(t, serve(t))
			if group == "dtally-archive-import" {
				e.run("dtally archive export second-wind.tar")
				e.server, e.people, e.signedIn = serveEmpty(t), []string{"marit"}, map[string]bool{}
			}
			for _, cmd := range cmds {
				for line := range strings.Lines(cmd.Example) {
					e.run(strings.TrimSpace(line))
				}
			}
		})
	}
}

// serveEmpty runs dtallyd on a database without records, with the demo's lead.
func serveEmpty(t *testing.T) string {
	t.Helper()
	dsn := dbtest.DSN(t)
	cmd := exec.Command(
		filepath.Join(bin, "dtallyd"),
		"account",
		"add",
		"marit",
		"--title",
		"Marit Oyelaw",
		"--role",
		"lead",
		"--role",
		"reviewer",
		"--database",
		dsn,
	)
	cmd.Stdin = strings.NewReader(secret("marit") + "\n")
	if out, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("%s", out)
	}
	p := launch(t, "dtallyd", "serve", "--database", dsn, "--listen", "127.0.0.1:0")
	t.Cleanup(func() { p.stop(t) })
	return p.address(t, listening)
}

// example is a folder in which examples run.
type example struct {
	t           *testing.T
	dir, server string
	people      []string // who try in turn, until one has the right
	signedIn    map[string]bool
}

func newExample(t *testing.T, server string) *example {
	t.Helper()
	e := &example{
		t:        t,
		dir:      t.TempDir(),
		server:   server,
		people:   []string{"tomas", "marit", "perrin"},
		signedIn: map[string]bool{},
	}
	laidOut(t, e.dir)
	return e
}

// as runs a line as a person, and returns its output and status.
func (e *example) as(who, line string) (out string, status int) {
	cmd := exec.Command("bash", "-c", line)
	cmd.Dir, cmd.Stdin = e.dir, strings.NewReader(secret(loginOf(line, who))+"\n")
	cmd.Env = append(
		os.Environ(),
		"PATH="+bin+":"+os.Getenv("PATH"),
		"HOME="+e.dir,
		"XDG_CONFIG_HOME="+filepath.Join(e.dir, ".config", who),
		"DTALLY_SERVER="+e.server,
		"DTALLY_TOKEN=",
		"COLUMNS=110",
	)
	said, err := cmd.CombinedOutput()
	if err != nil && cmd.ProcessState == nil {
		e.t.Fatal(err)
	}
	return string(said), cmd.ProcessState.ExitCode()
}

// loginOf returns the account that a line signs in to.
func loginOf(line, who string) string {
	if _, rest, ok := strings.Cut(line, "dtally login "); ok {
		return strings.Fields(rest)[0]
	}
	return who
}

// run runs an example line, which must end with the status in its help.
func (e *example) run(line string) {
	e.t.Helper()
	if line == "" {
		return
	}
	// The demo of the help has the standard address; this one has another.
	typed := strings.ReplaceAll(line, "http://127.0.0.1:8310", e.server)
	if strings.Contains(line, "--caches dropped") && os.Geteuid() != 0 {
		return // only root can drop caches
	}
	for _, who := range e.people {
		if !e.signedIn[who] {
			if out, status := e.as(who, "dtally login "+who); status != 0 {
				e.t.Fatalf("signing in: %s", out)
			}
			e.signedIn[who] = true
		}
		out, status := e.as(who, typed)
		if status == leaves[strings.ReplaceAll(line, "bin/", "")] {
			return
		}
		if status != 4 || !strings.Contains(out, "you need the role") {
			e.t.Errorf("$ %s\nends with %d as %s:\n%s", line, status, who, out)
			return
		}
	}
	e.t.Errorf("$ %s\nneither a reviewer nor a lead nor an administrator may do it", line)
}
