package scoring

import (
	"cmp"
	"fmt"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// Gap is a place where an edition has answers that do not fully count.
type Gap struct {
	Criterion string `json:"criterion"`
	Rig       string `json:"rig"`     // empty: no rig
	Reading   string `json:"reading"` // id of the newest of these answers
	Why       string `json:"why"`     // why it does not count
	Fix       string `json:"fix"`     // what would make it count
	Bounded   bool   `json:"bounded"` // it counts, but only roughly
}

// Gaps returns, for edition e of the table and in the checklist's order, the criteria and rigs whose answers do not
// count: disturbed, made in another context than the rule requires, not on the curve, or on a rig with weight 0. It
// also returns those of which only a bound is known.
func (t *Table) Gaps(e int) []Gap {
	gaps := []Gap{}
	var work tabler
	for i, c := range t.Criteria {
		if !c.Scored() {
			continue
		}
		for _, on := range answersByRig(t.Own(e).Of(i)) {
			if gap, ok := t.gap(e, i, on, &work); ok {
				gap.Criterion, gap.Rig = c.Key, on[0].Rig
				gaps = append(gaps, gap)
			}
		}
	}
	return gaps
}

// gap examines the answers of one criterion on one rig.
func (t *Table) gap(e, i int, answers []*reading.Reading, work *tabler) (Gap, bool) {
	c := t.Criteria[i]
	newest := slices.MaxFunc(answers, func(a, b *reading.Reading) int {
		return cmp.Or(a.At.Compare(b.At), cmp.Compare(a.ID, b.ID))
	})
	gap := Gap{Reading: newest.ID}
	cell := t.Cell(e, i)
	for r := range cell.Rigs {
		on := &cell.Rigs[r]
		if on.Rig != newest.Rig {
			continue
		}
		bounded := !slices.ContainsFunc(on.trials, func(x trial) bool { return x.Bound == "" })
		switch {
		case on.Counts() && t.weight(on.Rig) == 0:
			gap.Why, gap.Fix = "rig "+on.Rig+" has weight 0", "answer it on a rig that has a weight"
		case bounded:
			gap.Bounded = true
			gap.Why, gap.Fix = "only a bound of the value is known", "measure the value itself"
		default:
			return Gap{}, false
		}
		return gap, true
	}
	gap.Why = unfit(newest, c, work)
	gap.Fix = remedy(newest, c)
	return gap, gap.Why != ""
}

// answersByRig groups usable readings that hold an answer by rig, ordered by rig.
func answersByRig(usable []*reading.Reading) [][]*reading.Reading {
	var answers []*reading.Reading
	for _, x := range usable {
		if x.Answer.Answered() {
			answers = append(answers, x)
		}
	}
	slices.SortStableFunc(answers, func(a, b *reading.Reading) int { return cmp.Compare(a.Rig, b.Rig) })
	var out [][]*reading.Reading
	for len(answers) > 0 {
		n := 1
		for n < len(answers) && answers[n].Rig == answers[0].Rig {
			n++
		}
		out, answers = append(out, answers[:n:n]), answers[n:]
	}
	return out
}

// remedy describes what would make an answer count.
func remedy(x *reading.Reading, c *checklist.Criterion) string {
	if x.Disturbance != "" {
		return "answer it again without the disturbance"
	}
	if !c.Context.Accepts(x.Context) {
		fix := "answer it again"
		for _, f := range []struct{ name, rule, is string }{
			{"method", c.Context.Method, x.Context.Method}, {"setup", c.Context.Setup, x.Context.Setup}, {"phase", c.Context.Phase, x.Context.Phase},
		} {
			if f.rule != "" && f.rule != f.is {
				fix += fmt.Sprintf(", %s %s", f.name, f.rule)
			}
		}
		return fix
	}
	return "check the value and what is subtracted from it"
}
