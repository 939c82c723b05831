package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
)

// withDraft makes a draft of the third version, equal to the second.
func (c *client) withDraft() {
	c.t.Helper()
	file := filepath.Join(c.t.TempDir(), "list.yaml")
	c.must("checklist", "export", "workshop@2", file)
	c.must("checklist", "import", file)
}

// document reads a version as JSON without its version and state.
func (c *client) document(name string) map[string]any {
	c.t.Helper()
	var v map[string]any
	decode(c.t, c.must("checklist", "export", name, "--output", "json"), &v)
	delete(v, "version")
	delete(v, "state")
	return v
}

// awkward is a checklist with texts that YAML could read as other types.
const awkward = `{"key": "odd", "version": 1, "state": "draft", "title": "yes", "maximum": 12.5, "sections": [
 {"key": "all", "title": "012", "weight": 1e-3, "criteria": [
  {"key": "on", "title": "null", "guidance": "first: line\n\n  - second, # not a comment\n\ttab \"quoted\" 'single' \\ back\n", "kind": "grade", "weight": 3},
  {"key": "2026-01-01", "title": "2026-01-01", "guidance": "~", "kind": "level", "weight": 0.1, "levels": [{"key": "off", "title": "0x1F", "points": 0}, {"key": "y", "title": "  spaces  ", "points": 33.333333333333336}]},
  {"key": "k", "title": "🜂 ünïcode: {a, b} [c] & * ! | > %", "kind": "measure", "weight": 1, "unit": "%", "better": "higher", "runs": {"tolerance": 0}, "curve": {"shape": "steps", "points": [[-1.5, 0], [1e21, 100]]}}]}]}`

func TestChecklistAsDocument(t *testing.T) {
	t.Parallel()
	server := serve(t)
	marit := newClient(t, server).login("marit")
	dir := t.TempDir()
	file := filepath.Join(dir, "list.yaml")

	// A file can begin from an example, which names its schema. An existing file is never overwritten.
	example := filepath.Join(dir, "example.yaml")
	marit.must("checklist", "new", "--example", example)
	written, err := os.ReadFile(example)
	if err != nil {
		t.Fatal(err)
	}
	first, _, _ := strings.Cut(string(written), "\n")
	if _, address, _ := strings.Cut(first, "$schema="); address != server+"/api/checklist.schema.json" ||
		!strings.HasPrefix(marit.must("checklist", "export", "workshop@2"), first) {
		t.Errorf("the first line is %s", first)
	}
	marit.must("checklist", "check", example)
	if out := marit.must("checklist", "import", example, "--dry-run"); !strings.Contains(out, "cold-start") {
		t.Errorf("a trial of the example: %s", out)
	}
	if says := marit.fails(2, "checklist", "new", example); !strings.Contains(says, "exists already") {
		t.Errorf("a list that is there: %s", says)
	}

	// An exported checklist is the same after an import, as YAML and as JSON.
	marit.must("checklist", "export", "workshop@2", file)
	if out := marit.must("checklist", "import", file, "--dry-run", "--output", "table"); !strings.Contains(
		out, "There are no differences",
	) {
		t.Errorf("a trial of what was exported:\n%s", out)
	}
	if _, _, code := marit.run("", "checklist", "show", "workshop@3"); code != 3 {
		t.Errorf("a trial left a draft: exit %d", code)
	}
	marit.must("checklist", "import", file)
	if before, after := marit.document("workshop@2"), marit.document("workshop@3"); !reflect.DeepEqual(before, after) {
		t.Error("the list changed on its way through a file")
	}
	if _, errs, code := marit.run(awkward, "checklist", "import", "-"); code != 0 {
		t.Fatalf("an awkward list: exit %d\n%s", code, errs)
	}
	var want map[string]any
	decode(t, awkward, &want)
	delete(want, "version")
	delete(want, "state")
	want["policy"] = map[string]any{"rigs": "adjusted"} // which every new checklist gets
	odd := filepath.Join(dir, "odd.yaml")
	marit.must("checklist", "export", "odd@1", odd)
	marit.must("checklist", "import", odd)
	if got := marit.document("odd@1"); !reflect.DeepEqual(got, want) {
		t.Errorf("the awkward list came back as\n%v\nwant\n%v", got, want)
	}

	// A changed file becomes the draft, and its differences are described in words.
	text, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	changed := strings.Replace(string(text), "poor: 90", "poor: 80", 1)
	if _, errs, code := marit.run(changed, "checklist", "import", "-"); code != 0 {
		t.Fatalf("a changed file: exit %d\n%s", code, errs)
	}
	if out := marit.must("checklist", "diff", "workshop@2", "workshop@3", "--output", "table"); !strings.Contains(
		out, "ratio from 90 to 9 → ratio from 80 to 9",
	) {
		t.Errorf("the difference:\n%s", out)
	}
	// A file with faults changes nothing and names all of them.
	broken := strings.Replace(strings.Replace(changed, "poor: 80", "poor: 8", 1), "kind: grade", "kind: guess", 1)
	_, errs, code := marit.run(broken, "checklist", "import", "-")
	if code != 4 || !strings.Contains(errs, "contradicts the direction") || !strings.Contains(errs, "must be grade") {
		t.Errorf("a broken file: exit %d\n%s", code, errs)
	}
	if _, errs, code := marit.run("key: [", "checklist", "import", "-"); code != 4 ||
		!strings.Contains(errs, "neither YAML nor JSON") {
		t.Errorf("no YAML: exit %d\n%s", code, errs)
	}
	marit.must("checklist", "edit", "workshop@3", "--state", "in-force")
	// Readers stay on the version that has results until a lead, or a share, decides.
	if out := marit.must("checklist", "list"); !strings.Contains(
		out, "workshop@2\tWorkshop checklist\tin-force\ttrue",
	) {
		t.Errorf("the list:\n%s", out)
	}
	if out := marit.must("checklist", "list", "--output", "table"); !strings.Contains(
		out, "workshop@3 is in force: 0 of the",
	) {
		t.Errorf("the list:\n%s", out)
	}
	marit.must("checklist", "edit", "workshop@3", "--shown")
	if out := marit.must("checklist", "list"); !strings.Contains(
		out, "workshop@3\tWorkshop checklist\tin-force\ttrue",
	) {
		t.Errorf("the list:\n%s", out)
	}
	if _, errs, code := marit.run("", "rank"); code != 0 ||
		!strings.Contains(errs, "No edition is ranked: no review on workshop@3 is accepted yet") {
		t.Errorf("an empty ranking into a pipe: exit %d, %s", code, errs)
	}
	marit.must("checklist", "edit", "workshop@2", "--shown")
	if out := marit.must("checklist", "list"); !strings.Contains(
		out, "workshop@2\tWorkshop checklist\tin-force\ttrue",
	) {
		t.Errorf("the list:\n%s", out)
	}
}

func TestChecklistCheck(t *testing.T) {
	t.Parallel()
	server := serve(t)
	marit := newClient(t, server).login("marit")
	if out := marit.must("checklist", "check", "workshop@2", "--output", "table"); !strings.Contains(
		out, "image-size names no method",
	) ||
		!strings.Contains(out, "best of the field") {
		t.Errorf("the check:\n%s", out)
	}
	// The same from a bundle, without a service.
	offline := newClient(t, "http://127.0.0.1:9")
	out := offline.must("checklist", "check", "desk@2", "--bundle", "../core/testdata/golden/versions.bundle.json")
	if !strings.Contains(out, "has no guidance") {
		t.Errorf("offline:\n%s", out)
	}
	if _, errs, code := offline.run("", "checklist", "check", "workshop@2"); code != 5 {
		t.Errorf("without a service: exit %d\n%s", code, errs)
	}
}

func TestTestFiles(t *testing.T) {
	t.Parallel()
	server := serve(t)
	reader := newClient(t, server)
	marit := newClient(t, server).login("marit")
	folder := filepath.Join(t.TempDir(), "test-files")
	out, errs, code := reader.run("", "checklist", "test-files", "workshop@2", "--folder", folder)
	if code != 1 || !strings.Contains(out, "bench-script.sh\t632\tdownloaded and verified") ||
		!strings.Contains(out, "shelf 3") ||
		!strings.Contains(errs, "2 of 4") {
		t.Errorf("exit %d\n%s%s", code, out, errs)
	}
	script := filepath.Join(folder, "bench-script.sh")
	if err := os.WriteFile(script, []byte("tampered"), 0o600); err != nil {
		t.Fatal(err)
	}
	out, _, _ = reader.run("", "checklist", "test-files", "workshop@2", "--folder", folder)
	if left, err := os.ReadFile(script); err != nil || string(left) != "tampered" ||
		!strings.Contains(out, "differs") ||
		!strings.Contains(out, "menu-tasks.txt\t749\texists and is verified") {
		t.Errorf("a file of another content was overwritten or not told:\n%s", out)
	}
	fresh := filepath.Join(t.TempDir(), "fresh.txt")
	if err := os.WriteFile(fresh, []byte("a new test file"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, errs, code := marit.run("", "checklist", "test-files", "workshop@2", "--upload", fresh); code != 1 ||
		!strings.Contains(errs, "is not among the test files") {
		t.Errorf("a file that a checklist in force does not list: exit %d\n%s", code, errs)
	}
	marit.withDraft()
	if out := marit.must("checklist", "test-files", "workshop@3", "--upload", fresh); !strings.Contains(
		out, "add it to the draft",
	) {
		t.Errorf("uploaded for the draft:\n%s", out)
	}
	reader.fails(3, "checklist", "test-files", "workshop@3", "--upload", fresh) // only the team sees a draft
	reader.fails(4, "checklist", "test-files", "workshop@2", "--upload", filepath.Join(folder, "menu-tasks.txt"))
}

func TestProposalByClient(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ines := newClient(t, server).login("ines")
	marit := newClient(t, server).login("marit")
	file := filepath.Join(t.TempDir(), "list.yaml")
	ines.must("checklist", "export", "workshop@2", file)
	text, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	changed := strings.Replace(string(text), "poor: 90", "poor: 60", 1)
	if err := os.WriteFile(file, []byte(changed), 0o600); err != nil {
		t.Fatal(err)
	}
	var p struct{ ID string }
	decode(
		t,
		ines.must(
			"proposal",
			"add",
			file,
			"--title",
			"Steeper",
			"--reason",
			"Nobody waits a minute and a half.",
			"--output",
			"json",
		),
		&p,
	)
	marit.must("proposal", "comment", p.ID, "Agreed")
	var effect struct {
		TauB  float64
		Moves []struct {
			Edition             string
			ScoreNow, ScoreThen *float64
		}
	}
	decode(t, marit.must("proposal", "effect", p.ID, "--output", "json"), &effect)
	for _, m := range effect.Moves {
		// Nobody has timed the start of the beta.
		if lower := m.ScoreNow != nil && *m.ScoreThen < *m.ScoreNow; lower == strings.Contains(m.Edition, "beta") {
			t.Errorf("a steeper curve lowers the score of %s: %v", m.Edition, lower)
		}
	}
	if _, _, code := ines.run("", "proposal", "accept", p.ID); code != 4 {
		t.Errorf("a reviewer accepts: exit %d", code)
	}
	marit.must("proposal", "accept", p.ID, "--reason", "talked over")
	if out := marit.must("proposal", "show", p.ID, "--table", "comments"); !strings.Contains(
		out, "accepted: talked over",
	) ||
		!strings.Contains(out, "Agreed") {
		t.Errorf("the proposal:\n%s", out)
	}
	if out := marit.must("checklist", "diff", "workshop@2", "workshop@3"); !strings.Contains(
		out, "ratio from 60 to 9",
	) {
		t.Errorf("the draft:\n%s", out)
	}
	if out := marit.must("audience", "edit", "workshop@2", "pensioner", "--section", "usability=60", "--reason", "asked for"); !strings.Contains(
		out, "first-guide",
	) {
		t.Errorf("the audience:\n%s", out)
	}
	if out := marit.must("audience", "show", "workshop@2", "pensioner", "--table", "revisions"); !strings.Contains(
		out, "asked for",
	) {
		t.Errorf("its revisions:\n%s", out)
	}
	marit.must("checklist", "edit", "workshop@3", "--state", "in-force")
	if out := marit.must("review", "carry", "mossgate/12/hearthside", "--to", "workshop@3", "--output", "table"); !strings.Contains(
		out, "1 review carried over to workshop@3",
	) {
		t.Errorf("carried over:\n%s", out)
	}
	if out := ines.must("review", "data-quality", "--checklist", "workshop@2", "--output", "table"); !strings.Contains(
		out, "Surprising values",
	) ||
		!strings.Contains(out, "another reviewer") {
		t.Errorf("doubts:\n%s", out)
	}
}

// TestTwoLeadsAtOnce edits a draft in the console while another lead changes it: changes to different fields are
// merged; for the same field both values are shown and kept.
func TestTwoLeadsAtOnce(t *testing.T) {
	t.Parallel()
	server := serve(t)
	marit := newClient(t, server).login("marit")
	ctx := tab(t)
	edit := func(old, new string) {
		t.Helper()
		text := marit.must("checklist", "export", "workshop@3")
		if !strings.Contains(text, old) {
			t.Fatalf("the draft has no %q", old)
		}
		if _, errs, code := marit.run(strings.Replace(text, old, new, 1), "checklist", "import", "-"); code != 0 {
			t.Fatal(errs)
		}
	}
	field := func(label string) string {
		return fmt.Sprintf(`//label[contains(., %q)]/following-sibling::*[1]`, label)
	}
	retype := func(label, text string) []browser.Step {
		return []browser.Step{chromedp.Click(field(label)), keys("a", chromedp.KeyModifiers(2)), keys(text)}
	}
	do(
		t,
		ctx,
		browser.Look(1280, 800, "light"),
		browser.SignIn(server, "marit", secret("marit")),
		chromedp.Navigate(server+"/checklist/versions"),
		browser.Settled(),
		chromedp.Click(`//button[.="Draft version 3"]`),
		says("h1", "version 3"),
		browser.Settled(),
		chromedp.Click(
			`//section[@aria-label="Outline"]//button[contains(., "Cold start to desktop")]`,
		),
		says("h2", "Cold start to desktop"),
	)
	do(t, ctx, retype("Poor: 0 points at", "70")...)
	do(t, ctx, says("[role=status]", "saved in this browser"))
	edit("title: Price", "title: What it costs")
	do(
		t,
		ctx,
		chromedp.Click(`//button[text()="Save the draft"]`),
		says("[role=status]", "Saved"),
		says("button", "What it costs"),
	)
	if text := marit.must("checklist", "export", "workshop@3"); !strings.Contains(text, "title: What it costs") ||
		!strings.Contains(text, "poor: 70") {
		t.Error("one of two changes that do not clash is lost")
	}
	// Both change the same field: this is shown, and one's own value stays to be saved.
	do(t, ctx, retype("Poor: 0 points at", "60")...)
	edit("poor: 70", "poor: 75")
	do(
		t,
		ctx,
		chromedp.Click(
			`//button[text()="Save the draft"]`,
		),
		says("[role=status]", "both of you changed the same item"),
		says("[role=status]", "cold-start › curve › poor"),
		chromedp.Navigate("about:blank"),
		chromedp.Navigate(server+"/checklist/edit/workshop@3?criterion=cold-start"),
		browser.Settled(),
		says("[role=status]", "saved in this browser"),
		chromedp.Click(`//button[text()="Save the draft"]`),
		says("[role=status]", "Saved"),
	)
	if text := marit.must("checklist", "export", "workshop@3"); !strings.Contains(text, "poor: 60") {
		t.Error("what was kept in the browser was not saved")
	}
	// Errors are shown at their place, and nothing is saved.
	do(t, ctx, retype("Poor: 0 points at", "5")...)
	do(t, ctx,
		chromedp.Click(`//button[text()="Save the draft"]`), says("[role=alert]", "contradicts the direction"),
		chromedp.Click(`//button[text()="Discard"]`), says("[role=status]", "saved"),
		chromedp.Click(`//button[contains(., "Review the checklist")]`), says("h2", "remark"),
		chromedp.Click(`//button[contains(., "Show the effect")]`), says("p", "Kendall"),
	)
}

// TestProposalInConsole makes a proposal, looks at its effect, and has the lead accept it.
func TestProposalInConsole(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ctx := tab(t)
	do(
		t,
		ctx,
		browser.Look(1280, 800, "light"),
		browser.SignIn(server, "ines", secret("ines")),
		chromedp.Navigate(server+"/checklist"),
		browser.Settled(),
		chromedp.Click(`//a[text()="Propose a change"]`),
		browser.Settled(),
		chromedp.Click(
			`//section[@aria-label="Outline"]//button[contains(., "Kernel build")]`,
		),
		says("h2", "Kernel build"),
		chromedp.Click(`//button[text()="Remove"]`),
		says("li", "remove Kernel build"),
		says("[role=status]", "1 edits"),
		chromedp.Click(`//label[contains(., "in a few words")]/following-sibling::*[1]`),
		keys("No kernel build"),
		chromedp.Click(
			`//label[normalize-space(.)="Why"]/following-sibling::*[1]`,
		),
		keys("Volunteers never build one."),
		chromedp.Click(
			`//button[text()="Submit the proposal"]`,
		),
		says("h1", "No kernel build"),
		says("td", "dropped"),
		says("p", "Kendall"),
		chromedp.Click(
			`//label[contains(., "Your comment")]//textarea`,
		),
		keys("I can live without."),
		chromedp.Click(`//button[text()="Comment"]`),
		says("li", "I can live without."),
	)
	here, err := chromedp.Run(ctx, chromedp.Evaluate[string](`location.pathname`))
	if err != nil {
		t.Fatal(err)
	}
	do(
		t,
		ctx,
		chromedp.Click(
			`//button[text()="Sign out"]`,
		),
		says("header", "Sign in"),
		browser.SignIn(server, "marit", secret("marit")),
		chromedp.Navigate(server+here),
		browser.Settled(),
		chromedp.Click(`//button[text()="Accept into the draft"]`),
		says("p", "accepted by marit"),
		chromedp.Navigate(server+"/checklist/versions?from=workshop@2&to=workshop@3"),
		browser.Settled(),
		says("td", "Kernel build"),
		says("td", "dropped"),
	)
}

// TestComputeFurther computes further results of a bundle with the built program and compares them with the golden
// ones.
func TestComputeFurther(t *testing.T) {
	c := newClient(t, "http://127.0.0.1:9")
	const golden = "../core/testdata/golden/"
	data, err := os.ReadFile(golden + "versions.expected.json")
	if err != nil {
		t.Fatal(err)
	}
	var cases []map[string]any
	if err := json.Unmarshal(data, &cases); err != nil {
		t.Fatal(err)
	}
	for what, part := range map[string]string{"effect": "effect", "common-ground": "commonGround", "quality": "quality"} {
		var got map[string]any
		decode(
			t,
			c.must(
				"compute",
				golden+"versions.bundle.json",
				"--what",
				what,
				"--proposed",
				golden+"versions.proposed.json",
				"--between",
				"desk@1,desk@2",
				"--output",
				"json",
			),
			&got,
		)
		want := cases[0][part].(map[string]any)
		for key, value := range want {
			list, ok := value.([]any)
			if !ok {
				if fmt.Sprint(got[key]) != fmt.Sprint(value) {
					t.Errorf("%s %s: %v, want %v", what, key, got[key], value)
				}
				continue
			}
			if len(list) != len(got[key].([]any)) {
				t.Errorf("%s %s: %d entries, want %d", what, key, len(got[key].([]any)), len(list))
			}
		}
	}
	var frames map[string]any
	decode(t, c.must("frames", golden+"frames.csv", "--column", "ms", "--unit", "ms", "--output", "json"), &frames)
	if len(frames["lows"].([]any)) != 2 || frames["average"].(float64) < 69.9 {
		t.Errorf("frames: %v", frames)
	}
	for _, bad := range []struct {
		stdin, says string
	}{{"ms\n12\n\"x\"\n", "line 3"}, {"ms\n12\n-1\n", "above 0"}, {"", "no first line"}, {"a;ms\n1;2;3\n", "has 3 columns"}} {
		if _, errs, code := c.run(bad.stdin, "frames", "-", "--column", "ms"); code == 0 ||
			!strings.Contains(errs, bad.says) {
			t.Errorf("%q: exit %d\n%s", bad.stdin, code, errs)
		}
	}
}
