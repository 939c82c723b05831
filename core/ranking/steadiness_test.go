package ranking

import (
	"math"
	"reflect"
	"runtime"
	"testing"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// noisy is two editions whose one measure has been run several times by two
// reviewers on one rig: a is ahead in the mean, but not in every run.
func noisy(balance float64) (*scoring.Table, Ranking) {
	at := time.Date(2026, 5, 1, 0, 0, 0, 0, time.UTC)
	list := &checklist.Checklist{
		Key:     "desk",
		Version: 1,
		State:   checklist.InForce,
		Policy:  checklist.Policy{Balance: &balance},
		Sections: []checklist.Section{
			{Key: "speed", Weight: 3, Criteria: []checklist.Criterion{
				{
					Key:    "start",
					Kind:   checklist.Measure,
					Weight: 1,
					Unit:   "s",
					Better: "lower",
					Curve:  &checklist.Curve{Shape: checklist.Span, Poor: 100, Ideal: 0},
				},
			}},
			{
				Key:    "ease",
				Weight: 1,
				Criteria: []checklist.Criterion{
					{Key: "menu", Kind: checklist.Grade, Weight: 1},
					{Key: "help", Kind: checklist.Grade, Weight: 3},
				},
			},
		},
	}
	review := func(edition string, first, second []float64, menu, help float64) reading.Review {
		grade := func(id, criterion string, g float64) reading.Reading {
			return reading.Reading{
				ID:        id,
				Criterion: criterion,
				Reviewer:  "ines",
				At:        at,
				Answer:    reading.Answer{Grade: &g},
			}
		}
		return reading.Review{
			ID:        edition,
			Edition:   edition,
			Checklist: "desk@1",
			State:     reading.Accepted,
			Accepted:  &at,
			Readings: []reading.Reading{
				{
					ID:        "1",
					Criterion: "start",
					Reviewer:  "ines",
					Rig:       "old",
					At:        at,
					Answer:    reading.Answer{Runs: first},
				},
				{
					ID:        "2",
					Criterion: "start",
					Reviewer:  "odile",
					Rig:       "old",
					At:        at,
					Answer:    reading.Answer{Runs: second},
				},
				grade("3", "menu", menu), grade("4", "help", help),
			},
		}
	}
	in := scoring.Input{Checklist: list, Reviews: []reading.Review{
		review("a/1/e", []float64{20, 40, 30}, []float64{25, 35}, 5, 6),
		review("b/1/e", []float64{24, 44, 34}, []float64{29, 39}, 5, 6),
	}}
	table := scoring.Tabulate(in, scoring.Options{})
	r, err := Rank(table.Columns(), checklist.Audience{}, By{})
	if err != nil {
		panic(err)
	}
	return table, r
}

func TestVary(t *testing.T) {
	for _, balance := range []float64{1, 0, -1} {
		table, r := noisy(balance)
		vary := func(how Variation) Steadiness {
			t.Helper()
			s, err := Vary(t.Context(), table, checklist.Audience{}, &r, how)
			if err != nil {
				t.Fatal(err)
			}
			return s
		}
		// a is ahead in start and equal in all else: no weights turn that.
		if s := vary(Variation{Draws: 2000, Seed: 1}); s.Editions[0].First != 1 || *s.Beats[0][1] != 1 ||
			s.Kappa != 60 ||
			s.Vary != VaryWeights {
			t.Errorf("balance %v: weights: %+v", balance, s)
		}
		s := vary(Variation{Draws: 20_000, Seed: 1, Vary: VaryReadings})
		if first := s.Editions[0].First; first < 0.6 || first > 0.95 {
			t.Errorf("balance %v: readings: a comes first in %v of the draws", balance, first)
		}
		if sum := s.Editions[0].Ranks[0] + s.Editions[0].Ranks[1]; math.Abs(sum-1) > 1e-9 {
			t.Errorf("shares of ranks sum to %v", sum)
		}
		if a, b := *s.Beats[0][1], *s.Beats[1][0]; math.Abs(a+b-1) > 1e-12 || math.Abs(a-s.Editions[0].First) > 1e-9 ||
			s.Beats[0][0] != nil {
			t.Errorf("pairs: %v and %v", a, b)
		}
		both := vary(Variation{Draws: 3000, Seed: 5, Vary: VaryBoth})
		if again := vary(Variation{Draws: 3000, Seed: 5, Vary: VaryBoth}); !reflect.DeepEqual(both, again) {
			t.Error("the same seed gives another result")
		}
		if other := vary(Variation{Draws: 3000, Seed: 6, Vary: VaryBoth}); reflect.DeepEqual(
			both.Editions, other.Editions,
		) {
			t.Error("another seed gives the same result")
		}
		old := runtime.GOMAXPROCS(1)
		alone := vary(Variation{Draws: 3000, Seed: 5, Vary: VaryBoth})
		runtime.GOMAXPROCS(old)
		if !reflect.DeepEqual(both, alone) {
			t.Error("the result depends on how many workers there are")
		}
	}
	table, r := noisy(1)
	for _, how := range []Variation{
		{Draws: -1}, {Draws: MostDraws + 1}, {Kappa: -1}, {Kappa: math.NaN()}, {Kappa: math.Inf(1)}, {Vary: "all"},
	} {
		if _, err := Vary(t.Context(), table, checklist.Audience{}, &r, how); err == nil {
			t.Errorf("%+v is no error", how)
		}
	}
	if s, err := Vary(t.Context(), table, checklist.Audience{}, &Ranking{}, Variation{}); err != nil ||
		len(s.Editions) != 0 {
		t.Errorf("nobody ranked: %v, %v", s, err)
	}
}

// A field that is drawn edition by edition comes out as one that is drawn at once, within
// what so many draws differ by, and the same on any number of workers.
func TestVaryLarge(t *testing.T) {
	for _, balance := range []float64{1, 0} {
		table, r := noisy(balance)
		for _, what := range Variables {
			how := Variation{Draws: 20_000, Seed: 3, Vary: what}
			whole, err := Vary(t.Context(), table, checklist.Audience{}, &r, how)
			if err != nil {
				t.Fatal(err)
			}
			if err := how.settle(); err != nil {
				t.Fatal(err)
			}
			first := func(workers int) float64 {
				none := func([]int) []*scoring.Varied { return nil }
				ranked := []int{0, 1}
				d := newDrawer(table.Columns(), none, checklist.Audience{}, ranked, &how)
				l := &large{drawer: d, ranked: ranked, varied: table.Varied, workers: workers}
				if err := l.vary(t.Context()); err != nil {
					t.Fatal(err)
				}
				return l.of(0).First
			}
			one := first(1)
			if math.Abs(one-whole.Editions[0].First) > 0.02 {
				t.Errorf("balance %v, %s: a comes first in %v of the draws, %v at once",
					balance, what, one, whole.Editions[0].First)
			}
			if several := first(3); several != one {
				t.Errorf("three workers: %v, one: %v", several, one)
			}
		}
		one, columns := table.Columns().One(), table.Columns()
		section, weight := columns.Weights(checklist.Audience{})
		for e, want := range columns.Score(checklist.Audience{}, false).Overall {
			if one.Take(e); math.Abs(one.Overall(section, weight)-want) > 1e-12 {
				t.Errorf("edition %d scores %v, want %v", e, one.Overall(section, weight), want)
			}
		}
	}
}

// TestTally shares a draw among those that tie.
func TestTally(t *testing.T) {
	y := newTally(3)
	y.count([]float64{50, 70, 50 + 1e-12}, []drawn{{edition: 0}, {edition: 1}, {edition: 2}})
	for e, want := range [][]float64{{0, 0.5, 0.5}, {1, 0, 0}, {0, 0.5, 0.5}} {
		if got := y.shares(e, 1).whole(3); !reflect.DeepEqual(got.Ranks, want) {
			t.Errorf("edition %d: %v, want %v", e, got.Ranks, want)
		}
	}
	if b := y.beats(1); *b[0][2] != 0.5 || *b[2][0] != 0.5 || *b[1][0] != 1 || *b[0][1] != 0 {
		t.Error("pairs: ties are not half")
	}
}

// BenchmarkVary varies the weights of 500 editions of 120 criteria 10,000 times.
func BenchmarkVary(b *testing.B) {
	columns, _ := many(500)
	r, err := Rank(columns, checklist.Audience{}, By{})
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		if _, err := VaryColumns(b.Context(), columns, nil, checklist.Audience{}, &r, Variation{}); err != nil {
			b.Fatal(err)
		}
	}
}
