package planning

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/reading"
)

var list = &checklist.Checklist{
	Key:     "desk",
	Version: 1,
	State:   checklist.InForce,
	Sections: []checklist.Section{{Key: "all", Weight: 1, Criteria: []checklist.Criterion{
		{
			Key:     "start",
			Kind:    checklist.Measure,
			Weight:  1,
			Better:  "lower",
			Context: checklist.Context{Method: "watch"},
			Runs:    checklist.Runs{Expect: 5},
		},
		{Key: "print", Kind: checklist.Check, Weight: 1, Needs: []string{"printer"}},
		{Key: "look", Kind: checklist.Grade, Weight: 1},
	}}},
}

func plan() *Plan {
	return &Plan{
		Title: "Old laptops", Question: "Which base?", Asks: "base", Equal: []string{"desktop"}, Checklist: "desk@1",
		Contenders: []Contender{
			{Edition: "a/1/x"},
			{Edition: "b/1/x"},
		}, Criteria: []string{"start", "look"}, Rigs: []string{"old"},
	}
}

func subject(family, desktop, review string) Subject {
	return Subject{
		Place: catalogue.Place{
			Distribution: &catalogue.Distribution{
				Family: []string{family},
			}, Release: &catalogue.Release{Stage: "final"},
			Edition: &catalogue.Edition{Desktop: desktop, Needs: catalogue.Needs{MemoryMiB: 1024}},
		},
		Review: review, Checklist: "desk@1",
	}
}

func TestWarnings(t *testing.T) {
	rigs := []catalogue.Rig{{Key: "old", MemoryMiB: 2048}, {Key: "other", Retired: true}}
	for _, c := range []struct {
		name  string
		spoil func(*Plan, map[string]Subject)
		sort  string // empty: no warning at all
		says  string
	}{
		{"sound", func(*Plan, map[string]Subject) {}, "", ""},
		{"desktops differ", func(_ *Plan, s map[string]Subject) { s["b/1/x"] = subject("heath", "Awning", "r2") }, "differs", "the desktop should be equal"},
		{"desktops differ though nobody said so", func(p *Plan, s map[string]Subject) {
			p.Equal = nil
			s["b/1/x"] = subject("heath", "Awning", "r2")
		}, "differs", "cannot be separated from the base"},
		{"same base", func(_ *Plan, s map[string]Subject) { s["b/1/x"] = subject("fen", "Hearth", "r2") }, "alike", "all contenders have the same: fen"},
		{"no review", func(_ *Plan, s map[string]Subject) { s["b/1/x"] = subject("heath", "Hearth", "") }, "review", "b/1/x"},
		{"another checklist", func(_ *Plan, s map[string]Subject) {
			x := s["b/1/x"]
			x.Checklist = "desk@2"
			s["b/1/x"] = x
		}, "checklist", "only the common ground"},
		{"pre-release", func(_ *Plan, s map[string]Subject) {
			x := s["b/1/x"]
			x.Release = &catalogue.Release{Stage: "pre-release"}
			s["b/1/x"] = x
		}, "stage", "a pre-release beside final releases"},
		{"no printer", func(p *Plan, _ map[string]Subject) { p.Criteria = append(p.Criteria, "print") }, "rig", "it has no printer"},
		{"too little memory", func(_ *Plan, s map[string]Subject) { s["b/1/x"].Edition.Needs.MemoryMiB = 4096 }, "memory", "requires 4096 MiB"},
		{"retired rig", func(p *Plan, _ map[string]Subject) { p.Rigs = []string{"old", "other"} }, "rig", "other is retired"},
		{"missing on the rig", func(*Plan, map[string]Subject) {}, "absent", "b/1/x has nothing of the plan on old, where a/1/x has"},
		{"too few runs", func(p *Plan, _ map[string]Subject) { p.Runs = 2 }, "runs", "expects 5 runs"},
	} {
		readings := map[string][]reading.Reading{
			"a/1/x": {{Criterion: "start", Rig: "old"}},
			"b/1/x": {{Criterion: "start", Rig: "old"}},
		}
		if c.sort == "absent" {
			readings["b/1/x"] = []reading.Reading{{Criterion: "start", Rig: "new"}}
		}
		p, subjects := plan(), map[string]Subject{
			"a/1/x": subject("fen", "Hearth", "r1"),
			"b/1/x": subject("heath", "Hearth", "r2"),
		}
		c.spoil(p, subjects)
		got := Warnings(p, list, subjects, rigs, readings)
		if c.sort == "" {
			if len(got) > 0 {
				t.Errorf("%s: %v", c.name, got)
			}
			continue
		}
		if len(got) != 1 || got[0].Sort != c.sort || !strings.Contains(got[0].Says, c.says) {
			t.Errorf("%s: want one warning %q saying %q, got %v", c.name, c.sort, c.says, got)
		}
	}
}

func TestValidate(t *testing.T) {
	for at, spoil := range map[string]func(*Plan){
		"/title":                func(p *Plan) { p.Title = " " },
		"/question":             func(p *Plan) { p.Question = strings.Repeat("x", 5000) },
		"/contenders":           func(p *Plan) { p.Contenders = p.Contenders[:1] },
		"/contenders/1/edition": func(p *Plan) { p.Contenders[1] = p.Contenders[0] },
		"/asks":                 func(p *Plan) { p.Asks = "colour" },
		"/equal/0":              func(p *Plan) { p.Equal = []string{"base"} },
		"/criteria/1":           func(p *Plan) { p.Criteria[1] = "start" },
		"/criteria":             func(p *Plan) { p.Criteria = nil },
		"/rigs":                 func(p *Plan) { p.Rigs = nil },
		"/runs":                 func(p *Plan) { p.Runs = -1 },
		"/held":                 func(p *Plan) { p.Held = make([]string, 100) },
	} {
		p := plan()
		spoil(p)
		var book fault.Book
		Validate(p, list, &book)
		if faults := book.List(); len(faults) != 1 || faults[0].Pointer != at {
			t.Errorf("want one fault at %s, got %v", at, faults)
		}
	}
}

func TestMatrix(t *testing.T) {
	grade := 7.0
	runs := func(rig, method string, n int) reading.Reading {
		return reading.Reading{
			Criterion: "start",
			Rig:       rig,
			Context:   checklist.Context{Method: method},
			Answer:    reading.Answer{Runs: make([]float64, n)},
		}
	}
	disturbed := runs("old", "watch", 5)
	disturbed.Disturbance = "a recorder"
	for _, c := range []struct {
		name     string
		readings []reading.Reading
		want     string
		runs     int
	}{
		{"nothing", nil, "open", 0},
		{"all runs", []reading.Reading{runs("old", "watch", 5)}, "done", 5},
		{"some runs", []reading.Reading{runs("old", "watch", 2), runs("old", "watch", 3)}, "begun", 3},
		{"another rig", []reading.Reading{runs("new", "watch", 5)}, "open", 0},
		{"another method", []reading.Reading{runs("old", "log", 5)}, "open", 0},
		{"disturbed", []reading.Reading{disturbed}, "open", 0},
		{"not tested", []reading.Reading{{Criterion: "start", Rig: "old", Answer: reading.Answer{NotTested: "no time"}}}, "not-tested", 0},
		{"another criterion", []reading.Reading{{Criterion: "look", Answer: reading.Answer{Grade: &grade}}}, "open", 0},
	} {
		d := Matrix(plan(), list, map[string][]reading.Reading{"a/1/x": c.readings})[0]
		if d.State != c.want || d.Runs != c.runs || d.Wanted != 5 {
			t.Errorf("%s: %+v, want %s with %d runs", c.name, d, c.want, c.runs)
		}
	}
}

// TestDraw checks that the random order is fair: each contender once in a round, none twice in a row, each first
// about equally often, and the same order for the same seed.
func TestDraw(t *testing.T) {
	names := []string{"a", "b", "c", "d"}
	draw := func(seed uint64) [][]string { return Draw(names, 400, rand.New(rand.NewPCG(seed, 1)).IntN) }
	rounds := draw(7)
	first := map[string]int{}
	for i, r := range rounds {
		sorted := slices.Clone(r)
		slices.Sort(sorted)
		if !slices.Equal(sorted, names) {
			t.Fatalf("round %d is %v", i, r)
		}
		if i > 0 && r[0] == rounds[i-1][3] {
			t.Errorf("%s ends round %d and begins the next", r[0], i-1)
		}
		first[r[0]]++
	}
	for _, n := range names {
		if first[n] < 70 || first[n] > 130 {
			t.Errorf("%s comes first in %d of 400 rounds", n, first[n])
		}
	}
	if again := draw(7); !slices.EqualFunc(rounds, again, slices.Equal) {
		t.Error("the same seed draws another order")
	}
	if len(Draw([]string{"a"}, 2, func(int) int { return 0 })) != 2 {
		t.Error("a single contender has no rounds")
	}
}
