package e2e

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestClient(t *testing.T) {
	t.Parallel()
	server := serve(t)
	reader := newClient(t, server)
	ines := newClient(t, server).login("ines")
	marit := newClient(t, server).login("marit")

	if out := reader.must("rank", "--audience", "pensioner", "--output", "csv"); !strings.HasPrefix(
		out, "checklist,audience,standing,rank,deadHeat,edition,score",
	) ||
		!strings.Contains(out, "ranked,1,true,gullhaven/5.2/hearthside,84.1") {
		t.Errorf("rank as CSV:\n%s", out)
	}
	if out := reader.must("rig", "list"); !strings.HasPrefix(out, "key\tname\tclass") {
		t.Errorf("a list into a pipe:\n%s", out)
	}
	if out := reader.must("rig", "show", "bench-vm", "--output", "yaml"); !strings.Contains(out, "weight: 0.5") {
		t.Errorf("a rig as YAML:\n%s", out)
	}
	for _, noun := range []string{"distribution", "release", "edition", "rig", "checklist", "review"} {
		var v map[string][]any
		if err := json.Unmarshal([]byte(reader.must(noun, "list", "--output", "json")), &v); err != nil ||
			len(v[noun+"s"]) == 0 {
			t.Errorf("%s list: %v, %v", noun, v, err)
		}
	}
	if out := reader.must("compare", "gullhaven/5.2/hearthside", "bramblewick/7.0/hearthside", "--output", "table"); !strings.Contains(
		out, "Measures of Bramblewick 7.0 Hearthside against Gullhaven 5.2 Hearthside",
	) ||
		!strings.Contains(out, "better") {
		t.Errorf("compare:\n%s", out)
	}

	ines.must("distribution", "add", "harrowgate", "--name", "Harrowgate", "--family", "heathbase")
	ines.must("release", "add", "harrowgate/1.0", "--date", "2026-10-01", "--tier", "regular")
	ines.must("edition", "add", "harrowgate/1.0/awning", "--desktop", "Awning")
	ines.must("rig", "add", "bench-tiny", "--class", "low-power", "--cores", "4")
	ines.must("review", "add", "harrowgate/1.0/awning", "--due", "2026-12-24")
	const review = "harrowgate/1.0/awning"
	if out := ines.must("record", "cold-start", "26,4", "25.9", "26.0", "--review", review, "--rig", "bench-tiny", "--adjust", "4", "--adjust-reason", "the boot menu waits"); !strings.Contains(
		out, "26.4, 25.9, 26\t22\ts\t61.18",
	) {
		t.Errorf("a measure with an adjustment:\n%s", out)
	}
	ines.must("record", "week-of-use", "7.5", "--review", review)
	ines.must("record", "side-by-side", "workaround", "--review", review)
	ines.must("record", "disk-encryption", "offered", "--review", review)
	ines.must(
		"record", "archives", "plain=worked", "solid=worked", "split=failed", "locked=untried", "--review", review,
	)
	ines.must("record", "wanted-apps", "14/20", "--review", review)
	ines.must("record", "kernel", "6.14", "--review", review)
	ines.must("record", "printing", "--review", review, "--not-tested", "no printer at hand")
	ines.must("review", "edit", review, "--state", "submitted", "--reason", "a first look only")
	marit.must("review", "edit", review, "--state", "accepted")
	var r struct{ Provisional []struct{ Edition string } }
	if err := json.Unmarshal([]byte(reader.must("rank", "--output", "json")), &r); err != nil {
		t.Fatal(err)
	}
	found := false
	for _, p := range r.Provisional {
		found = found || p.Edition == review
	}
	if !found {
		t.Errorf("%s is not provisional: %v", review, r.Provisional)
	}

	list := ines.must("checklist", "show", "workshop@2", "--output", "yaml")
	next := strings.Replace(
		strings.Replace(list, "version: 2\n", "version: 3\n", 1), "state: in-force", "state: draft", 1,
	)
	if _, errs, code := marit.run(next, "checklist", "add", "-"); code != 0 {
		t.Errorf("a checklist as YAML, edited and added again: exit %d\n%s", code, errs)
	}
	ines.must("logout")
	if _, _, code := ines.run("", "rig", "add", "bench-z"); code != 4 {
		t.Errorf("after logging out: exit %d, want 4", code)
	}
}

func TestClientExitCodes(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ines := newClient(t, server).login("ines")
	broken := filepath.Join(t.TempDir(), "broken.json")
	if err := os.WriteFile(broken, []byte(`{"format": "dapper-tally/bundle", "version": NaN}`), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		code int
		says string
		args []string
	}{
		{2, "unknown command", []string{"frobnicate"}},
		{2, "no subcommand", []string{"rig", "polish"}},
		{2, "unknown flag", []string{"rank", "--sideways"}},
		{2, "must be json", []string{"rank", "--output", "xml"}},
		{2, "takes 1 argument", []string{"rig", "show"}},
		{2, "is not an edition", []string{"edition", "show", "bramblewick"}},
		{2, "not a number", []string{"record", "week-of-use", "NaN", "--review", "quaymark/22.1/latchwork"}},
		{3, "no rig", []string{"rig", "show", "ghost"}},
		{3, "no criterion", []string{"record", "luck", "7", "--review", "quaymark/22.1/latchwork"}},
		{3, "no such file", []string{"compute", "/nowhere/bundle.json"}},
		{4, "between 0 and 10", []string{"record", "week-of-use", "11", "--review", "quaymark/22.1/latchwork"}},
		{4, "you need the role", []string{"checklist", "add", "-"}},
		{4, "line 1, column", []string{"compute", broken}},
		{5, "cannot be reached", []string{"rank", "--server", "http://127.0.0.1:9"}},
	} {
		stdin := ""
		if c.args[0] == "checklist" {
			stdin = `{"key":"x","version":1,"state":"draft","sections":[{"key":"s","weight":1,"criteria":[{"key":"c","kind":"grade","weight":1}]}]}`
		}
		out, errs, code := ines.run(stdin, c.args...)
		if code != c.code || !strings.Contains(errs, c.says) || out != "" {
			t.Errorf(
				"dtally %s: exit %d, want %d saying %q\nstdout %q\nstderr %s",
				strings.Join(c.args, " "),
				code,
				c.code,
				c.says,
				out,
				errs,
			)
		}
	}
}

// TestComputeGolden computes a golden case with the built program, with every set of options.
func TestComputeGolden(t *testing.T) {
	c := newClient(t, "http://127.0.0.1:9")
	var cases []struct {
		Options struct {
			Audience   string
			At         *string
			RigWeights map[string]float64
			CommonRigs bool
		}
		Scorecards []struct {
			Edition string
			Overall *float64
		}
		Ranking struct{ Ranking []struct{ Edition string } }
	}
	data, err := os.ReadFile("../core/testdata/golden/plain.expected.json")
	if err != nil {
		t.Fatal(err)
	}
	if err := json.Unmarshal(data, &cases); err != nil {
		t.Fatal(err)
	}
	for _, g := range cases {
		args := []string{
			"compute",
			"../core/testdata/golden/plain.bundle.json",
			"--output",
			"json",
			"--audience",
			g.Options.Audience,
		}
		if g.Options.At != nil {
			args = append(args, "--at", *g.Options.At)
		}
		for rig, w := range g.Options.RigWeights {
			args = append(args, "--rig-weight", fmt.Sprintf("%s=%v", rig, w))
		}
		if g.Options.CommonRigs {
			args = append(args, "--common-rigs")
		}
		var cards struct {
			Scorecards []struct {
				Edition string
				Overall *float64
			}
		}
		if err := json.Unmarshal([]byte(c.must(append(args, "--what", "scorecards")...)), &cards); err != nil {
			t.Fatal(err)
		}
		for i, want := range g.Scorecards {
			got := cards.Scorecards[i]
			if got.Edition != want.Edition ||
				math.Abs(*got.Overall-*want.Overall) > 1e-9*max(1, math.Abs(*want.Overall)) {
				t.Errorf("%v: %s %v, want %s %v", g.Options, got.Edition, *got.Overall, want.Edition, *want.Overall)
			}
		}
		var ranked struct{ Ranking []struct{ Edition string } }
		if err := json.Unmarshal([]byte(c.must(append(args, "--what", "ranking")...)), &ranked); err != nil {
			t.Fatal(err)
		}
		if fmt.Sprint(ranked) != fmt.Sprint(g.Ranking) {
			t.Errorf("%v: ranking %v, want %v", g.Options, ranked, g.Ranking)
		}
	}
}
