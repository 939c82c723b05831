package ranking

import (
	"math"
	"slices"
	"testing"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

func TestTauB(t *testing.T) {
	for _, c := range []struct {
		name string
		x, y []int
		want float64
		none bool
	}{
		{"the same", []int{1, 2, 3}, []int{1, 2, 3}, 1, false},
		{"turned round", []int{1, 2, 3}, []int{3, 2, 1}, -1, false},
		{"one pair swapped", []int{1, 2, 3, 4}, []int{2, 1, 3, 4}, 4.0 / 6, false},
		// Pairs: 6; one tied in x, none in y; of the other five all agree.
		{"a tie in one", []int{1, 1, 3, 4}, []int{1, 2, 3, 4}, 5 / math.Sqrt(5*6), false},
		{"nothing but ties", []int{1, 1, 1}, []int{1, 2, 3}, 0, true},
		{"one thing", []int{1}, []int{1}, 0, true},
		{"nothing", nil, nil, 0, true},
	} {
		got := TauB(c.x, c.y)
		if c.none != (got == nil) || (got != nil && math.Abs(*got-c.want) > 1e-12) {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
	}
}

// TestEffectOf works a proposal out by hand: two criteria in one section. As it
// is, a has (80 + 40)/2 = 60 and b (40 + 70)/2 = 55; with speed weighing 3 and its
// curve steeper, a's speed has 60 and b's 0.
func TestEffectOf(t *testing.T) {
	at := time.Date(2026, 5, 1, 0, 0, 0, 0, time.UTC)
	list := &checklist.Checklist{
		Key:     "desk",
		Version: 1,
		State:   checklist.InForce,
		Sections: []checklist.Section{{Key: "all", Weight: 1, Criteria: []checklist.Criterion{
			{
				Key:    "speed",
				Kind:   checklist.Measure,
				Weight: 1,
				Unit:   "s",
				Better: "lower",
				Curve:  &checklist.Curve{Shape: checklist.Span, Poor: 100, Ideal: 0},
			},
			{Key: "ease", Kind: checklist.Grade, Weight: 1},
		}}},
	}
	review := func(edition string, speed, ease float64) reading.Review {
		return reading.Review{
			ID:        edition,
			Edition:   edition,
			Checklist: "desk@1",
			State:     reading.Accepted,
			Accepted:  &at,
			Readings: []reading.Reading{
				{ID: "1", Criterion: "speed", Reviewer: "ines", At: at, Answer: reading.Answer{Runs: []float64{speed}}},
				{ID: "2", Criterion: "ease", Reviewer: "ines", At: at, Answer: reading.Answer{Grade: &ease}},
			},
		}
	}
	in := scoring.Input{Checklist: list, Reviews: []reading.Review{review("a/1/e", 20, 4), review("b/1/e", 60, 7)}}

	steeper := list.Clone()
	steeper.Version = 2
	steeper.Sections[0].Criteria[0].Weight = 3
	steeper.Sections[0].Criteria[0].Curve.Poor = 50
	e, err := EffectOf(in, steeper, scoring.Options{})
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range []struct{ now, then float64 }{{60, (3*60 + 40) / 4.0}, {55, 70 / 4.0}} {
		if m := e.Moves[i]; math.Abs(*m.ScoreNow-want.now) > 1e-9 || math.Abs(*m.ScoreThen-want.then) > 1e-9 ||
			*m.Now != i+1 ||
			*m.Then != i+1 {
			t.Errorf("%s: %v → %v, want %v → %v", m.Edition, *m.ScoreNow, *m.ScoreThen, want.now, want.then)
		}
	}
	if *e.TauB != 1 || len(e.NotTested) != 0 {
		t.Errorf("tau-b %v, not tested %v", *e.TauB, e.NotTested)
	}

	// Another unit asks another question: nothing answers it yet, and with half the
	// weight unanswered nobody has a rank.
	minutes := list.Clone()
	minutes.Sections[0].Criteria[0].Unit = "min"
	e, err = EffectOf(in, minutes, scoring.Options{})
	if err != nil {
		t.Fatal(err)
	}
	if !slices.Equal(e.NotTested, []string{"speed"}) || e.TauB != nil {
		t.Errorf("not tested %v, tau-b %v", e.NotTested, e.TauB)
	}
	for _, m := range e.Moves {
		if m.Now == nil || m.Then != nil || m.CoverageNow != 1 || m.CoverageThen != 0.5 {
			t.Errorf("%+v", m)
		}
	}
	if _, err := EffectOf(in, minutes, scoring.Options{Audience: "nobody"}); err == nil {
		t.Error("an unknown audience is no error")
	}
}
