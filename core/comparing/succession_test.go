package comparing

import (
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

func side(table *scoring.Table, edition string, reviews ...*reading.Review) Side {
	for _, c := range table.Scorecards(checklist.Audience{}) {
		if c.Edition == edition {
			return Side{Table: table, Card: &c, Edition: edition, Reviews: reviews, Ground: c.Overall}
		}
	}
	panic("no " + edition)
}

func TestSucceed(t *testing.T) {
	before := made("a/1/x", 1, start("old", 40), start("new", 20), menu(5), kernel("6.1"), formats("bale", "crate"))
	before.Findings = []reading.Finding{
		{Head: reading.Head{ID: "f1"}, Title: "Freezes"},
		{Head: reading.Head{ID: "f2"}, Title: "Slow"},
		{Head: reading.Head{ID: "f3"}, Title: "Nobody looked"},
	}
	after := made(
		"a/2/x",
		1,
		start("old", 30),
		start("new", 25),
		printing("works"),
		menu(7),
		kernel("6.4"),
		formats("bale", "sack"),
	)
	after.Findings = []reading.Finding{
		{
			Head:    reading.Head{ID: "g1"},
			Title:   "Freezes no more",
			Follows: "f1",
			Fate:    "fixed",
		}, {Head: reading.Head{ID: "g2"}, Title: "Slow", Follows: "f2", Fate: "still-there"},
		{Head: reading.Head{ID: "g3"}, Title: "Will not start", Severity: "blocking"},
	}
	after.Changes = []reading.Change{
		{Component: "Scanner", Was: "in the menu", Source: "found", Effect: "worse"},
		{Component: "Kernel", Was: "6.1", Is: "6.4", Source: "announced", Effect: "better"},
	}
	table := tabled(1, before, after)
	s := Succeed(side(table, "a/1/x", &before), side(table, "a/2/x", &after), nil)
	got := map[string]Developed{}
	for _, d := range s.Criteria {
		got[d.Criterion] = d
	}
	for criterion, want := range map[string]Development{"start": SplitByRig, "menu": Improved, "print": Newly, "kernel": FactChanged, "formats": FactChanged} {
		if got[criterion].Development != want {
			t.Errorf("%s: %+v, want %s", criterion, got[criterion], want)
		}
	}
	if f := got["formats"]; len(f.Gained) != 1 || f.Gained[0] != "sack" || len(f.Lost) != 1 || f.Lost[0] != "crate" {
		t.Errorf("formats: %+v", f)
	}
	if f := s.Findings; len(f.New) != 1 || len(f.Fixed) != 1 || len(f.StillThere) != 1 || len(f.Open) != 1 ||
		f.Open[0].ID != "f3" {
		t.Errorf("findings: %+v", f)
	}
	if len(s.Changes) != 2 || !s.Changes[0].Removal || s.Changes[1].Removal {
		t.Errorf("changes: %+v", s.Changes)
	}
	if s.Advice.Advice != "wait" {
		t.Errorf("higher, but with a new blocking finding: %+v", s.Advice)
	}
	// On another checklist version, criteria that are asked differently are not compared.
	other := made("a/2/x", 2, menu(7), start("old", 30))
	list := desk(2)
	list.Sections[1].Criteria[0].Scope = checklist.ScopeRelease
	newer := scoring.Tabulate(scoring.Input{Checklist: list, Reviews: []reading.Review{other}}, scoring.Options{})
	s = Succeed(side(table, "a/1/x", &before), side(newer, "a/2/x", &other), []string{"start"})
	for _, d := range s.Criteria {
		if d.Criterion == "menu" && d.Development != Otherwise {
			t.Errorf("menu on two lists: %+v", d)
		}
	}
}

func TestPropose(t *testing.T) {
	x := func(v float64) *float64 { return &v }
	for _, c := range []struct {
		name         string
		older, newer *float64
		barred       []string
		severity     string
		want         string
	}{
		{"higher", x(60), x(61), nil, "major", "upgrade"},
		{"higher by the margin", x(60), x(60.5), nil, "", "wait"},
		{"lower by the margin", x(60), x(59.5), nil, "", "wait"},
		{"lower", x(60), x(59.4), nil, "", "stay"},
		{"barred", x(60), x(80), []string{"wireless"}, "", "stay"},
		{"higher, new and blocking", x(60), x(80), nil, "blocking", "wait"},
		{"no score", nil, x(80), nil, "", "wait"},
	} {
		s := Succession{
			Older:    Stand{Ground: c.older},
			Newer:    Stand{Ground: c.newer, Barred: c.barred},
			Findings: FindingsOf{New: []reading.Finding{{Title: "F", Severity: c.severity}}},
		}
		if got := propose(&s, 0.5); got.Advice != c.want || len(got.Reasons) == 0 {
			t.Errorf("%s: %+v, want %s", c.name, got, c.want)
		}
	}
}
