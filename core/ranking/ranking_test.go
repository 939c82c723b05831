package ranking

import (
	"reflect"
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

func number(x float64) *float64 { return &x }

func card(edition string, overall float64, points ...float64) scoring.Scorecard {
	c := scoring.Scorecard{Edition: edition, Overall: &overall, Coverage: 1}
	for i, p := range points {
		s := scoring.CriterionScore{Cell: &scoring.Cell{Key: string(rune('x' + i))}}
		if p >= 0 {
			s.Points = &p
		}
		c.Criteria = append(c.Criteria, s)
	}
	return c
}

type place struct {
	edition string
	rank    int
	heat    bool
	by      string
}

func TestRank(t *testing.T) {
	for _, c := range []struct {
		name     string
		cards    []scoring.Scorecard
		decisive []string
		want     []place
	}{
		{"apart", []scoring.Scorecard{card("b", 70), card("a", 80)}, nil,
			[]place{{"a", 1, false, ""}, {"b", 2, false, ""}}},
		{"a heat is measured from its first", []scoring.Scorecard{card("a", 80), card("b", 79.6), card("c", 79.2)}, nil,
			[]place{{"a", 1, true, ""}, {"b", 1, true, ""}, {"c", 3, false, ""}}},
		{"exactly the margin joins", []scoring.Scorecard{card("a", 80), card("b", 79.5)}, nil,
			[]place{{"a", 1, true, ""}, {"b", 1, true, ""}}},
		{"equal scores go by key", []scoring.Scorecard{card("b", 80), card("a", 80)}, nil,
			[]place{{"a", 1, true, ""}, {"b", 1, true, ""}}},
		{"a decisive criterion parts a heat", []scoring.Scorecard{card("a", 80, 10), card("b", 79.8, 50)}, []string{"x"},
			[]place{{"b", 1, true, ""}, {"a", 2, true, "x"}}},
		{"missing stands last", []scoring.Scorecard{card("a", 80, -1), card("b", 79.8, 0)}, []string{"x"},
			[]place{{"b", 1, true, ""}, {"a", 2, true, "x"}}},
		{"the second decides what the first left together", []scoring.Scorecard{card("a", 80, 50, 10), card("b", 79.9, 50.5, 40), card("c", 79.8, 90, 0)}, []string{"x", "y"},
			[]place{{"c", 1, true, ""}, {"b", 2, true, "x"}, {"a", 3, true, "y"}}},
	} {
		r, err := Rank(c.cards, checklist.Policy{Decisive: c.decisive}, By{})
		if err != nil {
			t.Fatal(err)
		}
		var got []place
		for _, p := range r.Ranking {
			got = append(got, place{p.Edition, p.Rank, p.DeadHeat, p.DecidedBy})
		}
		if !reflect.DeepEqual(got, c.want) {
			t.Errorf("%s: got %v, want %v", c.name, got, c.want)
		}
	}
}

func TestRankSetsApart(t *testing.T) {
	thin := card("thin", 95)
	thin.Coverage = 0.79
	enough := card("enough", 60)
	enough.Coverage = 0.8 - 1e-12
	blank := scoring.Scorecard{Edition: "blank", Coverage: 1}
	failed := card("failed", 99)
	failed.Barred = []scoring.Bar{{Criterion: "wireless", Points: 0, Needs: 60}}
	r, err := Rank([]scoring.Scorecard{blank, failed, thin, enough}, checklist.Policy{}, By{})
	if err != nil {
		t.Fatal(err)
	}
	if len(r.Ranking) != 1 || r.Ranking[0].Edition != "enough" {
		t.Errorf("ranked: %v", r.Ranking)
	}
	if len(r.Provisional) != 2 || r.Provisional[0].Edition != "thin" || r.Provisional[1].Edition != "blank" {
		t.Errorf("provisional: %v", r.Provisional)
	}
	if len(r.Barred) != 1 || r.Barred[0].Criteria[0] != "wireless" {
		t.Errorf("barred: %v", r.Barred)
	}
}

func TestRankBy(t *testing.T) {
	a, b := card("a", 90, 10), card("b", 50, 80)
	a.Sections = []scoring.SectionScore{{Key: "s", Score: number(20)}}
	b.Sections = []scoring.SectionScore{{Key: "s", Score: number(70)}}
	cards := []scoring.Scorecard{a, b}
	for _, by := range []By{{Section: "s"}, {Criterion: "x"}} {
		r, err := Rank(cards, checklist.Policy{}, by)
		if err != nil || r.Ranking[0].Edition != "b" {
			t.Errorf("by %v: %v, %v", by, r.Ranking, err)
		}
	}
	for _, by := range []By{{Section: "none"}, {Criterion: "none"}} {
		if _, err := Rank(cards, checklist.Policy{}, by); err == nil {
			t.Errorf("by %v: no error", by)
		}
	}
}
