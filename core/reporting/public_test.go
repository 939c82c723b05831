package reporting_test

import (
	"bytes"
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dappertally/core/bundle"
	"dappertally/core/checklist"
	"dappertally/core/ranking"
	"dappertally/core/reading"
	"dappertally/core/reporting"
	"dappertally/core/scoring"
)

// everyPart is a report with all parts, for everybody.
func everyPart() *reporting.Spec {
	s := &reporting.Spec{Title: "All", Audiences: []string{""}}
	for _, k := range reporting.Kinds {
		s.Parts = append(s.Parts, reporting.Part{ID: k.Key, Kind: k.Key})
	}
	return s
}

func text(t *testing.T, v any) string {
	t.Helper()
	data, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// A report's own bundle is sound, and gives its editions the points that all the
// records give them.
func TestPublicComputesTheSame(t *testing.T) {
	files, err := filepath.Glob("../testdata/golden/*.bundle.json")
	if err != nil || len(files) < 10 {
		t.Fatalf("%d bundles: %v", len(files), err)
	}
	for _, file := range files {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".bundle.json"), func(t *testing.T) {
			in, err := os.Open(file)
			if err != nil {
				t.Fatal(err)
			}
			defer in.Close()
			records, err := bundle.Parse(in, 1<<30)
			if err != nil {
				t.Fatal(err)
			}
			for i := range records.Checklists {
				if list := &records.Checklists[i]; list.State == checklist.InForce {
					sameOf(t, records, list)
				}
			}
		})
	}
}

func sameOf(t *testing.T, records *bundle.Bundle, list *checklist.Checklist) {
	all := scoring.Tabulate(records.Input(list), scoring.Options{}).Editions
	chosen := all[:(len(all)+1)/2]
	if len(chosen) == 0 {
		return
	}
	var out bytes.Buffer
	if err := bundle.Write(&out, reporting.Public(records, list, chosen, everyPart())); err != nil {
		t.Fatal(err)
	}
	own, err := bundle.Parse(bytes.NewReader(out.Bytes()), 1<<30)
	if err != nil {
		t.Fatalf("its bundle is not sound: %v", err)
	}
	got, err := reporting.Compute(
		context.Background(),
		own,
		reporting.Question{Checklist: list.Name(), Audiences: []string{""}, Editions: chosen},
	)
	if err != nil {
		t.Fatal(err)
	}
	only := map[string]bool{}
	for _, e := range chosen {
		only[e] = true
	}
	table := scoring.Tabulate(records.Input(list), scoring.Options{Only: only})
	if want := table.Scorecards(checklist.Audience{}); text(t, got.Views[0].Cards) != text(t, want) {
		t.Errorf("%s: the scorecards of %v are others", list.Name(), chosen)
	}
	order, err := ranking.Rank(table.Columns(), checklist.Audience{}, ranking.By{})
	if err != nil {
		t.Fatal(err)
	}
	if text(t, got.Views[0].Ranking) != text(t, order) {
		t.Errorf("%s: the ranking of %v is another", list.Name(), chosen)
	}
	for i := range own.Reviews {
		for _, x := range own.Reviews[i].Readings {
			if x.Note != "" || x.Replaces != "" || !strings.HasPrefix(x.Reviewer, "r") {
				t.Errorf("a reading says more than a page may: %+v", x)
			}
		}
	}
	// What is public already loses nothing more.
	var again bytes.Buffer
	if err := bundle.Write(&again, reporting.Public(own, list, chosen, everyPart())); err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(out.Bytes(), again.Bytes()) {
		t.Errorf("%s: taking the public part of what is public gives something else", list.Name())
	}
}

// Parts decide what of the record comes along.
func TestPublicRecord(t *testing.T) {
	in, err := os.Open("../testdata/golden/plain.bundle.json")
	if err != nil {
		t.Fatal(err)
	}
	defer in.Close()
	records, err := bundle.Parse(in, 1<<30)
	if err != nil {
		t.Fatal(err)
	}
	list, err := scoring.Newest(records.Checklists, "")
	if err != nil {
		t.Fatal(err)
	}
	editions := scoring.Tabulate(records.Input(list), scoring.Options{}).Editions[:1]
	for i := range records.Reviews {
		r := &records.Reviews[i]
		if r.Edition == editions[0] {
			r.Journal = []reading.Journal{{Text: "A dull week."}}
			r.Findings = []reading.Finding{{Sort: "strength", Title: "Quick"}}
			r.Disclosures = []reading.Disclosure{{Head: reading.Head{Reviewer: "mara"}, Text: "Uses it at home."}}
		}
	}
	for _, c := range []struct {
		kinds    []string
		findings int
	}{{[]string{reporting.Ranking, reporting.Caveats}, 0}, {[]string{reporting.Findings, reporting.Caveats}, 1}} {
		spec := &reporting.Spec{Audiences: []string{""}}
		for _, k := range c.kinds {
			spec.Parts = append(spec.Parts, reporting.Part{ID: k, Kind: k})
		}
		b := reporting.Public(records, list, editions, spec)
		found, disclosed := 0, 0
		for _, r := range b.Reviews {
			found += len(r.Findings)
			disclosed += len(r.Disclosures)
			if len(r.Journal) > 0 || (len(r.Disclosures) > 0 && r.Disclosures[0].Reviewer == "mara") {
				t.Errorf("%v: a journal, or a name, is in the bundle", c.kinds)
			}
		}
		if found != c.findings || disclosed != 1 {
			t.Errorf("%v: %d findings and %d disclosures, want %d and 1", c.kinds, found, disclosed, c.findings)
		}
	}
}
