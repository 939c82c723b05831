package comparing

import (
	"reflect"
	"testing"
)

// TestMatchUp distinguishes wins, losses, ties and splits.
func TestMatchUp(t *testing.T) {
	table := tabled(1,
		made("a/1/x", 1, start("old", 40), start("new", 10), menu(7), printing("works")),
		made("b/1/x", 1, start("old", 30), start("new", 20), menu(7.5), printing("fails")),
		made("c/1/x", 1, start("old", 30), menu(4)),
		made("d/1/x", 1, start("vm", 30), menu(4)))
	h := MatchUp(table, nil, []Placing{{"Which scrolls more smoothly?", [][]string{{"b/1/x"}, {"a/1/x", "c/1/x"}}}})
	for _, c := range []struct {
		a, b                       string
		wins, losses, ties, splits int
	}{
		{"a/1/x", "b/1/x", 1, 1, 2, 1}, // print; the placing; menu within half a grade, start split by rig
		{"a/1/x", "c/1/x", 1, 1, 1, 0}, // menu; start on the rig they share; the placing
		{"a/1/x", "d/1/x", 1, 0, 0, 0}, // no rig in common
		{"b/1/x", "c/1/x", 2, 0, 1, 0},
		{"b/1/x", "d/1/x", 1, 0, 0, 0},
		{"c/1/x", "d/1/x", 0, 0, 1, 0},
	} {
		found := false
		for _, p := range h.Pairs {
			if p.A != c.a || p.B != c.b {
				continue
			}
			found = true
			if p.Wins != c.wins || p.Losses != c.losses || p.Ties != c.ties || p.Splits != c.splits {
				t.Errorf("%s against %s: %+v, want %d, %d, %d, %d", c.a, c.b, p, c.wins, c.losses, c.ties, c.splits)
			}
		}
		if !found {
			t.Errorf("no pair %s, %s", c.a, c.b)
		}
	}
	want := []Flip{{"start", "a/1/x", "b/1/x", []string{"new"}, []string{"old"}}}
	if !reflect.DeepEqual(h.DependsOnMachine, want) {
		t.Errorf("depends on the machine: %v, want %v", h.DependsOnMachine, want)
	}
	if two := MatchUp(table, []string{"a/1/x", "d/1/x"}, nil); len(two.Pairs) != 1 {
		t.Errorf("of two editions: %d pairs", len(two.Pairs))
	}
}

func TestCompareBaselines(t *testing.T) {
	table := tabled(1,
		made("a/1/x", 1, start("old", 40)), made("a/2/x", 1, start("old", 30)),
		made("b/1/x", 1, start("old", 20)), made("b/2/x", 1, start("old", 20.5)))
	c := CompareEach(table, map[string]string{"a/2/x": "a/1/x", "b/2/x": "b/1/x", "b/1/x": "gone/1/x"})
	if len(c.Rows) != 2 || c.Rows[0].Verdict != Better || *c.Rows[0].Percent != -25 || c.Rows[1].Verdict != TooClose ||
		c.Rows[1].Baseline != "b/1/x" {
		t.Errorf("each against the one before: %+v", c.Rows)
	}
	records := []Records{{Criterion: "start", Rig: "old", Records: []Record{{Value: 20, Edition: "b/1/x"}}}}
	c = CompareWithRecords(table, records, []string{"a/2/x", "b/2/x"})
	if len(c.Rows) != 2 || c.Rows[0].Verdict != Worse || *c.Rows[0].Percent != 50 || c.Rows[0].Baseline != "b/1/x" ||
		c.Rows[1].Verdict != TooClose {
		t.Errorf("against the record: %+v", c.Rows)
	}
	if c.GeometricMeans[0].Over != 1 || *c.GeometricMeans[0].Ratio > 0.67 || *c.GeometricMeans[0].Ratio < 0.66 {
		t.Errorf("means against the record: %+v", c.GeometricMeans)
	}
	if c := CompareWithRecords(table, nil, []string{"a/2/x"}); c.Rows[0].Verdict != NotComparable ||
		c.Rows[0].Reason == "" {
		t.Errorf("without a record: %+v", c.Rows)
	}
}

// TestPlace counts places from 1; those who share one come before as many as they are.
func TestPlace(t *testing.T) {
	p := Placing{Order: [][]string{{"a/1/x", "b/1/x"}, {"c/1/x"}, {}, {"d/1/x"}}}
	for edition, want := range map[string]int{"a/1/x": 1, "b/1/x": 1, "c/1/x": 3, "d/1/x": 4, "e/1/x": 0} {
		if got := p.Place(edition); got != want {
			t.Errorf("%s has the place %d, want %d", edition, got, want)
		}
	}
	if got := (&Placing{}).Place("a/1/x"); got != 0 {
		t.Errorf("in a test that nobody took part in: %d", got)
	}
}
