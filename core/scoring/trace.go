package scoring

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// Trace is how one criterion of an edition came by its points: every reading of
// it, and what became of each.
type Trace struct {
	Criterion string     `json:"criterion"`
	Readings  []Traced   `json:"readings"`            // by time measured, then id
	Estimated []Estimate `json:"estimated,omitempty"` // rigs without a reading that count nevertheless
}

// Traced is one reading and what became of it.
type Traced struct {
	Review  string           `json:"review"`
	Edition string           `json:"edition"` // that the reading was made for
	Reading *reading.Reading `json:"reading"`
	Value   *float64         `json:"value"`  // of a measure: the summary of its adjusted runs
	Points  *float64         `json:"points"` // of another kind
	Counts  bool             `json:"counts"`
	Why     string           `json:"why"`               // it does not count; empty where it does
	Changed *reading.Changed `json:"changed,omitempty"` // of a grade that was changed after the others' were seen
}

// Traces tells, for one edition of the table and in the checklist's order, which
// readings count and which do not and why. It looks at the same input and options
// as the table was made from.
func (t *Table) Traces(in Input, opts Options, edition string) ([]Trace, error) {
	e := t.Row(edition)
	if e < 0 {
		return nil, fmt.Errorf("%s has no accepted review on %s", edition, t.Checklist.Name())
	}
	reviews := in.byID()
	byCriterion := map[string][]Traced{}
	t.traceChain(e, reviews, &opts, byCriterion)
	for lender := range t.lendersTo(e) {
		if t.Row(lender) < 0 {
			continue // it is not among those looked at
		}
		lent := map[string][]Traced{}
		t.traceChain(t.Row(lender), reviews, &opts, lent)
		for i, c := range t.Criteria {
			if t.Cells[e][i].Lender() == lender {
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
		traces = append(traces, Trace{c.Key, append([]Traced{}, readings...), t.Cells[e][i].Estimates()})
	}
	return traces, nil
}

func (t *Table) lendersTo(e int) map[string]bool {
	lenders := map[string]bool{}
	for i := range t.Cells[e] {
		if from := t.Cells[e][i].Lender(); from != "" {
			lenders[from] = true
		}
	}
	return lenders
}

// traceChain collects the readings of the review that edition e stands with and of
// those that it continues, and says of the unusable ones why they are.
func (t *Table) traceChain(e int, reviews map[string]*reading.Review, opts *Options, into map[string][]Traced) {
	chain := reading.Chain(t.Owns[e].Review, reviews)
	successors := replaced(chain, opts.At)
	for _, r := range chain {
		changed := changedBy(r.Readings, opts.At)
		for i := range r.Readings {
			x := &r.Readings[i]
			traced := Traced{Review: r.ID, Edition: r.Edition, Reading: x}
			if c, ok := changed[x.ID]; ok {
				traced.Changed = &c
			}
			switch successor, gone := successors[x.ID]; {
			case !measuredBy(x, opts.At):
				traced.Why = "measured later than the moment asked for"
			case gone:
				traced.Why = "replaced by reading " + successor
			}
			into[x.Criterion] = append(into[x.Criterion], traced)
		}
	}
}

// judge says of the usable readings of one cell which count, and why the others
// do not.
func (t *Table) judge(e, i int, readings []Traced) {
	c, cell := t.Criteria[i], &t.Cells[e][i]
	counting := t.counting(i)
	counts := map[*reading.Reading]bool{}
	for r := range cell.Rigs {
		for _, used := range cell.Rigs[r].trials {
			counts[used.Reading] = true
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
		case !counts[x]:
			readings[n].Why = "the same reviewer has a later reading" + onThatRig(x)
		case counting != nil && !counting(cell.Rigs, x.Rig) && t.onIt(i, cell.Rigs, x.Rig):
			readings[n].Why = "not every edition was measured" + onThatRig(x)
		case counting != nil && !counting(cell.Rigs, x.Rig):
			readings[n].Why = "only what was found on " + strings.Join(t.on, ", ") + " is asked for"
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

// unfit says why a usable reading cannot score; empty where it can.
func unfit(x *reading.Reading, c *checklist.Criterion, work *tabler) string {
	switch {
	case x.Disturbance != "":
		return "disturbed: " + x.Disturbance
	case x.Answer.NotTested != "":
		return "says not tested: " + x.Answer.NotTested
	case x.Answer.NotApplicable != "":
		return "says not applicable: " + x.Answer.NotApplicable
	}
	for _, f := range []struct{ name, rule, is string }{
		{"method", c.Context.Method, x.Context.Method},
		{"setup", c.Context.Setup, x.Context.Setup},
		{"phase", c.Context.Phase, x.Context.Phase},
	} {
		if f.rule != "" && f.rule != f.is {
			return fmt.Sprintf("%s is %s; the rule asks for %s", f.name, cmp.Or(f.is, "not stated"), f.rule)
		}
	}
	if _, ok := work.worth(x, c); !ok {
		return "its value has no place on the rule"
	}
	return ""
}
