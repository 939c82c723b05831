package comparing

import (
	"testing"

	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// TestNarrowed compares only on the requested rigs.
func TestNarrowed(t *testing.T) {
	reviews := []reading.Review{
		made("a/1/x", 1, start("old", 40), start("new", 10), start("vm", 5)),
		made("b/1/x", 1, start("old", 30), start("new", 20)),
		made("c/1/x", 1, start("old", 30), start("vm", 9)),
	}
	for _, c := range []struct {
		name    string
		opts    scoring.Options
		rigs    []string // of b against a
		outcome Outcome
		flips   int
	}{
		{"all", scoring.Options{}, []string{"new", "old"}, Split, 1},
		{"one rig", scoring.Options{Rigs: []string{"old"}}, []string{"old"}, Loss, 0},
		{"the rigs of all three", scoring.Options{CommonRigs: true}, []string{"old"}, Loss, 0},
		{"the rigs of two", scoring.Options{CommonRigs: true, Only: map[string]bool{"a/1/x": true, "b/1/x": true}}, []string{"new", "old"}, Split, 1},
		{"a rig that b lacks", scoring.Options{Rigs: []string{"vm"}}, nil, "", 0},
	} {
		table := scoring.Tabulate(scoring.Input{Checklist: desk(1), Reviews: reviews}, c.opts)
		against, err := Compare(table, "a/1/x", []string{"b/1/x"})
		if err != nil {
			t.Fatal(err)
		}
		var rigs []string
		for _, r := range against.Rows {
			rigs = append(rigs, r.Rig)
		}
		if len(rigs) != len(c.rigs) || (len(rigs) > 0 && rigs[0] != c.rigs[0]) {
			t.Errorf("%s: rows on %v, want %v", c.name, rigs, c.rigs)
		}
		h := MatchUp(table, []string{"a/1/x", "b/1/x"}, nil)
		if n := len(h.DependsOnMachine); n != c.flips {
			t.Errorf("%s: %d orders depend on the machine, want %d", c.name, n, c.flips)
		}
		var outcome Outcome
		if m := h.Pairs[0].Criteria; len(m) > 0 {
			outcome = m[0].Outcome
		}
		if outcome != c.outcome {
			t.Errorf("%s: %q, want %q", c.name, outcome, c.outcome)
		}
	}
}

// atBound sets the bound of the reading that a step adds.
func atBound(bound string, step func(*reading.Review)) func(*reading.Review) {
	return func(r *reading.Review) {
		step(r)
		r.Readings[len(r.Readings)-1].Bound = bound
	}
}

// TestBounds leaves a difference undecided if a bound allows the opposite order, for measures and for grades.
func TestBounds(t *testing.T) {
	for _, c := range []struct {
		name string
		a, b func(*reading.Review) // of a lower start time and a better grade, and of the others
		want Outcome
	}{
		{"exact", start("old", 20), start("old", 40), Win},
		{"about", atBound("about", start("old", 20)), start("old", 40), Win},
		{"the lower is at least that", atBound("at-least", start("old", 20)), start("old", 40), Tie},
		{"the lower is at most that", atBound("at-most", start("old", 20)), start("old", 40), Win},
		{"the higher is at most that", start("old", 20), atBound("at-most", start("old", 40)), Tie},
		{"the higher is at least that", start("old", 20), atBound("at-least", start("old", 40)), Win},
		{"exact grades", menu(8), menu(6), Win},
		{"the better grade is at most that", atBound("at-most", menu(8)), menu(6), Tie},
		{"the better grade is at least that", atBound("at-least", menu(8)), menu(6), Win},
		{"the worse grade is at least that", menu(8), atBound("at-least", menu(6)), Tie},
		{"grades half a grade apart", menu(6.5), menu(6), Tie},
	} {
		table := tabled(1, made("a/1/x", 1, c.a), made("b/1/x", 1, c.b))
		if got := MatchUp(table, nil, nil).Pairs[0].Criteria[0].Outcome; got != c.want {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
		table = tabled(1, made("a/1/x", 1, c.b), made("b/1/x", 1, c.a))
		turned := map[Outcome]Outcome{Win: Loss, Tie: Tie}[c.want]
		if got := MatchUp(table, nil, nil).Pairs[0].Criteria[0].Outcome; got != turned {
			t.Errorf("%s, the other way round: %q, want %q", c.name, got, turned)
		}
	}
}
