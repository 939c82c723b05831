package scoring

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// twoRigs is two editions, b without the new rig; a graded on the old one alone.
func twoRigs() Input {
	at := time.Date(2026, 5, 1, 0, 0, 0, 0, time.UTC)
	list := &checklist.Checklist{
		Key:     "desk",
		Version: 1,
		State:   checklist.InForce,
		Sections: []checklist.Section{{Key: "all", Weight: 1, Criteria: []checklist.Criterion{
			{
				Key:    "start",
				Kind:   checklist.Measure,
				Weight: 1,
				Unit:   "s",
				Better: "lower",
				Curve:  &checklist.Curve{Shape: checklist.Field},
			},
			{Key: "menu", Kind: checklist.Grade, Weight: 1},
		}}},
	}
	grade := 7.0
	run := func(id, rig string, runs ...float64) reading.Reading {
		return reading.Reading{
			ID:        id,
			Criterion: "start",
			Rig:       rig,
			Reviewer:  "ines",
			At:        at,
			Answer:    reading.Answer{Runs: runs},
		}
	}
	review := func(edition string, readings ...reading.Reading) reading.Review {
		readings = append(
			readings,
			reading.Reading{
				ID:        "g",
				Criterion: "menu",
				Rig:       "old",
				Reviewer:  "ines",
				At:        at,
				Answer:    reading.Answer{Grade: &grade},
			},
		)
		return reading.Review{
			ID:        edition,
			Edition:   edition,
			Checklist: "desk@1",
			State:     reading.Accepted,
			Accepted:  &at,
			Readings:  readings,
		}
	}
	return Input{Checklist: list, Reviews: []reading.Review{
		review("a/1/x", run("1", "old", 40, 60, 50), run("2", "new", 20)), review("b/1/x", run("1", "old", 25)),
	}}
}

// TestOptionsNarrow asks for single rigs and single editions.
func TestOptionsNarrow(t *testing.T) {
	for _, c := range []struct {
		name        string
		opts        Options
		start, menu []float64 // points, NaN is not tested
	}{
		{"everything", Options{}, []float64{75, 100}, []float64{70, 70}},
		{"the old rig", Options{Rigs: []string{"old"}}, []float64{50, 100}, []float64{70, 70}},
		{"the new rig: what is not measured counts from anywhere", Options{Rigs: []string{"new"}}, []float64{100, math.NaN()}, []float64{70, 70}},
		{"a rig that nobody has", Options{Rigs: []string{}}, []float64{math.NaN(), math.NaN()}, []float64{70, 70}},
		{"a alone, against the best of all", Options{Only: map[string]bool{"a/1/x": true}}, []float64{75}, []float64{70}},
		{"common rigs", Options{CommonRigs: true}, []float64{50, 100}, []float64{70, 70}},
		{"common rigs of a alone", Options{CommonRigs: true, Only: map[string]bool{"a/1/x": true}}, []float64{75}, []float64{70}},
	} {
		table := Tabulate(twoRigs(), c.opts)
		if len(table.Editions) != len(c.start) {
			t.Errorf("%s: %v", c.name, table.Editions)
			continue
		}
		for e := range table.Editions {
			for i, want := range []float64{c.start[e], c.menu[e]} {
				if got := table.Cell(e, i).Points; (got == nil) != math.IsNaN(want) ||
					(got != nil && math.Abs(*got-want) > 1e-9) {
					t.Errorf("%s: %s %s: %v, want %v", c.name, table.Editions[e], table.Criteria[i].Key, got, want)
				}
			}
			if _, err := table.Traces(table.Editions[e]); err != nil {
				t.Errorf("%s: %v", c.name, err)
			}
		}
	}
}

// TestVaried draws stay among what the runs allow, and leave alone what was run once.
func TestVaried(t *testing.T) {
	table := Tabulate(twoRigs(), Options{})
	varied := table.Varied([]int{0, 1})
	if len(varied) != 1 || varied[0].Edition != 0 || varied[0].Criterion != 0 {
		t.Fatalf("%d cells can be drawn", len(varied))
	}
	random := rand.New(rand.NewPCG(1, 2))
	least, most := math.Inf(1), math.Inf(-1)
	for range 200 {
		p := varied[0].Draw(random)
		least, most = min(least, p), max(most, p)
	}
	// The best of the field stays 25: from 40 s to 60 s on the old rig, 100 on the new.
	low, high := (100*25.0/60+100)/2, (100*25.0/40+100)/2
	if math.Abs(least-low) > 1e-9 || math.Abs(most-high) > 1e-9 {
		t.Errorf("drawn between %v and %v, want %v and %v", least, most, low, high)
	}
}
