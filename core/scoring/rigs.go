package scoring

import (
	"slices"

	"dappertally/core/checklist"
)

// counting says which rigs of a cell of criterion i count; nil is all of every cell.
func (t *Table) counting(i int) func(rigs []OnRig, rig string) bool {
	switch {
	case t.common:
		shared := t.sharedRigs(i)
		return func(rigs []OnRig, rig string) bool { return shared[rig] && t.onIt(i, rigs, rig) }
	case t.on != nil:
		return func(rigs []OnRig, rig string) bool { return t.onIt(i, rigs, rig) }
	}
	return nil
}

// onIt reports whether a rig is one of those asked for. What is not measured
// counts from anywhere where none of those has it.
func (t *Table) onIt(i int, rigs []OnRig, rig string) bool {
	if t.on == nil || slices.Contains(t.on, rig) {
		return true
	}
	return !t.Criteria[i].Measured() &&
		!slices.ContainsFunc(rigs, func(r OnRig) bool { return slices.Contains(t.on, r.Rig) })
}

// weigh turns the points on rigs into the criterion's points, over all rigs or,
// where counts is not nil, over those that count, and over the estimated ones.
func (c *Cell) weigh(weight func(rig string) float64, counts func([]OnRig, string) bool, values *pool[float64]) {
	if c.State != Answered {
		return
	}
	var sum, total float64
	for i := range c.Rigs {
		r := &c.Rigs[i]
		if r.off = counts != nil && !counts(c.Rigs, r.Rig); r.off {
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

// sharedRigs names the rigs that every edition which answered criterion i has.
func (t *Table) sharedRigs(i int) map[string]bool {
	has := map[string]int{}
	answered := 0
	for e := range t.Cells {
		if cell := &t.Cells[e][i]; cell.State == Answered {
			answered++
			for _, r := range cell.Rigs {
				has[r.Rig]++
			}
		}
	}
	shared := map[string]bool{}
	for rig, n := range has {
		shared[rig] = n == answered
	}
	return shared
}

// RigsDiffer reports, for each edition, whether for some weighted measure it
// lacks a rig that another edition was measured on, with no estimate in its place.
func (t *Table) RigsDiffer(a checklist.Audience) []bool {
	differ := make([]bool, len(t.Editions))
	for i, c := range t.Criteria {
		s := &t.Checklist.Sections[t.Sections[i]]
		if !c.Measured() || a.CriterionWeight(c) == 0 || a.SectionWeight(s) == 0 {
			continue
		}
		all := int32(len(t.rigs[i]))
		for e := range differ {
			if n := t.rigCount[e*len(t.Criteria)+i]; n > 0 && n < all {
				differ[e] = true
			}
		}
	}
	return differ
}

// countRigs notes on which rigs that weigh something a measure was answered or
// estimated.
func (t *Table) countRigs(e, i int) {
	cell := &t.Cells[e][i]
	if cell.State != Answered {
		return
	}
	count := func(rig string) {
		if t.weight(rig) == 0 || (t.on != nil && !slices.Contains(t.on, rig)) {
			return
		}
		t.rigCount[e*len(t.Criteria)+i]++
		if !slices.Contains(t.rigs[i], rig) {
			t.rigs[i] = append(t.rigs[i], rig)
		}
	}
	for r := range cell.Rigs {
		count(cell.Rigs[r].Rig)
	}
	for _, x := range cell.Estimates() {
		count(x.Rig)
	}
}
