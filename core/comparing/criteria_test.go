package comparing

import (
	"slices"
	"strings"
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// TestCriteriaOf compares three editions side by side: which one wins, what is too close, what is not answered and
// why, and where two rigs disagree.
func TestCriteriaOf(t *testing.T) {
	table := tabled(
		1,
		made("a/1/x", 1, start("old", 40), start("new", 10), menu(7), printing("works")),
		made(
			"b/1/x",
			1,
			start("old", 30),
			start("new", 20),
			menu(7.5),
			with("print", "", reading.Answer{NotTested: "no printer at hand"}),
		),
		made("c/1/x", 1, start("old", 80), menu(4), printing("fails")),
	)
	editions := []string{"a/1/x", "b/1/x", "c/1/x"}
	against := map[string]string{"b/1/x": "a/1/x", "c/1/x": "a/1/x"}
	c, err := Compare(table, "a/1/x", nil)
	if err != nil {
		t.Fatal(err)
	}
	rows := CriteriaOf(table, editions, against, c.Rows)
	for i, want := range []struct {
		criterion string
		verdicts  []Verdict
		reasons   []string
		winners   []string
		differs   bool
		close     bool
	}{
		{"start", []Verdict{"", TooClose, Worse}, []string{"", "split by rig", ""}, []string{"a/1/x", "b/1/x"}, true, false},
		{"menu", []Verdict{"", TooClose, Worse}, []string{"", "", ""}, []string{"b/1/x"}, true, false},
		{"print", []Verdict{"", "", Worse}, []string{"", "no printer at hand", ""}, []string{"a/1/x"}, true, false},
	} {
		got := rows[i]
		var verdicts []Verdict
		var reasons []string
		for n, cell := range got.Cells {
			verdicts, reasons = append(verdicts, cell.Verdict), append(reasons, cell.Reason)
			if cell.Edition != editions[n] {
				t.Errorf("%s: cell %d is of %s", want.criterion, n, cell.Edition)
			}
		}
		if got.Criterion != want.criterion || !slices.Equal(verdicts, want.verdicts) ||
			!slices.Equal(reasons, want.reasons) {
			t.Errorf("%s: %q with %q, want %q with %q", got.Criterion, verdicts, reasons, want.verdicts, want.reasons)
		}
		if !slices.Equal(got.Winners, want.winners) || got.Differs != want.differs || got.Close != want.close {
			t.Errorf(
				"%s: won by %v, differs %t, close %t; want %v, %t, %t",
				got.Criterion,
				got.Winners,
				got.Differs,
				got.Close,
				want.winners,
				want.differs,
				want.close,
			)
		}
	}
	if len(rows) != 3 {
		t.Errorf("%d rows; facts are none", len(rows))
	}
	two := CriteriaOf(table, editions[:2], against, c.Rows)
	if two[1].Differs || !two[1].Close || slices.Contains(two[0].Winners, "c/1/x") {
		t.Errorf("of two: %+v", two[1])
	}
	equal := CriteriaOf(
		tabled(1, made("a/1/x", 1, printing("works")), made("b/1/x", 1, printing("works"))), editions[:2], against, nil,
	)
	if row := equal[2]; len(row.Winners) > 0 || row.Differs || !row.Close {
		t.Errorf("equal: %+v; nobody wins where all are equal", row)
	}
}

// TestReasons checks the reason for every part of the context that differs.
func TestReasons(t *testing.T) {
	in := func(context checklist.Context, step func(*reading.Review)) func(*reading.Review) {
		return func(r *reading.Review) {
			step(r)
			r.Readings[len(r.Readings)-1].Context = context
		}
	}
	by := func(reviewer string, step func(*reading.Review)) func(*reading.Review) {
		return func(r *reading.Review) {
			step(r)
			r.Readings[len(r.Readings)-1].Reviewer = reviewer
		}
	}
	for _, c := range []struct {
		name  string
		a, b  []func(*reading.Review)
		says  string // empty: they compare
		other string // further conditions
	}{
		{"alike", []func(*reading.Review){in(checklist.Context{Method: "stopwatch"}, start("old", 20))}, []func(*reading.Review){in(checklist.Context{Method: "stopwatch"}, start("old", 40))}, "", ""},
		{"methods", []func(*reading.Review){in(checklist.Context{Method: "stopwatch"}, start("old", 20))}, []func(*reading.Review){in(checklist.Context{Method: "log"}, start("old", 40))}, "method differs", "log here, stopwatch at the baseline"},
		{"a method and none", []func(*reading.Review){start("old", 20)}, []func(*reading.Review){in(checklist.Context{Method: "log"}, start("old", 40))}, "method differs", "none stated at the baseline"},
		{"setups", []func(*reading.Review){in(checklist.Context{Setup: "low"}, start("old", 20))}, []func(*reading.Review){in(checklist.Context{Setup: "high"}, start("old", 40))}, "setup differs", "high here"},
		{"phases", []func(*reading.Review){in(checklist.Context{Phase: "live"}, start("old", 20))}, []func(*reading.Review){in(checklist.Context{Phase: "updated"}, start("old", 40))}, "phase differs", "updated here"},
		{"one side in two", []func(*reading.Review){in(checklist.Context{Phase: "live"}, start("old", 20)), by("odile", in(checklist.Context{Phase: "updated"}, start("old", 22)))}, []func(*reading.Review){in(checklist.Context{Phase: "live"}, start("old", 40))}, "several contexts", ""},
		{"other rigs", []func(*reading.Review){start("old", 20)}, []func(*reading.Review){start("new", 40)}, "no row", ""},
	} {
		table := tabled(1, made("a/1/x", 1, c.a...), made("b/1/x", 1, c.b...))
		got, err := Compare(table, "a/1/x", nil)
		if err != nil {
			t.Fatal(err)
		}
		if c.says == "no row" {
			if len(got.Rows) != 0 || got.GeometricMeans[0].Ratio != nil {
				t.Errorf("%s: %+v", c.name, got)
			}
			continue
		}
		row := got.Rows[0]
		if c.says == "" {
			if row.Verdict != Worse || row.Reason != "" || *row.Percent != 100 || *row.Difference != 20 {
				t.Errorf("%s: %+v", c.name, row)
			}
			continue
		}
		if row.Verdict != NotComparable || !strings.Contains(row.Reason, c.says) ||
			!strings.Contains(row.Reason, c.other) {
			t.Errorf("%s: %q, %q; want %q", c.name, row.Verdict, row.Reason, c.says)
		}
		if row.Value != nil || row.BaselineValue != nil || row.Percent != nil || got.GeometricMeans[0].Over != 0 {
			t.Errorf("%s: what is not comparable has numbers: %+v", c.name, row)
		}
		if rows := CriteriaOf(table, []string{"b/1/x"}, map[string]string{"b/1/x": "a/1/x"}, got.Rows); rows[0].Cells[0].Verdict != NotComparable ||
			rows[0].Cells[0].Reason != row.Reason {
			t.Errorf("%s: side by side it is %+v", c.name, rows[0].Cells[0])
		}
		if pairs := MatchUp(table, nil, nil).Pairs; len(pairs[0].Criteria) != 0 {
			t.Errorf("%s: it counts in head-to-head", c.name)
		}
	}
}

// A baseline of 0 has a difference, but no percentage.
func TestNothingIsAPercentageOfNothing(t *testing.T) {
	c, err := Compare(tabled(1, made("a/1/x", 1, start("old", 0)), made("b/1/x", 1, start("old", 12))), "a/1/x", nil)
	if err != nil {
		t.Fatal(err)
	}
	if row := c.Rows[0]; row.Percent != nil || *row.Difference != 12 || row.Verdict != Worse {
		t.Errorf("%+v", row)
	}
	if _, err := Compare(tabled(1, made("a/1/x", 1, start("old", 0))), "b/1/x", nil); err == nil {
		t.Error("a baseline that is not there is no error")
	}
}
