package scoring

import (
	"maps"
	"slices"

	"gonum.org/v1/gonum/stat"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// State is what is known of one criterion for one edition.
type State string

// The states of a cell.
const (
	Answered      State = "answered"
	NotApplicable State = "not-applicable"
	NotTested     State = "not-tested"
)

// OnRig is what one rig says of a criterion.
type OnRig struct {
	Rig     string   `json:"rig"` // empty: no rig
	Value   *float64 `json:"value"`
	Points  float64  `json:"points"`
	Bounded bool     `json:"bounded,omitempty"`
	trials  []trial
	off     bool // asked for in a way that leaves it out
}

// Counts reports whether this rig is one of those that the table was asked for.
func (r *OnRig) Counts() bool { return !r.off }

// Context is the context that all readings used agree in; same is false where
// they do not, and then values of this rig compare with nothing.
func (r *OnRig) Context() (context checklist.Context, same bool) {
	context = r.trials[0].Context
	for _, t := range r.trials[1:] {
		if t.Context != context {
			return context, false
		}
	}
	return context, true
}

// Mean is the mean over reviewers of a measure's values on this rig.
func (r *OnRig) Mean() float64 {
	var sum float64
	for i := range r.trials {
		sum += r.trials[i].value
	}
	return sum / float64(len(r.trials))
}

// Used is the readings that count on this rig.
func (r *OnRig) Used() []*reading.Reading {
	used := make([]*reading.Reading, len(r.trials))
	for i, t := range r.trials {
		used[i] = t.Reading
	}
	return used
}

// Runs is the adjusted runs of all reviewers on this rig.
func (r *OnRig) Runs() []float64 {
	var runs []float64
	for _, t := range r.trials {
		runs = append(runs, reading.Adjusted(t.Reading)...)
	}
	return runs
}

// Boots is the adjusted runs of all reviewers on this rig, by the start of the machine in which they were made; nil
// where that is not known of all.
func (r *OnRig) Boots() [][]float64 { return reading.ByBoot(r.Used()) }

// Bounds is the bounds of the readings used, without the empty one.
func (r *OnRig) Bounds() []string {
	var bounds []string
	for _, t := range r.trials {
		if t.Bound != "" {
			bounds = append(bounds, t.Bound)
		}
	}
	return bounds
}

// Cell is what is known of one criterion for one edition, before any audience
// looks at it.
type Cell struct {
	Key      string   `json:"key"`
	State    State    `json:"state"`
	Points   *float64 `json:"points"` // 0–100; only where answered and scored
	Rigs     []OnRig  `json:"rigs"`
	*Remarks          // nil for most
}

// Remarks is what few cells have to say.
type Remarks struct {
	Reason        string        `json:"reason,omitempty"`        // why not tested or not applicable
	InheritedFrom string        `json:"inheritedFrom,omitempty"` // the edition whose readings stand in
	LeftOut       []string      `json:"leftOut,omitempty"`       // readings whose value has no place on the curve
	Estimated     []Estimate    `json:"estimated,omitempty"`     // rigs that the edition lacks, by rig
	Fact          *reading.Fact `json:"-"`                       // of a fact, the newest
}

// Lender is the edition whose readings stand in; empty where the edition has its
// own, or none.
func (c *Cell) Lender() string {
	if c.Remarks == nil {
		return ""
	}
	return c.Remarks.InheritedFrom
}

// NewestFact is what a fact says; nil where it says nothing.
func (c *Cell) NewestFact() *reading.Fact {
	if c.Remarks == nil {
		return nil
	}
	return c.Remarks.Fact
}

func (c *Cell) remark(why string) { c.remarks().Reason = why }

// remarks is the cell's remarks, made where it had none.
func (c *Cell) remarks() *Remarks {
	if c.Remarks == nil {
		c.Remarks = &Remarks{}
	}
	return c.Remarks
}

// Graded is the mean of one reviewer's grades, 0–10, over the rigs.
type Graded struct {
	Reviewer string
	Grade    float64
}

// Grades is the reviewers' grades of a graded criterion, by reviewer; of a grade that is
// among the changed, the one before it. On a rig where the worst context counts, that is
// the reviewer's.
func (c *Cell) Grades(changed map[string]reading.Changed) []Graded {
	sums := map[string][]float64{}
	for i := range c.Rigs {
		least := map[string]float64{}
		for _, t := range c.Rigs[i].trials {
			points := t.value
			if x, ok := changed[t.ID]; ok {
				points = 10 * x.From
			}
			if old, ok := least[t.Reviewer]; !ok || points < old {
				least[t.Reviewer] = points
			}
		}
		for reviewer, points := range least {
			sums[reviewer] = append(sums[reviewer], points/10)
		}
	}
	graded := make([]Graded, 0, len(sums))
	for _, reviewer := range slices.Sorted(maps.Keys(sums)) {
		graded = append(graded, Graded{reviewer, stat.Mean(sums[reviewer], nil)})
	}
	return graded
}
