package intake_test

import (
	"strings"
	"sync"
	"testing"

	"dappertally/internal/access"
	"dappertally/internal/cataloguing"
	"dappertally/internal/imports"
	"dappertally/internal/intake"
	"dappertally/internal/servicetest"
)

// catalogueFile is the content of a catalogue file in YAML.
func catalogueFile(t *testing.T, text string) []imports.Entry {
	t.Helper()
	entries, err := imports.ReadCatalogue(strings.NewReader(text), "yaml")
	if err != nil {
		t.Fatal(err)
	}
	return entries
}

// TestImportCatalogue: a file is imported completely or not at all; parents may come in any order; existing entries are
// only changed in the fields that the file has.
func TestImportCatalogue(t *testing.T) {
	s, marit, ines := servicetest.Loaded(t)
	var change int64
	expect := func(text string, trial bool, want intake.Imported) []intake.Outcome {
		t.Helper()
		var h heard
		done, err := s.Intake.ImportCatalogue(t.Context(), ines, catalogueFile(t, text), trial, h.watch())
		if err != nil {
			t.Fatal(err)
		}
		change, done.Change = max(change, done.Change), 0
		if done != want {
			t.Errorf("%+v, want %+v: %+v", done, want, h.rows)
		}
		return h.rows
	}
	const good = `
- {kind: edition, key: thistlewick/1.10/awning, desktop: Awning}
- {kind: release, key: thistlewick/1.10, date: 2026-11-02}
- {kind: distribution, key: thistlewick, name: Thistlewick, model: fixed}
- {kind: distribution, key: mossgate, aim: Quiet}
- {kind: rig, key: bench-later, replaces: bench-tiny}
- {kind: rig, key: bench-tiny, cores: 4}
`
	expect(good, true, intake.Imported{New: 5, Changes: 1})
	// One bad row: nothing is written.
	rows := expect(good+"- {kind: edition, key: nowhere/1/x}\n", false, intake.Imported{New: 5, Changes: 1, Refused: 1})
	if last := rows[len(rows)-1]; last.Line != 8 || last.Column != "key" ||
		!strings.Contains(last.Why, "no nowhere/1") {
		t.Errorf("%+v", last)
	}
	expect(good, true, intake.Imported{New: 5, Changes: 1})
	rows = expect(good, false, intake.Imported{New: 5, Changes: 1, Written: true})
	if !strings.HasPrefix(rows[3].Why, "aim was ") || !strings.HasSuffix(rows[3].Why, ", is Quiet") {
		t.Errorf("%+v", rows[3])
	}
	expect(good, false, intake.Imported{Same: 6})
	state, err := s.State(t.Context(), change)
	if err != nil {
		t.Fatal(err)
	}
	if e, ok := state.Edition("thistlewick/1.10/awning"); !ok || e.Line != "awning" {
		t.Errorf("%+v, %v", e, ok)
	}
	if d := state.Catalogue.Distribution("mossgate"); d.Aim != "Quiet" || d.Name != "Mossgate" || len(d.Releases) == 0 {
		t.Errorf("%+v", d)
	}

	for text, want := range map[string]string{
		"rigs: [{key: bench-old, memoryMiB: 8192}]":                                                             "memoryMiB: bench-old has readings",
		"rigs: [{key: a1, replaces: b2}]":                                                                       "replaces: there is no rig",
		"rigs: [{key: a1}, {key: a1}]":                                                                          "key: line 1 has it already",
		"distributions: [{key: a1}]":                                                                            "model: must be one of",
		"distributions: [{key: a1, model: x, releases: [{version: 1, date: 2026-01-01}]}]":                      "key: a1 is refused, see line 1",
		"distributions: [{key: a1, model: fixed, releases: [{version: 1, date: 2026-02-30, tier: x}]}]":         `date: date: "2026-02-30" is not a date`,
		"distributions: [{key: mossgate, model: fixed, family: [mossgate]}]":                                    "be based on itself",
		"distributions: [{key: a1, model: fixed, releases: [{version: 1, date: 2026-01-01, cores: 4}]}]":        "cores: is not a field of a release",
		"distributions: [{key: mossgate, releases: [{version: 1/2, date: 2026-01-01}]}]":                        "distribution/version",
		"distributions: [{key: quaymark, releases: [{version: 22.1, editions: [{key: latchwork, line: ''}]}]}]": "",
	} {
		var h heard
		done, err := s.Intake.ImportCatalogue(t.Context(), ines, catalogueFile(t, text), true, h.watch())
		if err != nil || len(h.rows) == 0 {
			t.Fatal(text, err)
		}
		last := h.rows[len(h.rows)-1]
		if want == "" && done.Refused == 0 {
			continue
		}
		if !strings.Contains(last.Column+": "+last.Why, want) || done.Refused == 0 {
			t.Errorf("%s: %+v, want %q", text, last, want)
		}
	}
	for _, who := range []*access.Actor{{}, {ID: "x", Name: "x", Roles: []access.Role{access.Administrator}}} {
		if _, err := s.Intake.ImportCatalogue(t.Context(), who, catalogueFile(t, good), true, new(heard).watch()); err == nil {
			t.Errorf("%+v may import a catalogue", who)
		}
	}

	// An old key means the entry with its new key, also for new entries below it.
	if _, _, err := s.Cataloguing.Rename(t.Context(), marit, cataloguing.SortDistribution, "thistlewick", "thistle"); err != nil {
		t.Fatal(err)
	}
	rows = expect(
		"distributions: [{key: thistlewick, releases: [{version: 1.11, date: 2026-11-20}]}]",
		false,
		intake.Imported{New: 1, Same: 1, Written: true},
	)
	if !strings.Contains(rows[0].Why, "new name is thistle") {
		t.Errorf("%+v", rows[0])
	}
	if state, err = s.State(t.Context(), change); err != nil || state.Catalogue.Release("thistle/1.11") == nil {
		t.Errorf("the new release is not below the new name: %v", err)
	}
}

// TestImportCatalogueTwiceAtOnce: the same file from two people is imported once.
func TestImportCatalogueTwiceAtOnce(t *testing.T) {
	s, marit, ines := servicetest.Loaded(t)
	const text = "distributions: [{key: thistlewick, model: fixed, releases: [{version: 1, date: 2026-11-02, editions: [{key: a}, {key: b}]}]}]"
	var all sync.WaitGroup
	var mu sync.Mutex
	written, change := 0, int64(0)
	for i := range 6 {
		all.Go(func() {
			who := []*access.Actor{marit, ines}[i%2]
			done, err := s.Intake.ImportCatalogue(t.Context(), who, catalogueFile(t, text), false, new(heard).watch())
			mu.Lock()
			defer mu.Unlock()
			if done.Written {
				written, change = written+1, done.Change
			}
			if err != nil && !strings.Contains(err.Error(), "preview again") {
				t.Error(err)
			}
		})
	}
	all.Wait()
	state, err := s.State(t.Context(), change)
	if err != nil {
		t.Fatal(err)
	}
	if r := state.Catalogue.Release("thistlewick/1"); written != 1 || r == nil || len(r.Editions) != 2 {
		t.Errorf("written %d times: %+v", written, r)
	}
}
