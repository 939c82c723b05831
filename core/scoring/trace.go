package scoring

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// Trace shows the origin of the points of one criterion of an edition: every reading, and whether it counts.
type Trace struct {
	Criterion string     `json:"criterion"`
	Readings  []Traced   `json:"readings"`            // by time measured, then id
	Estimated []Estimate `json:"estimated,omitempty"` // rigs that count without a reading
}

// Traced is one reading and whether it counts.
type Traced struct {
	Review  string           `json:"review"`
	Edition string           `json:"edition"` // that the reading was made for
	Reading *reading.Reading `json:"reading"`
	Value   *float64         `json:"value"`  // of a measure: the summary of its adjusted runs
	Points  *float64         `json:"points"` // of another kind
	Counts  bool             `json:"counts"`
	Why     string           `json:"why"`               // why it does not count; empty if it does
	Changed *reading.Changed `json:"changed,omitempty"` // of a grade that was changed after the others' could be seen
}

// Traces returns, for one edition of the table and in the checklist's order, which readings count, and why the others
// do not.
func (t *Table) Traces(edition string) ([]Trace, error) {
	e := t.Row(edition)
	if e < 0 {
		return nil, fmt.Errorf("%s has no accepted review on %s", edition, t.Checklist.Name())
	}
	byCriterion := map[string][]Traced{}
	t.traceChain(e, byCriterion)
	cells := t.Cells(e)
	for lender := range t.lendersTo(e) {
		if t.Row(lender) < 0 {
			continue // it is not included
		}
		lent := map[string][]Traced{}
		t.traceChain(t.Row(lender), lent)
		for i, c := range t.Criteria {
			if cells[i].Lender() == lender {
				byCriterion[c.Key] = append(byCriterion[c.Key], lent[c.Key]...)
			}
		}
	}
	traces := make([]Trace, 0, len(t.Criteria))
	for i, c := range t.Criteria {
		readings := byCriterion[c.Key]
		t.judge(e, i, readings)
		slices.SortFunc(readings, func(a, b Traced) int {
			return cmp.Or(a.Reading.At.Compare(b.Reading.At), strings.Compare(a.Reading.ID, b.Reading.ID))
		})
		traces = append(traces, Trace{c.Key, append([]Traced{}, readings...), cells[i].Estimates()})
	}
	return traces, nil
}

func (t *Table) lendersTo(e int) map[string]bool {
	lenders := map[string]bool{}
	cells := t.Cells(e)
	for i := range cells {
		if from := cells[i].Lender(); from != "" {
			lenders[from] = true
		}
	}
	return lenders
}

// traceChain collects the readings of the current review of edition e and of those that it continues, with the reason
// for those that are not usable.
func (t *Table) traceChain(e int, into map[string][]Traced) {
	if t.origins != nil {
		t.origins[e].table.traceChain(t.origins[e].at, into)
		return
	}
	chain := reading.Chain(t.reviews[t.rows[e].review], t.reviews)
	opened := t.rower(false).gather.open(chain)
	successors := replaced(opened, t.at)
	for n, r := range chain {
		changed := changedBy(opened[n], t.at)
		for i := range opened[n] {
			x := &opened[n][i]
			traced := Traced{Review: r.ID, Edition: r.Edition, Reading: x}
			if c, ok := changed[x.ID]; ok {
				traced.Changed = &c
			}
			switch successor, gone := successors[x.ID]; {
			case !measuredBy(x, t.at):
				traced.Why = "measured after the requested time"
			case gone:
				traced.Why = "replaced by reading " + successor
			}
			into[x.Criterion] = append(into[x.Criterion], traced)
		}
	}
}

// judge decides which of the usable readings of one cell count, and why the others do not.
func (t *Table) judge(e, i int, readings []Traced) {
	c, cell := t.Criteria[i], t.Cell(e, i)
	counting := t.counting(i)
	names := cell.rigs()
	counts := map[string]bool{}
	for r := range cell.Rigs {
		for _, used := range cell.Rigs[r].trials {
			counts[used.ID] = true
		}
	}
	var work tabler
	for n := range readings {
		x := readings[n].Reading
		if value, ok := work.worth(x, c); ok && x.Answer.Answered() && c.Scored() {
			if c.Measured() {
				readings[n].Value = &value
			} else {
				readings[n].Points = &value
			}
		}
		if readings[n].Why != "" {
			continue
		}
		readings[n].Why = unfit(x, c, &work)
		switch {
		case readings[n].Why != "":
		case !counts[x.ID]:
			readings[n].Why = "the same reviewer has a later reading" + onThatRig(x)
		case counting != nil && !counting(names, x.Rig) && t.onIt(i, names, x.Rig):
			readings[n].Why = "not every edition was measured" + onThatRig(x)
		case counting != nil && !counting(names, x.Rig):
			readings[n].Why = "only readings on " + strings.Join(t.on, ", ") + " were requested"
		case t.weight(x.Rig) == 0:
			readings[n].Why = "rig " + x.Rig + " has weight 0"
		default:
			readings[n].Counts = true
		}
	}
}

func onThatRig(x *reading.Reading) string {
	if x.Rig == "" {
		return ""
	}
	return " on rig " + x.Rig
}

// unfit returns why a usable reading cannot score; empty if it can.
func unfit(x *reading.Reading, c *checklist.Criterion, work *tabler) string {
	switch {
	case x.Disturbance != "":
		return "disturbed: " + x.Disturbance
	case x.Answer.NotTested != "":
		return "answered not tested: " + x.Answer.NotTested
	case x.Answer.NotApplicable != "":
		return "answered not applicable: " + x.Answer.NotApplicable
	}
	for _, f := range []struct{ name, rule, is string }{
		{"method", c.Context.Method, x.Context.Method},
		{"setup", c.Context.Setup, x.Context.Setup},
		{"phase", c.Context.Phase, x.Context.Phase},
	} {
		if f.rule != "" && f.rule != f.is {
			return fmt.Sprintf("%s is %s; the scoring rule requires %s", f.name, cmp.Or(f.is, "not stated"), f.rule)
		}
	}
	if _, ok := work.worth(x, c); !ok {
		return "its value has no place in the scoring rule"
	}
	return ""
}
