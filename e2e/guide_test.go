package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"dappertally/internal/demo"
	"dappertally/internal/survey/surveytest"
)

// guide is the path of the guide for reviewers.
const guide = "../docs/guides/reviewers.md"

// TestGuide runs every command of the guide on the demo and compares its output with that in the guide.
// DTALLY_GUIDE=write writes the output into the guide instead.
func TestGuide(t *testing.T) {
	t.Parallel()
	text, err := os.ReadFile(guide)
	if err != nil {
		t.Fatal(err)
	}
	server := serve(t)
	dir := t.TempDir()
	laidOut(t, dir)
	marit := newClient(t, server).login("marit")
	marit.must("checklist", "add", filepath.Join(dir, "speed.yaml"))
	marit.must("review", "add", "ivybeck/5.4/hearthside", "--checklist", "speed@1")
	env := append(
		os.Environ(),
		"PATH="+bin+":"+os.Getenv("PATH"),
		"XDG_CONFIG_HOME="+filepath.Join(dir, "config"),
		"DTALLY_SERVER="+server,
		"DTALLY_TOKEN=",
		"COLUMNS=110",
	)
	blocks, commands := 0, 0
	written := fence.ReplaceAllStringFunc(string(text), func(block string) string {
		blocks++
		parts := fence.FindStringSubmatch(block)
		var out strings.Builder
		out.WriteString("```console" + parts[1] + "\n")
		for line := range strings.Lines(parts[2]) {
			command, ok := strings.CutPrefix(strings.TrimRight(line, "\n"), "$ ")
			if !ok {
				continue
			}
			commands++
			out.WriteString("$ " + command + "\n" + run1(t, dir, env, command))
		}
		got := out.String() + "```"
		if parts[1] == "" && steady(got) != steady(block) && os.Getenv("DTALLY_GUIDE") != "write" {
			t.Errorf("the guide shows\n%s\nand what is printed is\n%s", block, got)
		}
		return got
	})
	if blocks < 10 || commands < 20 {
		t.Errorf("%d blocks and %d commands were found", blocks, commands)
	}
	if os.Getenv("DTALLY_GUIDE") == "write" {
		if err := os.WriteFile(guide, []byte(written), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}

var fence = regexp.MustCompile("(?s)```console( volatile)?\n(.*?)```")

// laidOut puts the guide's files and the made-up system into a folder.
func laidOut(t *testing.T, dir string) {
	t.Helper()
	if _, err := surveytest.Lay("../internal/survey/testdata/quaymark.txtar", filepath.Join(dir, "quaymark")); err != nil {
		t.Fatal(err)
	}
	if err := demo.LayOut(dir); err != nil {
		t.Fatal(err)
	}
}

// run1 runs one command as in a terminal of 110 columns.
func run1(t *testing.T, dir string, env []string, command string) string {
	t.Helper()
	line := command
	if strings.HasPrefix(line, "dtally ") && !strings.Contains(line, "--form") {
		line = "dtally --output table " + strings.TrimPrefix(line, "dtally ")
	}
	cmd := exec.Command("sh", "-c", line)
	cmd.Dir, cmd.Env = dir, env
	if strings.Contains(command, "dtally login") {
		cmd.Stdin = strings.NewReader(secret("tomas") + "\n")
	}
	out, err := cmd.CombinedOutput()
	if err != nil {
		t.Errorf("%s: %v\n%s", command, err, out)
	}
	return string(out)
}

var moving = []struct {
	what *regexp.Regexp
	with string
}{
	{regexp.MustCompile(`[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}`), "ID"},
	{regexp.MustCompile(`\d{4}-\d\d-\d\d \d\d:\d\d(:\d\d)?`), "TIME"},
	{regexp.MustCompile(`s-\d{4}-\d{4}-[0-9a-f]{4}`), "STATE"},
	{regexp.MustCompile(`in \d+\.\d+ s`), "in SECONDS"},
	{regexp.MustCompile(`http://[0-9.]+:\d+`), "SERVER"},
	{regexp.MustCompile(`0\.30\d+`), "RUN"},
	{regexp.MustCompile(`\d+(\.\d+)? (µs|ms)`), "MOMENT"},
	{regexp.MustCompile(`\s+`), " "},
}

// steady returns a text without the parts that differ from run to run, and without line breaks.
func steady(text string) string {
	for _, m := range moving {
		text = m.what.ReplaceAllString(text, m.with)
	}
	return text
}
