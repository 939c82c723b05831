package scoring

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/stat"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// Tried is the points of one reading of any kind but measure and fact, and
// whether it has any: a count with nothing tried has none.
func Tried(a *reading.Answer, c *checklist.Criterion) (points float64, ok bool) {
	switch c.Kind {
	case checklist.Grade:
		if a.Grade != nil {
			return 10 * *a.Grade, true
		}
	case checklist.Check:
		switch a.Check {
		case reading.Works:
			return 100, true
		case reading.Workaround:
			return c.Workaround(), true
		case reading.Fails:
			return 0, true
		}
	case checklist.Level:
		return c.LevelPoints(a.Level)
	case checklist.Count:
		if a.Count != nil {
			return countPoints(a.Count, c)
		}
	}
	return 0, false
}

func countPoints(n *reading.Count, c *checklist.Criterion) (float64, bool) {
	if len(c.Items) == 0 {
		if n.K == nil || n.N == nil || *n.N == 0 {
			return 0, false
		}
		return 100 * float64(*n.K) / float64(*n.N), true
	}
	sum := func(keys []string) (total float64) {
		for _, k := range keys {
			w, _ := c.ItemWeight(k)
			total += w
		}
		return total
	}
	worked, around, failed := sum(n.Worked), sum(n.Workaround), sum(n.Failed)
	tried := worked + around + failed
	if tried == 0 {
		return 0, false
	}
	return 100 * (worked + c.WorkaroundWorth()*around) / tried, true
}

// trial is one reading that counts, with its value (measures) or points (others).
type trial struct {
	*reading.Reading
	value float64
}

// scoring picks, of the usable readings, those that score: undisturbed, in
// context and answered, the latest of each reviewer on each rig (in each
// context, where the worst counts). leftOut names those whose value has no
// place on the curve.
func scoring(usable []*reading.Reading, c *checklist.Criterion) (trials []trial, leftOut []string) {
	type group struct {
		reviewer, rig string
		context       checklist.Context
	}
	latest := map[group]trial{}
	for _, x := range usable {
		if x.Disturbance != "" || !c.Context.Accepts(x.Context) || !x.Answer.Answered() {
			continue
		}
		value, ok := worth(x, c)
		if !ok {
			leftOut = append(leftOut, x.ID)
			continue
		}
		g := group{reviewer: x.Reviewer, rig: x.Rig}
		if c.Across == "worst" {
			g.context = x.Context
		}
		if old, ok := latest[g]; !ok || later(x, old.Reading) {
			latest[g] = trial{x, value}
		}
	}
	for _, t := range latest {
		trials = append(trials, t)
	}
	slices.SortFunc(trials, func(a, b trial) int {
		return cmp.Or(strings.Compare(a.Rig, b.Rig), strings.Compare(a.Reviewer, b.Reviewer), strings.Compare(a.ID, b.ID))
	})
	slices.Sort(leftOut)
	return trials, leftOut
}

// worth is a measure's value, or another kind's points.
func worth(x *reading.Reading, c *checklist.Criterion) (float64, bool) {
	switch c.Kind {
	case checklist.Measure:
		if len(x.Answer.Runs) == 0 {
			return 0, false
		}
		v := reading.Value(x, c)
		return v, v > 0 || !c.Curve.NeedsPositive()
	case checklist.Fact:
		return 0, x.Answer.Fact != nil
	}
	return Tried(&x.Answer, c)
}

func later(a, b *reading.Reading) bool {
	if c := a.At.Compare(b.At); c != 0 {
		return c > 0
	}
	return a.ID > b.ID
}

// onRigs sums the trials up for each rig, in the order of rig keys. best gives
// the best value of the field on a rig; only the field curve asks for it.
func onRigs(trials []trial, c *checklist.Criterion, reviewers string, best func(rig string) float64) []OnRig {
	var rigs []OnRig
	for len(trials) > 0 {
		n := 1
		for n < len(trials) && trials[n].Rig == trials[0].Rig {
			n++
		}
		rigs = append(rigs, onRig(trials[:n], c, reviewers, best))
		trials = trials[n:]
	}
	return rigs
}

func onRig(trials []trial, c *checklist.Criterion, reviewers string, best func(string) float64) OnRig {
	rig := OnRig{Rig: trials[0].Rig, trials: trials}
	for _, t := range trials {
		rig.Readings = append(rig.Readings, t.ID)
		rig.Bounded = rig.Bounded || t.Bound != ""
	}
	switch {
	case c.Kind == checklist.Fact:
	case c.Kind == checklist.Measure && c.Across != "worst":
		value := stat.Mean(values(trials), nil)
		rig.Value = &value
		rig.Points = c.Curve.At(value, best(rig.Rig), c.Better)
	case c.Kind == checklist.Measure:
		rig.Points = stat.Mean(worst(trials, func(t trial) float64 { return c.Curve.At(t.value, 0, c.Better) }), nil)
	default:
		points := worst(trials, func(t trial) float64 { return t.value })
		if reviewers == "median" {
			rig.Points = reading.Median(points)
		} else {
			rig.Points = stat.Mean(points, nil)
		}
	}
	return rig
}

// worst is the least points of each reviewer; without several contexts every
// reviewer has a single reading, and the least is that one.
func worst(trials []trial, points func(trial) float64) []float64 {
	var least []float64
	for i, t := range trials {
		if i == 0 || t.Reviewer != trials[i-1].Reviewer {
			least = append(least, math.Inf(1))
		}
		last := &least[len(least)-1]
		*last = min(*last, points(t))
	}
	return least
}

func values(trials []trial) []float64 {
	vs := make([]float64, len(trials))
	for i, t := range trials {
		vs[i] = t.value
	}
	return vs
}
