package planning

import (
	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// Done is the progress for one contender, criterion and rig.
type Done struct {
	Edition   string `json:"edition"`
	Criterion string `json:"criterion"`
	Rig       string `json:"rig"`
	State     string `json:"state"` // done, begun (too few runs), not-tested, not-applicable, open
	Runs      int    `json:"runs"`
	Wanted    int    `json:"wanted"` // runs; 0 if the criterion has none
}

// Matrix returns the progress for each contender, criterion and rig of a plan. The usable readings are by edition; a
// reading outside the criterion's context, or a disturbed one, does not count.
func Matrix(p *Plan, list *checklist.Checklist, readings map[string][]reading.Reading) []Done {
	out := []Done{}
	for _, key := range p.Criteria {
		c, ok := list.Criterion(key)
		if !ok {
			continue
		}
		for _, contender := range p.Contenders {
			for _, rig := range p.Rigs {
				out = append(out, done(p, c, contender.Edition, rig, readings[contender.Edition]))
			}
		}
	}
	return out
}

// Wanted returns how many runs the plan asks for a criterion; 0 if the criterion has none.
func (p *Plan) Wanted(c *checklist.Criterion) int {
	switch {
	case !c.Measured():
		return 0
	case p.Runs > 0:
		return p.Runs
	}
	return max(c.Runs.Expect, 1)
}

func done(p *Plan, c *checklist.Criterion, edition, rig string, readings []reading.Reading) Done {
	d := Done{Edition: edition, Criterion: c.Key, Rig: rig, State: "open", Wanted: p.Wanted(c)}
	answered := false
	for i := range readings {
		x := &readings[i]
		if x.Criterion != c.Key || (x.Rig != rig && x.Rig != "") {
			continue
		}
		switch {
		case x.Answer.NotTested != "" && d.State == "open":
			d.State = "not-tested"
		case x.Answer.NotApplicable != "" && d.State == "open":
			d.State = "not-applicable"
		case x.Answer.Answered() && x.Disturbance == "" && c.Context.Accepts(x.Context):
			answered = true
			d.Runs = max(d.Runs, len(x.Answer.Runs))
		}
	}
	switch {
	case answered && d.Runs < d.Wanted:
		d.State = "begun"
	case answered:
		d.State = "done"
	}
	return d
}
