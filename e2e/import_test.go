package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"dappertally/e2e/browser"
)

const oldSheet = `System;Test;Machine;When;Value;Remark
Quaymark 22.1;Browser;old;18.11.2026 09:30;26,4 25,9 26,0;by the kitchen clock
Quaymark 22.1;WLAN;old;18.11.2026 09:40;works;
Quaymark 22.1;Archives;old;18.11.2026 09:50;perhaps;
`

// offer selects a file with that name and content on the page.
func offer(t *testing.T, name, content string) browser.Step {
	t.Helper()
	file := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(file, []byte(content), 0o644); err != nil {
		t.Fatal(err)
	}
	return chromedp.SetUploadFiles(chromedp.CSS("input[type=file]"), []string{file})
}

func pick(label, option string) browser.Step {
	return browser.Choose(`//button[@aria-label="`+label+`"]`, option)
}

// TestImportPage imports an old sheet with a mapping that is made on the page, after a bad row in it is corrected.
func TestImportPage(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ctx := tab(t)
	mean := func(field int, words ...string) browser.Step {
		area := `(//section[@aria-label="A new mapping"]//textarea)[` + string(rune('0'+field)) + `]`
		steps := []browser.Step{chromedp.Click(area)}
		for i, w := range words {
			if i > 0 {
				steps = append(steps, keys(kb.Enter))
			}
			steps = append(steps, keys(w))
		}
		return chromedp.Steps(steps...)
	}
	do(
		t,
		ctx,
		browser.Look(1280, 800, "light"),
		browser.SignIn(server, "ines", secret("ines")),
		chromedp.Navigate(server+"/team/import"),
		browser.Settled(),
		offer(t, "old-sheet.csv", oldSheet),
		pick("Columns", "a new mapping"),
		says("th", "Machine"),
		pick("Edition", "System"),
		mean(1, "Quaymark 22.1 = quaymark/22.1/latchwork"),
		pick("Criterion", "Test"),
		mean(2, "Browser = browser-start", "WLAN = wireless", "Archives = archives"),
		pick("Answer", "Value"),
		pick("Rig", "Machine"),
		mean(3, "old = bench-old"),
		pick("Measured at", "When"),
		pick("Note", "Remark"),
		typeIn("Format of times", "DD.MM.YYYY hh:mm"),
		typeIn("Time zone", "Europe/Oslo"),
		chromedp.Click(`//label[contains(., "Decimal commas")]/input`),
		press("Preview"),
		says("p[role=status]", "1 refused, so nothing would be imported. 2 new"),
		says("td", "perhaps"),
	)
	do(
		t,
		ctx,
		offer(t, "old-sheet.csv", strings.Replace(oldSheet, "perhaps", "plain=worked solid=failed", 1)),
		press("Preview"),
		says("p[role=status]", "3 new, 0 the same"),
		press("Import 3"),
		says("p[role=status]", "Imported: 3 new"),
		press("Preview"),
		says("p[role=status]", "Nothing to import: 3 exist already"),
		chromedp.Click(
			`//input[@name="name"]`,
		),
		keys("their-sheet"),
		press("Save the mapping"),
		says("[role=status]", "Saved."),
		pick("Columns", "their-sheet"),
		press("Preview"),
		says("p[role=status]", "Nothing to import: 3 exist already"),
	)
	ines := newClient(t, server).login("ines")
	if out := ines.must("review", "show", "quaymark/22.1/latchwork", "--output", "json"); !strings.Contains(
		out, "by the kitchen clock",
	) ||
		!strings.Contains(out, "2026-11-18T08:30:00Z") {
		t.Error("the review has no reading of the sheet, or at another time")
	}
	if out := ines.must("mapping", "show", "their-sheet"); !strings.Contains(
		out, "Quaymark 22.1 is quaymark/22.1/latchwork",
	) {
		t.Errorf("the mapping was kept as\n%s", out)
	}
	// Test results, and a file that is not a table.
	do(
		t,
		ctx,
		chromedp.Navigate(server+"/team/import"),
		browser.Settled(),
		offer(t, "smoke.tap", "1..2\nok 1 - wireless at once\nnot ok 2 - archive opens\n"),
		pick("Columns", "a new mapping"),
		typeIn("wireless at once", "wireless"),
		typeIn("archive opens", "archives/plain"),
		typeIn("Edition of all rows", "quaymark/22.1/latchwork"),
		press("Preview"),
		says("p[role=status]", "2 new"),
		offer(t, "smoke.tap", "1..3\nok 1 - wireless at once\n"),
		says("[role=alert]", "3 tests were planned and 1 have results"),
		offer(t, "empty.csv", ""),
		says("[role=alert]", "the file is empty"),
	)
	// A catalogue: nothing is written while a row is refused.
	const autumn = "distributions: [{key: thistlewick, model: fixed, releases: [{version: 1.10, date: 2026-11-02, editions: [{key: awning}]}]}]\n"
	do(
		t,
		ctx,
		chromedp.Navigate(server+"/team/import"),
		browser.Settled(),
		pick("Import", "a catalogue"),
		offer(t, "autumn.yaml", autumn+"rigs: [{key: bench-old, cores: 12}]\n"),
		press("Preview"),
		says("p[role=status]", "1 refused, so nothing would be imported. 3 new"),
		says("td", "specification is fixed"),
		offer(t, "autumn.yaml", autumn),
		press("Preview"),
		says("p[role=status]", "3 new, 0 the same. Nothing is imported yet."),
		press("Import 3"),
		says("p[role=status]", "Imported: 3 new"),
	)
	ines.must("edition", "show", "thistlewick/1.10/awning")
	if out := ines.must("export", "ranking", "--form", "csv"); out != ines.must("rank", "--output", "csv") {
		t.Errorf("the export is not what rank --output csv gives:\n%.200s", out)
	}
}

// writer returns a function that writes a file into a folder and returns its path.
func writer(t *testing.T, dir string) func(name, content string) string {
	return func(name, content string) string {
		t.Helper()
		at := filepath.Join(dir, name)
		if err := os.WriteFile(at, []byte(content), 0o644); err != nil {
			t.Fatal(err)
		}
		return at
	}
}

// TestImportCommands imports files with the client.
func TestImportCommands(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ines := newClient(t, server).login("ines")
	marit := newClient(t, server).login("marit")
	dir := t.TempDir()
	file := writer(t, dir)
	mapping := file("their-sheet.yaml", `
name: their-sheet
form: csv
decimal: comma
times: DD.MM.YYYY hh:mm
fields:
  edition: {column: System, values: {Quaymark 22.1: quaymark/22.1/latchwork}}
  criterion: {column: Test, values: {Browser: browser-start, WLAN: wireless, Archives: archives}}
  rig: {column: Machine, values: {old: bench-old}}
  at: {column: When}
  answer: {column: Value}
  note: {column: Remark}
`)
	if says := ines.fails(4, "mapping", "add", file("bad.yaml", "name: x\nform: csv\nfields: {colour: {column: a}}\n")); !strings.Contains(
		says,
		"no such field",
	) {
		t.Errorf("a bad mapping: %s", says)
	}
	ines.must("mapping", "add", mapping)
	if says := ines.fails(4, "mapping", "add", mapping); !strings.Contains(
		says, "a mapping called their-sheet exists already: dtally mapping edit",
	) {
		t.Errorf("the same mapping again: %s", says)
	}
	ines.must("mapping", "edit", mapping)
	sheet := file("old-sheet.csv", oldSheet)
	out, says, code := ines.run(
		"", "import", "readings", sheet, "--mapping", "their-sheet", "--yes", "--output", "table",
	)
	if code != 4 || !strings.Contains(out, "perhaps") ||
		!strings.Contains(says, "1 row refused, so nothing was imported") {
		t.Errorf("a bad row: exit %d\n%s%s", code, out, says)
	}
	sheet = file("old-sheet.csv", strings.Replace(oldSheet, "perhaps", "plain=worked", 1))
	if says := ines.fails(2, "import", "readings", sheet, "--mapping", "their-sheet"); !strings.Contains(
		says, "3 new",
	) {
		t.Errorf("nobody was asked: %s", says)
	}
	if out := ines.must("import", "readings", sheet, "--mapping", "their-sheet", "--dry-run"); strings.Count(
		out, "\tnew\t",
	) != 3 {
		t.Errorf("on trial:\n%s", out)
	}
	ines.must("import", "readings", sheet, "--mapping", "their-sheet", "--yes")
	if out := ines.must("import", "readings", sheet, "--mapping", "their-sheet", "--yes", "--rows", "all"); strings.Count(
		out, "\tsame\t",
	) != 3 {
		t.Errorf("again:\n%s", out)
	}
	for _, form := range []string{"csv", "json", "jsonl", "yaml", "xlsx"} {
		at := filepath.Join(dir, "out."+form)
		ines.must("export", "readings", "--edition", "quaymark/22.1/latchwork", "--file", at)
		if out := ines.must("import", "readings", at, "--dry-run", "--rows", "changed", "--output", "json"); !strings.Contains(
			out,
			`"new": 0`,
		) ||
			!strings.Contains(out, `"refused": 0`) {
			t.Errorf("%s comes back otherwise:\n%.600s", form, out)
		}
	}
	bundle := filepath.Join(dir, "all.json")
	marit.must("export", "bundle", "--file", bundle)
	if out := marit.must("import", "bundle", bundle, "--dry-run", "--rows", "changed", "--output", "json"); !strings.Contains(
		out,
		`"new": 0`,
	) {
		t.Errorf("the bundle: %.600s", out)
	}
	ines.fails(4, "import", "bundle", bundle, "--dry-run")
	var served, computed struct{ Ranking []struct{ Edition string } }
	decode(t, marit.must("export", "ranking", "--form", "json"), &served)
	decode(t, marit.must("compute", bundle, "--what", "ranking", "--output", "json"), &computed)
	for i, p := range computed.Ranking {
		if served.Ranking[i].Edition != p.Edition {
			t.Errorf(
				"place %d: the bundle computes to %s, the service says %s", i+1, p.Edition, served.Ranking[i].Edition,
			)
		}
	}
	if len(computed.Ranking) < 15 {
		t.Errorf("the bundle ranks %d editions", len(computed.Ranking))
	}
	if says := ines.fails(3, "import", "readings", filepath.Join(dir, "nothing.csv")); !strings.Contains(
		says, "no such file",
	) {
		t.Errorf("no file: %s", says)
	}
	reader := newClient(t, server)
	reader.fails(4, "import", "readings", sheet, "--mapping-file", mapping, "--dry-run")
	if out := reader.must("export", "readings", "--form", "jsonl"); strings.Contains(out, "quaymark/22.1/latchwork") {
		t.Error("a reader gets readings that are not accepted")
	}
}

// TestImportCatalogueCommands imports the catalogue with the client.
func TestImportCatalogueCommands(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ines := newClient(t, server).login("ines")
	dir := t.TempDir()
	file := writer(t, dir)
	for _, form := range []string{"csv", "json", "jsonl", "yaml", "xlsx"} {
		at := filepath.Join(dir, "catalogue."+form)
		ines.must("export", "catalogue", "--file", at)
		if out := ines.must("import", "catalogue", at, "--dry-run", "--output", "json"); !strings.Contains(
			out,
			`"new": 0`,
		) ||
			!strings.Contains(out, `"changes": 0`) ||
			!strings.Contains(out, `"refused": 0`) {
			t.Errorf("the catalogue as %s comes back otherwise:\n%.600s", form, out)
		}
	}
	sample := sampleOf(ines.must("import", "catalogue", "--help"))
	autumn := file("autumn.yaml", sample)
	if out := ines.must("import", "catalogue", autumn, "--dry-run"); strings.Count(out, "\tnew\t") != 3 ||
		strings.Count(out, "\tchanges\t") != 1 {
		t.Errorf("the sample of the help:\n%s", out)
	}
	broken := file("broken.yaml", sample+"  - {key: bench-old, memoryMiB: 8192}\n")
	out, says, code := ines.run("", "import", "catalogue", broken, "--yes")
	if code != 4 || !strings.Contains(out, "14\trefused\trig bench-old") ||
		!strings.Contains(out, "specification is fixed") ||
		!strings.Contains(says, "1 row refused, so nothing was imported") {
		t.Errorf("a bad row: exit %d\n%s%s", code, out, says)
	}
	if says := ines.fails(2, "import", "catalogue", autumn); !strings.Contains(says, "3 new, 0 the same, 1 changed") {
		t.Errorf("nobody was asked: %s", says)
	}
	ines.must("import", "catalogue", autumn, "--yes")
	ines.must("edition", "show", "mossgate/3.2/latchwork")
	if out := ines.must("import", "catalogue", autumn, "--yes", "--rows", "all"); strings.Count(out, "\tsame\t") != 4 {
		t.Errorf("the same file again:\n%s", out)
	}
	newClient(t, server).fails(4, "import", "catalogue", autumn, "--dry-run")
	if out := ines.must("import", "system", file("os-release", "NAME=Harrowgate\nID=harrowgate\nVERSION_ID=2.0\n"), "--date", "2026-10-01", "--yes"); !strings.HasPrefix(
		out,
		"line\tfate\tabout\t",
	) {
		t.Errorf("a system:\n%s", out)
	}
	ines.must("edition", "show", "harrowgate/2.0/standard")
}

// sampleOf returns the sample of a catalogue in the command's help, without its indent.
func sampleOf(help string) string {
	_, rest, _ := strings.Cut(help, "\n  distributions:\n")
	sample, _, _ := strings.Cut(rest, "\n\n")
	return strings.ReplaceAll("\n  distributions:\n"+sample, "\n  ", "\n") + "\n"
}
