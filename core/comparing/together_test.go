package comparing

import (
	"context"
	"math"
	"os"
	"slices"
	"testing"

	"dappertally/core/bundle"
	"dappertally/core/checklist"
	"dappertally/core/ranking"
	"dappertally/core/scoring"
)

// TestTogether ranks two versions' editions together: each with its score on the common ground, from the newest
// version of its reviews.
func TestTogether(t *testing.T) {
	file, err := os.Open("../testdata/golden/versions.bundle.json")
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	b, err := bundle.Parse(file, 1<<30)
	if err != nil {
		t.Fatal(err)
	}
	older, newer := &b.Checklists[0], &b.Checklists[1]
	g, err := CommonGround(b.Input(newer), older, newer, scoring.Options{})
	if err != nil {
		t.Fatal(err)
	}
	ground, keys := Reduced(newer, []*checklist.Checklist{older})
	if !slices.Equal(keys, g.Criteria) || len(keys) == 0 {
		t.Fatalf("the ground is %v, not %v", keys, g.Criteria)
	}
	table := Together(b.Input(newer), &ground, newer, []*checklist.Checklist{older}, scoring.Options{})
	if !slices.IsSorted(table.Editions) {
		t.Errorf("not in the order of keys: %v", table.Editions)
	}
	joined := 0
	for i, card := range table.Scorecards(checklist.Audience{}) {
		if card.Checklist != table.ListOf(i) {
			t.Errorf("%s stands on %s and on %s", card.Edition, card.Checklist, table.ListOf(i))
		}
		if card.Checklist == older.Name() {
			joined++
			if slices.ContainsFunc(
				g.Scores, func(s GroundScore) bool { return s.Edition == card.Edition && s.Checklist == newer.Name() },
			) {
				t.Errorf("%s stands on the newer version and joined on the older", card.Edition)
			}
		}
		if want := g.Of(card.Edition, card.Checklist); want == nil || card.Overall == nil ||
			math.Abs(*want-*card.Overall) > 1e-9 {
			t.Errorf("%s on %s has %v, not %v", card.Edition, card.Checklist, card.Overall, want)
		}
	}
	if joined == 0 || joined == len(table.Editions) {
		t.Errorf("%d of %d editions are the older version's", joined, len(table.Editions))
	}
	order, err := ranking.Rank(table.Columns(), checklist.Audience{}, ranking.By{})
	if err != nil {
		t.Fatal(err)
	}
	// Varied cells are drawn from the table of the cell: draws without variation would give its points.
	steady, err := ranking.Vary(
		context.Background(),
		table,
		checklist.Audience{},
		&order,
		ranking.Variation{Draws: 200, Vary: ranking.VaryBoth, Seed: 7},
	)
	if err != nil || len(steady.Editions) != len(order.Ranking) {
		t.Errorf("%d of %d varied, %v", len(steady.Editions), len(order.Ranking), err)
	}
}

// TestReduced keeps what every version asks and scores in the same way.
func TestReduced(t *testing.T) {
	version := func(n int, change func(*checklist.Criterion)) *checklist.Checklist {
		c := desk(n)
		for s := range c.Sections {
			for i := range c.Sections[s].Criteria {
				change(&c.Sections[s].Criteria[i])
			}
		}
		return c
	}
	same := func(*checklist.Criterion) {}
	heavier := func(c *checklist.Criterion) { c.Weight++ }
	unit := func(c *checklist.Criterion) {
		if c.Key == "start" {
			c.Unit = "ms"
		}
	}
	other := func(c *checklist.Criterion) {
		if c.Key == "print" {
			c.Key = "paper"
		}
	}
	for _, c := range []struct {
		name  string
		older []*checklist.Checklist
		want  []string
	}{
		{"the same", []*checklist.Checklist{version(2, same)}, []string{"start", "menu", "print"}},
		{"another weight", []*checklist.Checklist{version(2, heavier)}, []string{"start", "menu", "print"}},
		{"another unit", []*checklist.Checklist{version(2, unit)}, []string{"menu", "print"}},
		{"of three", []*checklist.Checklist{version(2, unit), version(1, other)}, []string{"menu"}},
	} {
		newer := desk(3)
		ground, keys := Reduced(newer, c.older)
		if !slices.Equal(keys, c.want) {
			t.Errorf("%s: %v, want %v", c.name, keys, c.want)
		}
		if ground.Name() != newer.Name() || len(newer.Sections[1].Criteria) != 4 {
			t.Errorf("%s: the list itself was changed", c.name)
		}
	}
	if ground, _ := Reduced(desk(3), nil); len(ground.Sections[1].Criteria) != 4 {
		t.Error("without earlier versions something is left out")
	}
}
