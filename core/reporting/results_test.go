package reporting_test

import (
	"math"
	"os"
	"slices"
	"strings"
	"testing"

	"dappertally/core/bundle"
	"dappertally/core/comparing"
	"dappertally/core/reporting"
	"dappertally/core/scoring"
)

func golden(t *testing.T, name string) *bundle.Bundle {
	t.Helper()
	in, err := os.Open("../testdata/golden/" + name + ".bundle.json")
	if err != nil {
		t.Fatal(err)
	}
	defer in.Close()
	b, err := bundle.Parse(in, 1<<30)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// standing lists the editions with an accepted review on a bundle's newest list.
func standing(t *testing.T, b *bundle.Bundle) []string {
	t.Helper()
	list, err := scoring.Newest(b.Checklists, "")
	if err != nil {
		t.Fatal(err)
	}
	return scoring.Tabulate(b.Input(list), scoring.Options{}).Editions
}

// The choices that a report leaves open are made, and returned with the results.
func TestComputeSettles(t *testing.T) {
	b := golden(t, "plain")
	r, err := reporting.Compute(
		t.Context(), b, reporting.Question{Audiences: []string{"", "newcomer"}, Editions: standing(t, b)},
	)
	if err != nil {
		t.Fatal(err)
	}
	leader := r.Views[0].Ranking.Ranking[0].Edition
	if r.Baseline != leader || r.Comparison.Baseline != leader {
		t.Errorf("the baseline is %s, not the leader %s", r.Baseline, leader)
	}
	if len(r.Editions) != len(r.Views[0].Cards) || !slices.IsSorted(r.Editions) {
		t.Errorf("the editions are %v", r.Editions)
	}
	if len(r.Systems) > 0 && r.Systems[0].Edition != r.Baseline {
		t.Errorf("systems begin with %s", r.Systems[0].Edition)
	}
	for i := range r.Views {
		v := &r.Views[i]
		if len(v.Ranking.Ranking) > 1 {
			e := v.Explanation
			if e == nil || e.A != v.Ranking.Ranking[0].Edition || e.B != v.Ranking.Ranking[1].Edition {
				t.Errorf("%q: what is explained is %+v", v.Audience.Key, e)
			}
		}
		if v.Steadiness.Seed != reporting.Seed || v.Tipping == nil {
			t.Errorf("%q: varied with seed %d, tipping %v", v.Audience.Key, v.Steadiness.Seed, v.Tipping)
		}
		for _, p := range v.Ranking.Ranking {
			if v.Place(p.Edition).Rank != p.Rank || v.Card(p.Edition).Overall == nil {
				t.Errorf("%s is not found again", p.Edition)
			}
		}
		if v.Place("nowhere/1/x") != nil || v.Card("nowhere/1/x") != nil {
			t.Error("an edition that is not there has a place")
		}
	}
	one := r.Editions[:2]
	few, err := reporting.Compute(
		t.Context(), b, reporting.Question{Audiences: []string{""}, Editions: one, Baseline: one[1]},
	)
	if err != nil || !slices.Equal(few.Editions, one) || few.Baseline != one[1] {
		t.Errorf("of two editions: %v against %s, %v", few.Editions, few.Baseline, err)
	}
	for _, row := range few.Comparison.Rows {
		if row.Edition != one[0] {
			t.Errorf("a row of %s", row.Edition)
		}
	}
	if few.Name(one[0]) == one[0] || few.Name("nowhere/1/x") != "nowhere/1/x" {
		t.Errorf("%s is called %q", one[0], few.Name(one[0]))
	}
}

func TestComputeRefuses(t *testing.T) {
	b := golden(t, "plain")
	all := standing(t, b)
	for _, c := range []struct {
		q    reporting.Question
		says string
	}{
		{reporting.Question{Editions: all}, "at least one"},
		{reporting.Question{Audiences: []string{""}}, "none of the editions"},
		{reporting.Question{Audiences: []string{"nobody"}, Editions: all}, `no audience "nobody"`},
		{reporting.Question{Audiences: []string{""}, Checklist: "desk@9"}, "desk@9"},
		{reporting.Question{Audiences: []string{""}, Editions: []string{"nowhere/1/x"}}, "none of the editions"},
		{reporting.Question{Audiences: []string{""}, Editions: all, Baseline: "nowhere/1/x"}, "no accepted review"},
	} {
		if _, err := reporting.Compute(t.Context(), b, c.q); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%+v: %v, want %q", c.q, err, c.says)
		}
	}
}

// A line joins releases on different lists by what both ask alike, and the last of it
// is the edition that the report is about.
func TestLines(t *testing.T) {
	b := golden(t, "versions")
	r, err := reporting.Compute(t.Context(), b, reporting.Question{Audiences: []string{""}, Editions: standing(t, b)})
	if err != nil {
		t.Fatal(err)
	}
	if len(r.Lines) == 0 {
		t.Fatal("no edition has a release before it")
	}
	older, err := scoring.Newest(b.Checklists, "desk@1")
	if err != nil {
		t.Fatal(err)
	}
	ground, err := comparing.CommonGround(b.Input(r.List), older, r.List, scoring.Options{})
	if err != nil {
		t.Fatal(err)
	}
	crossed := 0
	for _, line := range r.Lines {
		last := line.Points[len(line.Points)-1]
		if last.Edition != line.Edition || line.Succession.Newer.Edition != line.Edition ||
			last.Checklist != r.List.Name() {
			t.Errorf("the line of %s ends with %+v", line.Edition, last)
		}
		for i, p := range line.Points {
			if i > 0 && p.Date < line.Points[i-1].Date {
				t.Errorf("%s: %s comes after %s", line.Edition, p.Date, line.Points[i-1].Date)
			}
			if p.Checklist == r.List.Name() {
				if p.Ground != p.Overall {
					t.Errorf("%s has two scores on one list", p.Edition)
				}
				continue
			}
			crossed++
			want := ground.Of(p.Edition, p.Checklist)
			if want == nil || p.Ground == nil || math.Abs(*want-*p.Ground) > 1e-9 {
				t.Errorf("%s on common ground: %v, want %v", p.Edition, p.Ground, want)
			}
		}
	}
	if crossed == 0 {
		t.Error("no line crosses from one list to another")
	}
}
