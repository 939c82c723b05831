package demo

import (
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/quality"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// Most of the workshop's results are checked a second time.
const (
	secondLookAfter = 20 * time.Hour
	// How often there is a third reviewer as well.
	thirdLook = 0.3
	// The factor by which memory is larger as the sum of resident sizes.
	residentShare = 1.62
)

// second lets another reviewer check the results of current reviews again: measures are run again, unambiguous
// answers given again. The subjects of stories are left alone, and so are surprises, since a second reviewer would
// change the story. The runs of a second check have about the same median as those of the first. It has its own seed.
func (w *world) second() {
	again := &world{
		bundle: w.bundle,
		list:   w.list,
		random: rand.New(rand.NewPCG(20261123, 11)),
		known:  w.known,
		plans:  w.plans,
	}
	surprising := w.surprising()
	for i := range w.bundle.Reviews {
		r := &w.bundle.Reviews[i]
		if r.State != reading.Accepted || r.Carried != "" {
			continue
		}
		list := w.list
		if r.Checklist != list.Name() {
			j := slices.IndexFunc(
				w.bundle.Checklists, func(c checklist.Checklist) bool { return c.Name() == r.Checklist },
			)
			list = &w.bundle.Checklists[j]
		}
		for _, x := range slices.Clone(r.Readings) {
			c, ok := list.Criterion(x.Criterion)
			if !ok || !again.plain(r, &x, c) || surprising[r.Edition+" "+x.Criterion+" "+x.Rig] {
				continue
			}
			again.lookAgain(r, x, c)
		}
		slices.SortStableFunc(r.Readings, func(a, b reading.Reading) int { return a.At.Compare(b.At) })
	}
}

// surprising returns the values that are surprising given the other editions.
func (w *world) surprising() map[string]bool {
	found := map[string]bool{}
	for i := range w.bundle.Checklists {
		in := w.bundle.Input(&w.bundle.Checklists[i])
		q := quality.Of(
			scoring.Tabulate(in, scoring.Options{}),
			quality.LinesOf(w.bundle.Distributions),
			scoring.Others(in, w.bundle.Checklists, scoring.Options{})...)
		for _, s := range q.Surprises {
			found[s.Edition+" "+s.Criterion+" "+s.Rig] = true
		}
	}
	return found
}

// plain reports whether a reading is the only one of its criterion on its rig, made as the rule requires, and
// unremarkable.
func (w *world) plain(r *reading.Review, x *reading.Reading, c *checklist.Criterion) bool {
	if x.Adjustment != nil || x.Bound != "" || x.Disturbance != "" || x.Replaces != "" || x.Note != "" ||
		!x.Answer.Answered() ||
		!c.Context.Accepts(x.Context) {
		return false
	}
	alike := 0
	for i := range r.Readings {
		y := &r.Readings[i]
		if y.Criterion == x.Criterion && y.Rig == x.Rig && c.Context.Accepts(y.Context) {
			alike++
		}
	}
	if alike != 1 {
		return false
	}
	switch c.Kind {
	case checklist.Check, checklist.Level, checklist.Count:
		return true
	case checklist.Measure:
		runs := reading.Adjusted(x)
		spread, ok := reading.Spread(runs)
		return ok && spread <= c.Tolerance() && len(runs) > 2 && (c.Runs.Summary == "" || c.Runs.Summary == "median") &&
			len(reading.Outlying(runs, c.Tolerance())) == 0
	}
	return false
}

// lookAgain adds another reviewer's results, and for memory those of the other method.
func (w *world) lookAgain(r *reading.Review, x reading.Reading, c *checklist.Criterion) {
	others := slices.DeleteFunc(slices.Clone(reviewers), func(name string) bool { return name == x.Reviewer })
	other := others[w.random.IntN(len(others))]
	after := secondLookAfter + time.Duration(w.random.IntN(180))*time.Minute
	w.later(r, x, after, func(y *reading.Reading) {
		y.Reviewer, y.System = other, ""
		if c.Kind == checklist.Measure {
			y.Answer = reading.Answer{Runs: mirrored(x.Answer.Runs)}
		}
	})
	if c.Kind != checklist.Measure && w.random.Float64() < thirdLook {
		third := slices.DeleteFunc(others, func(name string) bool { return name == other })[0]
		w.later(r, x, 2*after, func(y *reading.Reading) { y.Reviewer, y.System = third, "" })
	}
	if c.Kind == checklist.Measure {
		for _, phase := range phases {
			w.inPhase(r, x, c, phase.key, phase.factor, other)
		}
	}
	if !strings.HasPrefix(c.Key, "memory-") || c.Context.Method != "memory-available" {
		return
	}
	w.later(r, x, 15*time.Minute, func(y *reading.Reading) {
		y.Context.Method, y.System = "memory-resident", ""
		y.Answer = reading.Answer{Runs: []float64{rounded(reading.Median(slices.Clone(x.Answer.Runs)) * residentShare)}}
	})
}

// phases are other phases in which the workshop measures, with the factor of their figures. These are kept and shown,
// and never scored.
var phases = []struct {
	key    string
	factor float64
}{{"fresh", 0.975}, {"after-use", 1.04}}

// inPhase adds the same measure in another phase for two reviewers, if nobody has it yet.
func (w *world) inPhase(
	r *reading.Review,
	x reading.Reading,
	c *checklist.Criterion,
	phase string,
	factor float64,
	other string,
) {
	if c.Context.Phase == "" || c.Context.Phase == phase ||
		slices.ContainsFunc(r.Readings, func(y reading.Reading) bool {
			return y.Criterion == x.Criterion && y.Rig == x.Rig && y.Context.Phase == phase &&
				y.Context.Method == x.Context.Method
		}) {
		return
	}
	if !c.LowerIsBetter() {
		factor = 1 / factor
	}
	w.later(r, x, time.Duration(30+w.random.IntN(60))*time.Minute, func(y *reading.Reading) {
		y.Context.Phase, y.System = phase, ""
		y.Answer = reading.Answer{Runs: make([]float64, len(x.Answer.Runs))}
		for i, run := range x.Answer.Runs {
			y.Answer.Runs[i] = rounded(run * factor * (1 + 0.006*w.random.NormFloat64()))
		}
	})
	first := r.Readings[len(r.Readings)-1]
	w.later(r, first, secondLookAfter, func(y *reading.Reading) {
		y.Reviewer, y.Answer = other, reading.Answer{Runs: mirrored(first.Answer.Runs)}
	})
}

// mirrored returns runs with about the same median, mirrored around it.
func mirrored(runs []float64) []float64 {
	middle := reading.Median(slices.Clone(runs))
	out := make([]float64, len(runs))
	for i, x := range runs {
		out[len(runs)-1-i] = rounded(2*middle - x)
	}
	return out
}
