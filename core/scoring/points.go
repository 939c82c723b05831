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

// Tried returns the points of one reading of any kind except measure and fact, and whether it has any: a count with
// nothing tried has none.
func Tried(a *reading.Answer, c *checklist.Criterion) (points float64, ok bool) {
	//exhaustive:enforce
	switch c.Kind {
	case checklist.Grade:
		if a.Grade != nil {
			return 10 * *a.Grade, true
		}
	case checklist.Check, checklist.Level:
		chosen, ok := c.Choice(a.Choice())
		return chosen.Points, ok
	case checklist.Count:
		if a.Count != nil {
			return countPoints(a.Count, c)
		}
	case checklist.Measure, checklist.Fact:
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

// tabler holds buffers that are reused for every cell of a table.
type tabler struct {
	candidates []trial
	buffer     []float64
	trials     pool[trial]
	rigs       pool[OnRig]
	values     pool[float64]
}

// again reuses the memory of the cells so far.
func (t *tabler) again() {
	t.trials.again()
	t.rigs.again()
	t.values.again()
}

// scoring returns, of the usable readings, those that score: undisturbed, in context and answered, the latest of each
// reviewer on each rig (in each context, if the worst counts), by rig and reviewer. leftOut are those whose value is
// not on the curve.
func (t *tabler) scoring(usable []*reading.Reading, c *checklist.Criterion) (trials []trial, leftOut []string) {
	found := t.candidates[:0]
	for _, x := range usable {
		if x.Disturbance != "" || !c.Context.Accepts(x.Context) || !x.Answer.Answered() {
			continue
		}
		value, ok := t.worth(x, c)
		if !ok {
			leftOut = append(leftOut, x.ID)
			continue
		}
		found = append(found, trial{x, value})
	}
	t.candidates = found
	slices.Sort(leftOut)
	if len(found) <= 1 { // by far the most frequent case
		trials = t.trials.alloc(len(found))
		copy(trials, found)
		return trials, leftOut
	}
	slices.SortFunc(
		found, func(a, b trial) int { return cmp.Or(group(a, b, c), a.At.Compare(b.At), strings.Compare(a.ID, b.ID)) },
	)
	n := 0
	for i, x := range found {
		if i+1 < len(found) && group(x, found[i+1], c) == 0 {
			continue // a later one of the same group follows
		}
		found[n] = x
		n++
	}
	trials = t.trials.alloc(n)
	copy(trials, found)
	return trials, leftOut
}

// group compares the keys by which readings are grouped.
func group(a, b trial, c *checklist.Criterion) int {
	order := cmp.Or(strings.Compare(a.Rig, b.Rig), strings.Compare(a.Reviewer, b.Reviewer))
	if order != 0 || c.Across != "worst" {
		return order
	}
	return cmp.Or(
		strings.Compare(a.Context.Method, b.Context.Method),
		strings.Compare(a.Context.Setup, b.Context.Setup),
		strings.Compare(a.Context.Phase, b.Context.Phase),
	)
}

// worth returns a measure's value, or another kind's points.
func (t *tabler) worth(x *reading.Reading, c *checklist.Criterion) (float64, bool) {
	switch {
	case c.Measured():
		if len(x.Answer.Runs) == 0 {
			return 0, false
		}
		t.buffer = reading.AppendAdjusted(t.buffer[:0], x)
		v := reading.Summary(t.buffer, c)
		return v, v > 0 || !c.Curve.NeedsPositive()
	case !c.Scored():
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

// onRigs summarizes the trials for each rig, in the order of rig keys; without points if the criterion depends on the
// best of the field.
func (t *tabler) onRigs(trials []trial, c *checklist.Criterion, reviewers string) []OnRig {
	n := 0
	for i := range trials {
		if i == 0 || trials[i].Rig != trials[i-1].Rig {
			n++
		}
	}
	rigs := t.rigs.alloc(n)
	for i := range rigs {
		n := 1
		for n < len(trials) && trials[n].Rig == trials[0].Rig {
			n++
		}
		rigs[i] = OnRig{Rig: trials[0].Rig, trials: trials[:n:n]}
		t.sum(&rigs[i], c, reviewers)
		trials = trials[n:]
	}
	return rigs
}

func (t *tabler) sum(rig *OnRig, c *checklist.Criterion, reviewers string) {
	for _, x := range rig.trials {
		rig.Bounded = rig.Bounded || x.Bound != ""
	}
	switch {
	case !c.Scored():
	case c.Measured() && c.Across != "worst":
		value := rig.Mean()
		rig.Value = t.values.one(value)
		if !c.Relative() {
			rig.Points = c.Curve.At(value, 0, c.Better)
		}
	case c.Measured():
		rig.Points = stat.Mean(
			t.worst(rig.trials, func(x trial) float64 { return c.Curve.At(x.value, 0, c.Better) }), nil,
		)
	case len(rig.trials) == 1:
		rig.Points = rig.trials[0].value
	default:
		points := t.worst(rig.trials, func(x trial) float64 { return x.value })
		if reviewers == "median" {
			rig.Points = reading.Median(points)
		} else {
			rig.Points = stat.Mean(points, nil)
		}
	}
}

// worst returns the lowest points of each reviewer. Without several contexts every reviewer has a single reading.
func (t *tabler) worst(trials []trial, points func(trial) float64) []float64 {
	least := t.buffer[:0]
	for i, x := range trials {
		if i == 0 || x.Reviewer != trials[i-1].Reviewer {
			least = append(least, math.Inf(1))
		}
		last := &least[len(least)-1]
		*last = min(*last, points(x))
	}
	t.buffer = least
	return least
}
