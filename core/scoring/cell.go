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

// OnRig is the result of a criterion on one rig.
type OnRig struct {
	Rig     string   `json:"rig"` // empty: no rig
	Value   *float64 `json:"value"`
	Points  float64  `json:"points"`
	Bounded bool     `json:"bounded,omitempty"`
	trials  []trial
	off     bool // excluded by the options of the table
}

// Counts reports whether this rig is one of those that the table was asked for.
func (r *OnRig) Counts() bool { return !r.off }

// Context returns the context on which all readings used agree. If same is false, they differ, and values of this rig
// cannot be compared with any others.
func (r *OnRig) Context() (context checklist.Context, same bool) {
	context = r.trials[0].Context
	for _, t := range r.trials[1:] {
		if t.Context != context {
			return context, false
		}
	}
	return context, true
}

// Mean returns the mean over reviewers of a measure's values on this rig.
func (r *OnRig) Mean() float64 {
	var sum float64
	for i := range r.trials {
		sum += r.trials[i].value
	}
	return sum / float64(len(r.trials))
}

// Used returns the readings that count on this rig.
func (r *OnRig) Used() []*reading.Reading {
	used := make([]*reading.Reading, len(r.trials))
	for i, t := range r.trials {
		used[i] = t.Reading
	}
	return used
}

// Runs returns the adjusted runs of all reviewers on this rig.
func (r *OnRig) Runs() []float64 {
	var runs []float64
	for _, t := range r.trials {
		runs = append(runs, reading.Adjusted(t.Reading)...)
	}
	return runs
}

// Boots returns the adjusted runs of all reviewers on this rig, grouped by the start of the machine in which they
// were made; nil if that is not known of all.
func (r *OnRig) Boots() [][]float64 { return reading.ByBoot(r.Used()) }

// Bounds returns the different bounds of the readings used, without the empty one.
func (r *OnRig) Bounds() []string {
	var bounds []string
	for _, t := range r.trials {
		if t.Bound != "" {
			bounds = append(bounds, t.Bound)
		}
	}
	return bounds
}

// Cell is what is known of one criterion for one edition, before the weights of an audience are applied.
type Cell struct {
	Key      string   `json:"key"`
	State    State    `json:"state"`
	Points   *float64 `json:"points"` // 0–100; only if answered and scored
	Rigs     []OnRig  `json:"rigs"`
	*Remarks          // nil for most
}

// Remarks holds what only few cells have.
type Remarks struct {
	Reason        string        `json:"reason,omitempty"`        // why not tested or not applicable
	InheritedFrom string        `json:"inheritedFrom,omitempty"` // the edition whose readings are used instead
	LeftOut       []string      `json:"leftOut,omitempty"`       // readings whose value is not on the curve
	Estimated     []Estimate    `json:"estimated,omitempty"`     // estimates for missing rigs, by rig
	Fact          *reading.Fact `json:"-"`                       // of a fact, the newest reading
}

// Lender returns the edition whose readings are used instead; empty if the edition has its own, or none.
func (c *Cell) Lender() string {
	if c.Remarks == nil {
		return ""
	}
	return c.Remarks.InheritedFrom
}

// NewestFact returns the newest value of a fact; nil if there is none.
func (c *Cell) NewestFact() *reading.Fact {
	if c.Remarks == nil {
		return nil
	}
	return c.Remarks.Fact
}

func (c *Cell) remark(why string) { c.remarks().Reason = why }

// remarks returns the cell's remarks, and creates them if there were none.
func (c *Cell) remarks() *Remarks {
	if c.Remarks == nil {
		c.Remarks = &Remarks{}
	}
	return c.Remarks
}

// Graded returns the mean of one reviewer's grades, 0–10, over the rigs.
type Graded struct {
	Reviewer string
	Grade    float64
}

// Grades returns the reviewers' grades of a graded criterion, by reviewer. For a changed grade it returns the one
// before the change. On a rig where the worst context counts, that is the reviewer's worst.
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
