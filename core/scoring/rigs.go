package scoring

import (
	"slices"

	"dappertally/core/checklist"
)

// counting returns a function that reports which rigs of a cell of criterion i count, given all rigs of the cell; nil
// if all rigs of every cell count.
func (t *Table) counting(i int) func(rigs []string, rig string) bool {
	switch {
	case t.common:
		shared := t.shared[i]
		return func(rigs []string, rig string) bool { return shared[rig] && t.onIt(i, rigs, rig) }
	case t.on != nil:
		return func(rigs []string, rig string) bool { return t.onIt(i, rigs, rig) }
	}
	return nil
}

// onIt reports whether a rig is one of those asked for. An answer that is not a measure counts from any rig if none
// of those has it.
func (t *Table) onIt(i int, rigs []string, rig string) bool {
	if t.on == nil || slices.Contains(t.on, rig) {
		return true
	}
	return !t.Criteria[i].Measured() && !slices.ContainsFunc(rigs, func(r string) bool { return slices.Contains(t.on, r) })
}

// weigh computes the criterion's points from the points on rigs: over all rigs or, if counts is not nil, over those
// that count, and over the estimated ones.
func (c *Cell) weigh(weight func(rig string) float64, counts func([]string, string) bool, values *pool[float64]) {
	if c.State != Answered {
		return
	}
	var names []string
	if counts != nil {
		names = c.rigs()
	}
	var sum, total float64
	for i := range c.Rigs {
		r := &c.Rigs[i]
		if r.off = counts != nil && !counts(names, r.Rig); r.off {
			continue
		}
		w := weight(r.Rig)
		sum += w * r.Points
		total += w
	}
	for _, x := range c.Estimates() {
		sum += x.Weight * x.Points
		total += x.Weight
	}
	if total == 0 {
		c.State = NotTested
		c.remark("no rig that counts")
		return
	}
	c.Points = values.one(sum / total)
}

func (c *Cell) rigs() []string {
	names := make([]string, len(c.Rigs))
	for i := range c.Rigs {
		names[i] = c.Rigs[i].Rig
	}
	return names
}

// sharedRigs returns the rigs that every edition which answered criterion i has.
func (t *Table) sharedRigs(i int) map[string]bool {
	has := map[string]int{}
	answered := 0
	for e := range t.rows {
		row, b, rigs := t.brief(e, i)
		if states[b.state] != Answered {
			continue
		}
		answered++
		for _, r := range rigs {
			has[row.rigs[r.rig]]++
		}
	}
	shared := map[string]bool{}
	for rig, n := range has {
		shared[rig] = n == answered
	}
	return shared
}

// RigsDiffer reports, for each edition, whether it lacks, for some weighted measure, a rig on which another edition
// was measured, and has no estimate for it.
func (t *Table) RigsDiffer(a checklist.Audience) []bool {
	differ := make([]bool, len(t.Editions))
	for e := range differ {
		differ[e] = t.rigsDiffer(e, a)
	}
	return differ
}

func (t *Table) rigsDiffer(e int, a checklist.Audience) bool {
	t.weighed.Do(t.weigh)
	for i, c := range t.Criteria {
		s := &t.Checklist.Sections[t.Sections[i]]
		n := t.rigCount[e*len(t.Criteria)+i]
		if n > 0 && int(n) < len(t.rigs[i]) && a.CriterionWeight(c) != 0 && a.SectionWeight(s) != 0 {
			return true
		}
	}
	return false
}

// countRig records that a measure was answered or estimated on a rig with a weight.
func (t *Table) countRig(e, i int, rig string) {
	if t.on != nil && !slices.Contains(t.on, rig) {
		return
	}
	t.rigCount[e*len(t.Criteria)+i]++
	if !slices.Contains(t.rigs[i], rig) {
		t.rigs[i] = append(t.rigs[i], rig)
	}
}
