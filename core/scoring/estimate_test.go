package scoring_test

import (
	"math"
	"testing"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/ranking"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// timed is reviews of one measure, start, by edition and rig, beside a grade of 5 for
// everybody, so that nobody is far apart.
func timed(policy string, values map[string]map[string]float64) scoring.Input {
	list := &checklist.Checklist{
		Key:     "bench",
		Version: 1,
		State:   checklist.InForce,
		Policy:  checklist.Policy{Rigs: policy, Decisive: []string{"start"}, DeadHeat: number(100)},
	}
	list.Sections = []checklist.Section{{Key: "all", Weight: 1, Criteria: []checklist.Criterion{
		{
			Key:    "start",
			Kind:   checklist.Measure,
			Weight: 1,
			Unit:   "s",
			Better: "lower",
			Curve:  &checklist.Curve{Shape: checklist.Span, Poor: 60, Ideal: 0},
		},
		{Key: "ease", Kind: checklist.Grade, Weight: 1},
	}}}
	in := scoring.Input{Checklist: list, Rigs: []catalogue.Rig{{Key: "fast"}, {Key: "slow"}}}
	for edition, on := range values {
		r := reading.Review{
			ID:        "review of " + edition,
			Edition:   edition,
			Checklist: "bench@1",
			State:     reading.Accepted,
			Accepted:  dayOf(2),
		}
		five := 5.0
		r.Readings = append(
			r.Readings,
			reading.Reading{
				ID:        edition + " ease",
				Criterion: "ease",
				Reviewer:  "r1",
				At:        *dayOf(1),
				Answer:    reading.Answer{Grade: &five},
			},
		)
		for rig, value := range on {
			r.Readings = append(
				r.Readings,
				reading.Reading{
					ID:        edition + " on " + rig,
					Criterion: "start",
					Reviewer:  "r1",
					Rig:       rig,
					At:        *dayOf(1),
					Answer:    reading.Answer{Runs: []float64{value}},
				},
			)
		}
		in.Reviews = append(in.Reviews, r)
	}
	return in
}

// An edition that was also measured on a fast rig once scored higher only because of that, and won a dead heat,
// although it was slower on the only shared rig.
func TestTwoRigs(t *testing.T) {
	values := map[string]map[string]float64{"a/1/e": {"slow": 30.5, "fast": 12.1}, "b/1/e": {"slow": 20.6}}
	for _, c := range []struct {
		policy, first, decidedBy string
		estimates                int
	}{
		{checklist.AsMeasured, "a/1/e", "start", 0},
		{checklist.Adjusted, "b/1/e", "start", 1},
	} {
		in := timed(c.policy, values)
		in.Checklist.Sections[0].Criteria[0].Curve = &checklist.Curve{Shape: checklist.Ratio, Poor: 60, Ideal: 5}
		table := scoring.Tabulate(in, scoring.Options{})
		r, err := ranking.Rank(table.Columns(), checklist.Audience{}, ranking.By{})
		if err != nil {
			t.Fatal(err)
		}
		if r.Ranking[0].Edition != c.first || r.Ranking[1].DecidedBy != c.decidedBy {
			t.Errorf("%s: %+v, want %s first", c.policy, r.Ranking, c.first)
		}
		estimates := table.Cell(1, 0).Estimates()
		if len(estimates) != c.estimates {
			t.Fatalf("%s: estimates %+v", c.policy, estimates)
		}
		for _, x := range estimates {
			want := 20.6 * 12.1 / 30.5 // the ratio of the rigs is that of the only edition that has both
			if x.Rig != "fast" || math.Abs(x.Value-want) > 1e-12 || x.Via != "slow" || x.Shared != 1 ||
				math.Abs(x.Points-100*math.Log(want/60)/math.Log(5.0/60)) > 1e-9 {
				t.Errorf("estimated %+v, want %v", x, want)
			}
		}
		card := table.Scorecards(checklist.Audience{})[1]
		if len(card.Estimated) != c.estimates || card.RigsDiffer == (c.estimates > 0) {
			t.Errorf("%s: estimated %v, rigs differ: %v", c.policy, card.Estimated, card.RigsDiffer)
		}
	}
}

// A dead heat whose members share no rig is not decided by the measure.
func TestNoSharedRigDecidesNothing(t *testing.T) {
	values := map[string]map[string]float64{
		"a/1/e": {"fast": 10},
		"b/1/e": {"slow": 40},
		"c/1/e": {"fast": 12, "slow": 30},
	}
	table := scoring.Tabulate(timed(checklist.Adjusted, values), scoring.Options{})
	r, err := ranking.Rank(table.Columns(), checklist.Audience{}, ranking.By{})
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range r.Ranking {
		if p.Rank != 1 || p.DecidedBy != "" {
			t.Errorf("%+v", p)
		}
	}
}

// Rigs that nothing connects are not estimated, and values at or below zero are fitted
// as they are.
func TestEstimates(t *testing.T) {
	for _, c := range []struct {
		name   string
		values map[string]map[string]float64
		opts   scoring.Options
		want   map[string]map[string]float64 // by edition
	}{
		{"nothing missing", map[string]map[string]float64{"a/1/e": {"fast": 1, "slow": 2}, "b/1/e": {"fast": 3, "slow": 5}}, scoring.Options{}, nil},
		{"nothing connects", map[string]map[string]float64{"a/1/e": {"fast": 1}, "b/1/e": {"slow": 5}}, scoring.Options{}, nil},
		{"common rigs", map[string]map[string]float64{"a/1/e": {"fast": 1, "slow": 2}, "b/1/e": {"slow": 5}}, scoring.Options{CommonRigs: true}, nil},
		{"below zero", map[string]map[string]float64{"a/1/e": {"fast": -1, "slow": 2}, "b/1/e": {"slow": 5}}, scoring.Options{}, map[string]map[string]float64{"b/1/e": {"fast": 2}}},
		{"through a third rig", map[string]map[string]float64{"a/1/e": {"fast": 2, "mid": 4}, "b/1/e": {"mid": 4, "slow": 8}, "c/1/e": {"slow": 16}}, scoring.Options{},
			map[string]map[string]float64{"a/1/e": {"slow": 8}, "b/1/e": {"fast": 2}, "c/1/e": {"fast": 4, "mid": 8}}},
		{"only some rigs", map[string]map[string]float64{"a/1/e": {"fast": 2, "mid": 4}, "b/1/e": {"mid": 4, "slow": 8}}, scoring.Options{Rigs: []string{"mid", "slow"}}, map[string]map[string]float64{"a/1/e": {"slow": 8}}},
		{"beyond all numbers", map[string]map[string]float64{"a/1/e": {"fast": 1e300, "slow": 1e-300}, "b/1/e": {"slow": 1e10}}, scoring.Options{}, nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			table := scoring.Tabulate(timed(checklist.Adjusted, c.values), c.opts)
			for e, edition := range table.Editions {
				got := table.Cell(e, 0).Estimates()
				if len(got) != len(c.want[edition]) {
					t.Errorf("%s: %+v, want %v", edition, got, c.want[edition])
				}
				for _, x := range got {
					if want := c.want[edition][x.Rig]; math.Abs(x.Value-want) > 1e-9 {
						t.Errorf("%s on %s: %v, want %v", edition, x.Rig, x.Value, want)
					}
				}
			}
		})
	}
}

// dayOf is a day of May 2026.
func dayOf(n int) *time.Time {
	at := time.Date(2026, 5, n, 0, 0, 0, 0, time.UTC)
	return &at
}
