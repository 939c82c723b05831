package ranking

import (
	"errors"
	"math"
	"slices"
	"strings"
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// sheetOf returns points by edition and criterion; negative means none.
func sheetOf(
	policy checklist.Policy,
	sections []checklist.Section,
	editions []string,
	points [][]float64,
) ([]scoring.Scorecard, *checklist.Checklist, Ranking, *scoring.Columns) {
	list := &checklist.Checklist{Key: "desk", Version: 1, Policy: policy, Sections: sections}
	columns := scoring.NewColumns(list, editions)
	cards := make([]scoring.Scorecard, len(editions))
	scores := func(a checklist.Audience) scoring.Scores { return columns.Score(a, true) }
	for e := range editions {
		for i, p := range points[e] {
			if p >= 0 {
				columns.Set(e, i, scoring.Answered, p)
			}
		}
	}
	s := scores(checklist.Audience{})
	for e, edition := range editions {
		cards[e] = scoring.Scorecard{Edition: edition, Overall: &s.Overall[e]}
		var whole float64
		for k := range sections {
			if !math.IsNaN(s.Sections[k][e]) {
				whole += sections[k].Weight
			}
		}
		at := 0
		for k := range sections {
			card := scoring.SectionScore{Key: sections[k].Key}
			var within float64
			if !math.IsNaN(s.Sections[k][e]) {
				card.Score = &s.Sections[k][e]
			}
			for n := range sections[k].Criteria {
				if points[e][at+n] >= 0 {
					within += sections[k].Criteria[n].Weight
				}
			}
			for n := range sections[k].Criteria {
				c := scoring.CriterionScore{Cell: &scoring.Cell{Key: sections[k].Criteria[n].Key}}
				if points[e][at+n] >= 0 {
					c.Points = &points[e][at+n]
					c.Weight = sections[k].Weight / whole * sections[k].Criteria[n].Weight / within
				}
				cards[e].Criteria = append(cards[e].Criteria, c)
			}
			at += len(sections[k].Criteria)
			cards[e].Sections = append(cards[e].Sections, card)
		}
	}
	r, err := Rank(columns, checklist.Audience{}, By{})
	if err != nil {
		panic(err)
	}
	return cards, list, r, columns
}

func twoSections() []checklist.Section {
	grade := func(key string, weight float64) checklist.Criterion {
		return checklist.Criterion{Key: key, Kind: checklist.Grade, Weight: weight}
	}
	return []checklist.Section{
		{Key: "speed", Weight: 40, Criteria: []checklist.Criterion{grade("start", 1), grade("copy", 3)}},
		{Key: "ease", Weight: 60, Criteria: []checklist.Criterion{grade("menu", 2), grade("help", 2)}},
	}
}

// TestExplain works one difference out by hand, with an answer missing on one side.
func TestExplain(t *testing.T) {
	least := 0.5
	cards, list, r, _ := sheetOf(
		checklist.Policy{MinCoverage: &least},
		twoSections(),
		[]string{"a/1/x", "b/1/x"},
		[][]float64{{80, 60, 90, 70}, {40, 80, 50, -1}},
	)
	// a: speed 65, ease 80, overall 74; b: speed 70, ease 50, overall 58; m = 66.
	e, err := Explain(list, &cards[0], &cards[1], &r)
	if err != nil {
		t.Fatal(err)
	}
	want := []float64{
		0.1*(80-66) - 0.1*(40-66), 0.3*(60-66) - 0.3*(80-66),
		0.3*(90-66) - 0.6*(50-66), 0.3 * (70 - 66),
	}
	sum := 0.0
	for i, c := range e.Criteria {
		if math.Abs(c.Adds-want[i]) > 1e-9 {
			t.Errorf("%s adds %v, want %v", c.Key, c.Adds, want[i])
		}
		sum += c.Adds
	}
	if math.Abs(sum-16) > 1e-9 || math.Abs(e.Difference-16) > 1e-9 ||
		math.Abs(e.Sections[0].Adds+e.Sections[1].Adds-16) > 1e-9 ||
		e.Order != "" {
		t.Errorf("the parts sum to %v of %v; %+v", sum, e.Difference, e)
	}
	list.Policy.Balance = new(float64)
	if _, err := Explain(list, &cards[0], &cards[1], &r); !errors.Is(err, ErrBalance) {
		t.Errorf("with balance 0: %v", err)
	}
	list.Policy.Balance, cards[1].Overall = nil, nil
	if _, err := Explain(list, &cards[0], &cards[1], &r); err == nil {
		t.Error("without a score there is no error")
	}
}

// TestExplainOrder explains an order that differs from that of the scores.
func TestExplainOrder(t *testing.T) {
	margin := 5.0
	for _, c := range []struct {
		name     string
		decisive []string
		points   [][]float64
		want     string
	}{
		{"far apart", nil, [][]float64{{90, 90, 90, 90}, {10, 10, 10, 10}}, ""},
		{"a dead heat", nil, [][]float64{{82, 80, 80, 80}, {80, 80, 80, 80}}, "a dead heat: a/1/x and b/1/x share rank 1 although their scores differ"},
		{"equal", nil, [][]float64{{80, 80, 80, 80}, {80, 80, 80, 80}}, "a dead heat: both share rank 1"},
		{"decided against the score", []string{"start"}, [][]float64{{70, 84, 80, 80}, {80, 80, 80, 80}}, "a dead heat, decided by start: b/1/x is first although its score is lower"},
		{"decided by the second", []string{"start", "help"}, [][]float64{{80, 80, 80, 84}, {80, 80, 80, 80}}, "a dead heat, decided by help"},
	} {
		cards, list, r, _ := sheetOf(
			checklist.Policy{DeadHeat: &margin, Decisive: c.decisive},
			twoSections(),
			[]string{"a/1/x", "b/1/x"},
			c.points,
		)
		e, err := Explain(list, &cards[0], &cards[1], &r)
		if err != nil || e.Order != c.want {
			t.Errorf("%s: %q, %v, want %q", c.name, e.Order, err, c.want)
		}
	}
}

// TestTippingPoints solves a crossing by hand: with all sections scored the lead
// changes where t = D0/(D0 − D1).
func TestTippingPoints(t *testing.T) {
	_, list, r, columns := sheetOf(
		checklist.Policy{},
		twoSections(),
		[]string{"a/1/x", "b/1/x", "c/1/x"},
		[][]float64{{80, 60, 90, 70}, {90, 90, 60, 60}, {10, 10, 10, 10}},
	)
	// a: 65 and 80, overall 74; b: 90 and 60, overall 72.
	tips, err := TippingPoints(columns, checklist.Audience{}, &r)
	if err != nil {
		t.Fatal(err)
	}
	d0, d1 := 80.0-60, 65.0-90 // of speed: what a leads by without it, and in it
	speed := tips.Sections[0]
	if tips.Leader != "a/1/x" || speed.Share != 0.4 || speed.Down != nil || speed.Up == nil ||
		math.Abs(speed.Up.Share-d0/(d0-d1)) > 1e-12 ||
		speed.Up.Leader != "b/1/x" {
		t.Errorf("speed: %+v %+v", tips, speed.Up)
	}
	// At every reported point the lead really changes.
	for _, p := range append(slices.Clone(tips.Sections), tips.Criteria...) {
		for _, tip := range []*Tip{p.Up, p.Down} {
			if tip == nil {
				continue
			}
			gap := func(share float64) float64 {
				s := columns.Score(moved(list, p.Key, share), false)
				return s.Overall[0] - s.Overall[1]
			}
			if before, after := gap(tip.Share-1e-6), gap(tip.Share+1e-6); before*after >= 0 {
				t.Errorf("%s at %v: the lead is %v before and %v after", p.Key, tip.Share, before, after)
			}
		}
	}
	if i := slices.IndexFunc(tips.Criteria, func(p TipPoint) bool { return p.Key == "start" }); i < 0 ||
		tips.Criteria[i].Share != 0.25 {
		t.Errorf("criteria: %+v", tips.Criteria)
	}
	zero := 0.0
	list.Policy.Balance = &zero
	if _, err := TippingPoints(columns, checklist.Audience{}, &r); !errors.Is(err, ErrBalance) ||
		!strings.Contains(err.Error(), "balance 1") {
		t.Errorf("with balance 0: %v", err)
	}
	// A single section has none, and an empty ranking has no leader.
	_, list, r, columns = sheetOf(
		checklist.Policy{}, twoSections()[:1], []string{"a/1/x", "b/1/x"}, [][]float64{{80, 60}, {90, 10}},
	)
	if tips, _ := TippingPoints(columns, checklist.Audience{}, &r); tips.Sections[0].Up != nil ||
		tips.Sections[0].Down != nil ||
		tips.Sections[0].Share != 1 {
		t.Errorf("a single section: %+v", tips.Sections)
	}
	if tips, err := TippingPoints(columns, checklist.Audience{}, &Ranking{}); err != nil || tips.Leader != "" {
		t.Errorf("nobody ranked: %+v, %v", tips, err)
	}
}

// moved returns weights with the share of one section, or criterion, changed.
func moved(list *checklist.Checklist, key string, share float64) checklist.Audience {
	a := checklist.Audience{Sections: map[string]float64{}, Criteria: map[string]float64{}}
	var whole float64
	for _, s := range list.Sections {
		if s.Key == key {
			for _, other := range list.Sections {
				if other.Key != key {
					whole += other.Weight
				}
			}
			a.Sections[key] = share / (1 - share) * whole
		}
		whole = 0
		for _, c := range s.Criteria {
			if c.Key != key {
				whole += c.Weight
			}
		}
		for _, c := range s.Criteria {
			if c.Key == key {
				a.Criteria[key] = share / (1 - share) * whole
			}
		}
		whole = 0
	}
	return a
}

func TestWinnersOf(t *testing.T) {
	_, _, r, columns := sheetOf(
		checklist.Policy{}, twoSections(), []string{"a/1/x", "b/1/x"}, [][]float64{{80, 60, 70, 70}, {80, 90, 60, 70}},
	)
	w := WinnersOf(columns, checklist.Audience{}, &r)
	if !slices.Equal(w.Sections[0].Editions, []string{"b/1/x"}) ||
		!slices.Equal(w.Sections[1].Editions, []string{"a/1/x"}) {
		t.Errorf("sections: %+v", w.Sections)
	}
	if !slices.Equal(w.Criteria[0].Editions, []string{"a/1/x", "b/1/x"}) ||
		!slices.Equal(w.Criteria[1].Editions, []string{"b/1/x"}) {
		t.Errorf("criteria: %+v", w.Criteria)
	}
	// Where all are equal nobody wins.
	if w.Wins["a/1/x"] != (Wins{Alone: 1}) || w.Wins["b/1/x"] != (Wins{Alone: 1}) {
		t.Errorf("wins: %+v", w.Wins)
	}
}
