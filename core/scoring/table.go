package scoring

import (
	"fmt"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// Table is the points of all standing editions on one checklist version.
type Table struct {
	Checklist *checklist.Checklist
	Criteria  []*checklist.Criterion
	Sections  []int // the section of each criterion
	Editions  []string
	Reviews   []string // the review that each edition stands with
	Cells     [][]Cell // by edition, then criterion
	Owns      []Own    // what each edition has of its own
	name      string   // of the checklist version
	weight    func(rig string) float64
	index     map[string]int
	rigs      [][]string                 // that measures were answered on, by criterion
	rigCount  []int32                    // how many of them, by edition and criterion
	best      map[int]map[string]float64 // of the field, by criterion and rig
	common    bool
	on        []string // the only rigs that measures count on; nil is all
	origins   []*Table // where each edition's cells are from; nil: from here
}

// Tabulate computes the points of every edition that stands on the input's
// checklist version. The audience of opts plays no part in it.
func Tabulate(in Input, opts Options) *Table {
	t := newTable(in.Checklist)
	t.weight = in.rigWeight(&opts)
	g := gatherer{reviews: in.byID(), index: t.index, at: opts.At, ignored: in.Ignored}
	for _, r := range standing(&in, opts.At) {
		t.Owns = append(t.Owns, g.gather(r))
		t.Editions = append(t.Editions, r.Edition)
		t.Reviews = append(t.Reviews, r.ID)
	}
	t.fill(&opts)
	return t
}

// Desk computes the points of one review as it stands on the desk, accepted or
// not, beside the editions that stand; the review takes its edition's place.
func Desk(in Input, review string, opts Options) (*Table, error) {
	reviews := slices.Clone(in.Reviews)
	at := slices.IndexFunc(reviews, func(r reading.Review) bool { return r.ID == review })
	if at < 0 {
		return nil, fmt.Errorf("there is no review %s", review)
	}
	edition, name := reviews[at].Edition, reviews[at].Checklist
	for i := range reviews {
		r := &reviews[i]
		if i != at && r.Edition == edition && r.Checklist == name && r.State == reading.Accepted {
			r.State = reading.Withdrawn
		}
	}
	on := &reviews[at]
	on.State = reading.Accepted
	if on.Accepted == nil {
		on.Accepted = opts.At
	}
	if on.Accepted == nil {
		on.Accepted = newestReading(on)
	}
	in.Reviews = reviews
	return Tabulate(in, opts), nil
}

func newTable(c *checklist.Checklist) *Table {
	t := &Table{Checklist: c, name: c.Name(), index: map[string]int{}}
	for s := range c.Sections {
		for i := range c.Sections[s].Criteria {
			criterion := &c.Sections[s].Criteria[i]
			t.index[criterion.Key] = len(t.Criteria)
			t.Criteria = append(t.Criteria, criterion)
			t.Sections = append(t.Sections, s)
		}
	}
	return t
}

// Row is the place of an edition in the table, or -1 where it has none. Editions are in the order of their keys.
func (t *Table) Row(edition string) int {
	if e, ok := slices.BinarySearch(t.Editions, edition); ok {
		return e
	}
	return -1
}

// Runs is how many runs and other answers count for these editions, by their places in the
// table.
func (t *Table) Runs(editions []int) (n int) {
	for _, e := range editions {
		for i := range t.Cells[e] {
			for r := range t.Cells[e][i].Rigs {
				for _, x := range t.Cells[e][i].Rigs[r].trials {
					n += max(len(x.Answer.Runs), 1)
				}
			}
		}
	}
	return n
}

// Index is the place of a criterion in the table, and whether it has one.
func (t *Table) Index(criterion string) (int, bool) {
	i, ok := t.index[criterion]
	return i, ok
}

// fill computes the cells edition by edition, and then what needs all editions:
// field curves, estimated rigs and common rigs.
func (t *Table) fill(opts *Options) {
	n := len(t.Criteria)
	t.common, t.on, t.best = opts.CommonRigs, opts.Rigs, map[int]map[string]float64{}
	t.rigs, t.rigCount = make([][]string, n), make([]int32, len(t.Owns)*n)
	f := filler{Table: t, early: make([]bool, n), lend: make([]map[string]*Own, n), field: make([][][]trial, n)}
	whole := !t.common && t.on == nil && opts.Only == nil
	for i, c := range t.Criteria {
		f.lend[i] = lenders(t.Owns, i, c.Scope)
		if c.Relative() {
			f.field[i] = make([][]trial, len(t.Owns))
		}
		f.early[i] = whole && !c.Relative() && !t.adjusts(i)
	}
	f.eachAlone()
	f.againstBest()
	for i := range t.Criteria {
		if t.adjusts(i) {
			t.estimate(i)
		}
	}
	t.narrow(opts.Only)
	f.weighRest()
}

// filler fills a table.
type filler struct {
	*Table
	work  tabler
	early []bool            // by criterion: its cells are weighed as soon as they are there
	lend  []map[string]*Own // by criterion: the editions that lend their readings
	field [][][]trial       // by criterion that the best of the field decides, and by edition
}

// eachAlone fills in what one edition's readings tell.
func (f *filler) eachAlone() {
	n := len(f.Criteria)
	cells := make([]Cell, len(f.Owns)*n)
	f.Cells = make([][]Cell, len(f.Owns))
	for e := range f.Owns {
		f.Cells[e] = cells[e*n : (e+1)*n : (e+1)*n]
		for i, c := range f.Criteria {
			cell := &f.Cells[e][i]
			usable, from := f.Owns[e].usable(i, f.lend[i], c.Scope)
			trials := f.work.cell(cell, c, usable, from)
			if f.field[i] != nil {
				f.field[i][e] = trials
				continue
			}
			cell.Rigs = f.work.onRigs(trials, c, f.Checklist.Policy.Reviewers, nil)
			if f.early[i] {
				f.weighCell(e, i, nil)
			}
		}
	}
}

// againstBest fills in the criteria that the best of the field decides.
func (f *filler) againstBest() {
	for i, c := range f.Criteria {
		if f.field[i] == nil {
			continue
		}
		f.best[i] = fieldBest(f.field[i], c)
		for e := range f.Owns {
			f.Cells[e][i].Rigs = f.work.onRigs(f.field[i][e], c, f.Checklist.Policy.Reviewers, f.best[i])
		}
	}
}

// weighRest weighs the cells that had to wait for all editions.
func (f *filler) weighRest() {
	for i, c := range f.Criteria {
		if !c.Scored() || f.early[i] {
			continue
		}
		counts := f.counting(i)
		for e := range f.Editions {
			f.weighCell(e, i, counts)
		}
	}
}

func (f *filler) weighCell(e, i int, counts func(rigs []OnRig, rig string) bool) {
	c := f.Criteria[i]
	if c.Scored() {
		f.Cells[e][i].weigh(f.weight, counts, &f.work.values)
	}
	if c.Measured() {
		f.countRigs(e, i)
	}
}

// narrow leaves out the editions that are not looked at.
func (t *Table) narrow(only map[string]bool) {
	if only == nil {
		return
	}
	n := 0
	for e, edition := range t.Editions {
		if only[edition] {
			t.Editions[n], t.Reviews[n], t.Cells[n], t.Owns[n] = edition, t.Reviews[e], t.Cells[e], t.Owns[e]
			n++
		}
	}
	t.Editions, t.Reviews, t.Cells, t.Owns = t.Editions[:n], t.Reviews[:n], t.Cells[:n], t.Owns[:n]
}

// usable is the readings of criterion i that an edition goes by, its own or
// those of the edition that lends to it.
func (o *Own) usable(i int, lend map[string]*Own, scope checklist.Scope) (usable []*reading.Reading, from string) {
	usable = o.Of(i)
	if len(usable) == 0 && lend != nil {
		if l := lend[scopeKey(o.Edition, scope)]; l != nil {
			return l.Of(i), l.Edition
		}
	}
	return usable, ""
}

func (t *tabler) cell(cell *Cell, c *checklist.Criterion, usable []*reading.Reading, from string) []trial {
	cell.Key = c.Key
	trials, leftOut := t.scoring(usable, c)
	var reason string
	cell.State, reason = state(usable, len(trials) > 0)
	fact := !c.Scored() && len(trials) > 0
	if from != "" || leftOut != nil || reason != "" || fact {
		cell.Remarks = &Remarks{Reason: reason, InheritedFrom: from, LeftOut: leftOut}
	}
	if fact {
		cell.Remarks.Fact = newestFact(trials)
	}
	return trials
}

// state tells a criterion's state, with the newest reason where it is not
// answered.
func state(usable []*reading.Reading, answered bool) (State, string) {
	if answered {
		return Answered, ""
	}
	var na, nt *reading.Reading
	for _, x := range usable {
		if x.Answer.NotApplicable != "" && (na == nil || later(x, na)) {
			na = x
		}
		if x.Answer.NotTested != "" && (nt == nil || later(x, nt)) {
			nt = x
		}
	}
	switch {
	case na != nil:
		return NotApplicable, na.Answer.NotApplicable
	case nt != nil:
		return NotTested, nt.Answer.NotTested
	}
	return NotTested, ""
}

func newestFact(trials []trial) *reading.Fact {
	newest := trials[0]
	for _, t := range trials[1:] {
		if later(t.Reading, newest.Reading) {
			newest = t
		}
	}
	return newest.Answer.Fact
}

// fieldBest is the best value on each rig of all editions, for a field curve.
func fieldBest(trials [][]trial, c *checklist.Criterion) map[string]float64 {
	if !c.Relative() {
		return nil
	}
	best := map[string]float64{}
	for _, ts := range trials {
		for len(ts) > 0 {
			n := 1
			for n < len(ts) && ts[n].Rig == ts[0].Rig {
				n++
			}
			rig := OnRig{Rig: ts[0].Rig, trials: ts[:n]}
			value := rig.Mean()
			old, ok := best[rig.Rig]
			if !ok || (c.LowerIsBetter() && value < old) || (!c.LowerIsBetter() && value > old) {
				best[rig.Rig] = value
			}
			ts = ts[n:]
		}
	}
	return best
}
