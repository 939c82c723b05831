package scoring_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// anyField is reviews of some editions with holes everywhere: measures that are estimated on
// rigs that an edition lacks, one that the best of the field decides, and criteria that a
// release or a distribution answers for all.
func anyField(random *rand.Rand, editions int) scoring.Input {
	list := &checklist.Checklist{
		Key: "any", Version: 1, State: checklist.InForce, Policy: checklist.Policy{Rigs: checklist.Adjusted},
	}
	measure := func(key string, shape string) checklist.Criterion {
		return checklist.Criterion{
			Key: key, Kind: checklist.Measure, Weight: 1, Unit: "s", Better: "lower",
			Curve: &checklist.Curve{Shape: shape, Poor: 90, Ideal: 1},
		}
	}
	shared := measure("stop", checklist.Span)
	shared.Scope = checklist.ScopeRelease
	list.Sections = []checklist.Section{
		{Key: "time", Weight: 2, Criteria: []checklist.Criterion{
			measure("start", checklist.Span), measure("load", checklist.Field), shared,
		}},
		{Key: "ease", Weight: 1, Criteria: []checklist.Criterion{
			{Key: "menu", Kind: checklist.Grade, Weight: 1},
			{Key: "guide", Kind: checklist.Check, Weight: 1, Scope: checklist.ScopeDistribution},
		}},
	}
	in := scoring.Input{Checklist: list, Rigs: []catalogue.Rig{{Key: "a"}, {Key: "b"}, {Key: "c", Weight: number(0.5)}}}
	for e := range editions {
		in.Reviews = append(in.Reviews, anyReview(random, in, e, fmt.Sprint("r", e)))
	}
	return in
}

func anyReview(random *rand.Rand, in scoring.Input, e int, id string) reading.Review {
	accepted := dayOf(1).Add(time.Duration(e*50) * time.Minute)
	r := reading.Review{
		ID: id, Edition: fmt.Sprintf("d%d/%d/e%d", e%3, e%2, e), Checklist: in.Checklist.Name(),
		State: reading.Accepted, Accepted: &accepted, Readings: []reading.Reading{},
	}
	add := func(criterion, rig, reviewer string, answer reading.Answer) {
		r.Readings = append(r.Readings, reading.Reading{
			ID: fmt.Sprintf("%s-%d", id, len(r.Readings)), Criterion: criterion, Rig: rig, Reviewer: reviewer,
			At: dayOf(1).Add(time.Duration(random.IntN(1000)) * time.Minute), Answer: answer,
		})
	}
	for _, criterion := range []string{"start", "load", "stop"} {
		for _, rig := range []string{"a", "b", "c"} {
			if random.IntN(3) > 0 {
				add(criterion, rig, "ines", reading.Answer{Runs: []float64{1 + 80*random.Float64(), 1 + 80*random.Float64()}})
			}
		}
	}
	for _, reviewer := range []string{"ines", "odile"} {
		if random.IntN(3) > 0 {
			grade := float64(random.IntN(11))
			add("menu", "", reviewer, reading.Answer{Grade: &grade})
		}
	}
	if random.IntN(3) == 0 {
		add("guide", "", "ines", reading.Answer{Check: checklist.Checks[random.IntN(3)]})
	}
	return r
}

// A desk equals the table with its review accepted.
func TestDeskAsIfAccepted(t *testing.T) {
	random := rand.New(rand.NewPCG(2, 4))
	for round := range 200 {
		in := anyField(random, 1+random.IntN(12))
		review := anyReview(random, in, random.IntN(14), "on the desk")
		standing := scoring.Tabulate(in, scoring.Options{})
		desk := standing.Desk(review)

		then := in
		same := func(r reading.Review) bool { return r.Edition == review.Edition }
		then.Reviews = slices.DeleteFunc(slices.Clone(in.Reviews), same)
		then.Reviews = append(then.Reviews, review)
		alike(t, fmt.Sprint("round ", round), desk, scoring.Tabulate(then, scoring.Options{}))
		alike(t, fmt.Sprint("the standing of round ", round), standing, scoring.Tabulate(in, scoring.Options{}))
	}
}

// alike compares two tables: states exactly, points to 1e-9.
func alike(t *testing.T, what string, got, want *scoring.Table) {
	t.Helper()
	if !slices.Equal(got.Editions, want.Editions) || !slices.Equal(got.Reviews, want.Reviews) {
		t.Fatalf("%s: %v, want %v", what, got.Editions, want.Editions)
	}
	near := func(a, b *float64) bool { return (a == nil) == (b == nil) && (a == nil || math.Abs(*a-*b) < 1e-9) }
	for e := range want.Editions {
		for i, c := range want.Criteria {
			x, y := got.Cell(e, i), want.Cell(e, i)
			if x.State != y.State || !near(x.Points, y.Points) || x.Lender() != y.Lender() || len(x.Rigs) != len(y.Rigs) ||
				len(x.Estimates()) != len(y.Estimates()) {
				t.Fatalf("%s: %s of %s is %+v, want %+v", what, c.Key, want.Editions[e], x, y)
			}
			p, answered := got.Columns().Points(i, e)
			if answered != (y.State == scoring.Answered) || (answered && !near(&p, y.Points)) {
				t.Fatalf("%s: the column of %s has %v of %s, want %+v", what, c.Key, p, want.Editions[e], y)
			}
			for n, estimate := range y.Estimates() {
				if z := x.Estimates()[n]; z.Rig != estimate.Rig || z.Via != estimate.Via || z.Shared != estimate.Shared {
					t.Fatalf("%s: %s of %s is estimated as %+v, want %+v", what, c.Key, want.Editions[e], z, estimate)
				}
			}
		}
	}
	if x, y := got.RigsDiffer(checklist.Audience{}), want.RigsDiffer(checklist.Audience{}); !slices.Equal(x, y) {
		t.Fatalf("%s: rigs differ: %v, want %v", what, x, y)
	}
}

// kept is a source that returns copies and remembers rows.
type kept struct {
	readings map[string][]reading.Reading
	rows     map[string]*scoring.Row
}

func (k *kept) Readings(r *reading.Review, room *reading.Room) []reading.Reading {
	if room == nil {
		return slices.Clone(k.readings[r.ID])
	}
	into, _, _ := room.Of(len(k.readings[r.ID]), 0, 0)
	copy(into, k.readings[r.ID])
	return into
}

func (k *kept) Row(_ *checklist.Checklist, r *reading.Review, compute func() *scoring.Row) *scoring.Row {
	if k.rows[r.ID] == nil {
		k.rows[r.ID] = compute()
	}
	return k.rows[r.ID]
}

// Results do not depend on whether readings are in the reviews or in a source, or on whether rows were remembered.
func TestSource(t *testing.T) {
	random := rand.New(rand.NewPCG(6, 1))
	late := dayOf(1).Add(500 * time.Minute)
	for round := range 60 {
		whole := anyField(random, 1+random.IntN(20))
		k := &kept{map[string][]reading.Reading{}, map[string]*scoring.Row{}}
		apart := whole
		apart.Source, apart.Reviews = k, slices.Clone(whole.Reviews)
		for i := range apart.Reviews {
			k.readings[apart.Reviews[i].ID], apart.Reviews[i].Readings = apart.Reviews[i].Readings, nil
		}
		for name, opts := range map[string]scoring.Options{
			"as it is": {}, "on common rigs": {CommonRigs: true}, "on one rig": {Rigs: []string{"a"}}, "before": {At: &late},
			"by other weights": {RigWeights: map[string]float64{"a": 0}},
			"of one":           {Only: map[string]bool{whole.Reviews[0].Edition: true}},
		} {
			what := fmt.Sprintf("round %d, %s", round, name)
			alike(t, what, scoring.Tabulate(apart, opts), scoring.Tabulate(whole, opts))
		}
		list := *whole.Checklist // asked otherwise
		list.Sections = slices.Clone(list.Sections)
		list.Sections[1].Criteria = slices.Clone(list.Sections[1].Criteria)
		list.Sections[1].Criteria[0].Kind = checklist.Check
		projected := func(in scoring.Input) *scoring.Table { return scoring.Tabulate(in.Project(&list), scoring.Options{}) }
		alike(t, "projected", projected(apart), projected(whole))
	}
}
