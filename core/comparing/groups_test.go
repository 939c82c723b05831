package comparing

import (
	"math"
	"testing"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// against is GroupAgainstGroup with the checklist's own weights.
func against(t *scoring.Table, places map[string]catalogue.Place, q GroupQuestion) (Groups, error) {
	return GroupAgainstGroup(t, checklist.Audience{}, places, q)
}

// TestGroupAgainstGroup pairs by hand: a and b have both desktops, c has one.
func TestGroupAgainstGroup(t *testing.T) {
	table := tabled(1,
		made("a/1/awning", 1, menu(6), start("old", 20)), made("a/1/hearth", 1, menu(8), start("old", 30)),
		made("b/1/awning", 1, menu(5), start("old", 50)), made("b/1/hearth", 1, menu(6), start("old", 25)),
		made("c/1/awning", 1, menu(9)))
	places := placed(table.Editions...)
	g, err := against(table, places, GroupQuestion{"desktop", "Hearth", "Awning", []string{"release"}})
	if err != nil {
		t.Fatal(err)
	}
	if len(g.Pairs) != 2 || g.Pairs[0].A != "a/1/hearth" || g.Pairs[0].B != "a/1/awning" {
		t.Fatalf("pairs: %+v", g.Pairs)
	}
	menus := g.Criteria[1]
	if menus.Pairs != 2 || *menus.Mean != 15 || math.Abs(*menus.Spread-math.Sqrt(50)) > 1e-9 || *menus.Least != 10 ||
		*menus.Most != 20 ||
		menus.Better != 2 {
		t.Errorf("menu: %+v", menus)
	}
	if starts := g.Criteria[0]; *starts.Mean != (-10+25)/2.0 || starts.Better != 1 || starts.Worse != 1 {
		t.Errorf("start: %+v", starts)
	}
	if *g.Pairs[0].Difference != 5 || *g.Overall.Mean != (5+17.5)/2 {
		t.Errorf("overall: %+v, %+v", g.Pairs, g.Overall)
	}
	if m := g.Measures[1]; m.Over != 1 || *m.Ratio != 2 {
		t.Errorf("ratios: %+v", g.Measures)
	}
	// Without an equal release, every awning is paired with every hearth.
	if g, _ := against(table, places, GroupQuestion{"desktop", "hearth", "awning", nil}); len(
		g.Pairs,
	) != 6 {
		t.Errorf("free pairs: %+v", g.Pairs)
	}
	if g, _ := against(table, places, GroupQuestion{"base", "a", "b", []string{"desktop"}}); len(
		g.Pairs,
	) != 2 {
		t.Errorf("bases: %+v", g.Pairs)
	}
	if g, _ := against(table, places, GroupQuestion{"desktop", "hearth", "lantern", nil}); g.Overall.Mean != nil ||
		g.Overall.Pairs != 0 {
		t.Errorf("nobody: %+v", g.Overall)
	}
	for _, q := range []GroupQuestion{{"colour", "a", "b", nil}, {"desktop", "a", "a", nil}, {"desktop", "", "b", nil}, {"desktop", "a", "b", []string{"desktop"}}, {"desktop", "a", "b", []string{"smell"}}} {
		if _, err := against(table, places, q); err == nil {
			t.Errorf("%+v is no error", q)
		}
	}
}
