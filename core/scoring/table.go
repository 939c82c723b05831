package scoring

import (
	"runtime"
	"slices"
	"sync"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/parallel"
	"dappertally/core/reading"
)

// Table is the points of all accepted editions on one checklist version.
type Table struct {
	Checklist *checklist.Checklist
	Criteria  []*checklist.Criterion
	Sections  []int // the section of each criterion
	Editions  []string
	Reviews   []string // the current review of each edition
	name      string   // of the checklist version
	weight    func(rig string) float64
	index     map[string]int
	in        Input
	at        *time.Time
	reviews   map[string]*reading.Review // by id
	rows      []*Row                     // by edition
	lent      []map[*Row]*Row            // by criterion, for editions that borrow: their lenders
	best      []map[string]float64       // best of the field, by criterion and rig; nil if it does not matter
	fits      []*fit                     // by criterion; nil if rigs are not estimated
	common    bool
	shared    []map[string]bool // rigs that all editions have, by criterion; if only common rigs count
	on        []string          // the only rigs on which measures count; nil: all
	rigs      [][]string        // rigs on which measures were answered, by criterion
	rigCount  []uint16          // the number of these, by edition and criterion
	weighed   sync.Once         // the following fields are filled in when needed
	columns   *Columns
	origins   []origin // the table of each edition's cells; nil: this one
	opened    shelf
}

// Tabulate computes the points of every edition with an accepted review on the input's checklist version. It ignores
// the audience of opts.
func Tabulate(in Input, opts Options) *Table {
	t := newTable(in.Checklist)
	t.in, t.at, t.weight, t.reviews = in, opts.At, in.rigWeight(&opts), in.byID()
	t.opened.all = in.Source == nil
	t.makeRows(currentReviews(&in, opts.At))
	t.fill(&opts)
	return t
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

// Row returns the index of an edition in the table, or -1 if it is not there. Editions are ordered by key.
func (t *Table) Row(edition string) int {
	if e, ok := slices.BinarySearch(t.Editions, edition); ok {
		return e
	}
	return -1
}

// Runs returns how many runs and other answers count for these editions, given by their indexes.
func (t *Table) Runs(editions []int) (n int) {
	for _, e := range editions {
		for i := range t.Criteria {
			_, b, _ := t.brief(e, i)
			n += int(b.runs)
		}
	}
	return n
}

// Index returns the index of a criterion in the table, and whether it has one.
func (t *Table) Index(criterion string) (int, bool) {
	i, ok := t.index[criterion]
	return i, ok
}

// fewRows is how many rows are not worth sharing among processors.
const fewRows = 64

// makeRows computes the rows of these reviews and of those that they continue.
func (t *Table) makeRows(reviews []*reading.Review) {
	t.rows = make([]*Row, len(reviews))
	var makers sync.WaitGroup
	const chunk = 32
	next := make(chan int)
	workers := 1
	if len(reviews) >= fewRows {
		workers = runtime.GOMAXPROCS(0)
	}
	for range workers {
		makers.Go(func() {
			w := t.rower(!t.opened.all)
			for low := range next {
				for n := low; n < min(low+chunk, len(reviews)); n++ {
					t.rows[n] = w.make(reviews[n])
				}
			}
		})
	}
	for low := 0; low < len(reviews); low += chunk {
		next <- low
	}
	close(next)
	makers.Wait()
	for _, r := range reviews {
		t.Editions = append(t.Editions, r.Edition)
		t.Reviews = append(t.Reviews, r.ID)
	}
}

// fill computes what needs all editions, except the points.
func (t *Table) fill(opts *Options) {
	t.common, t.on = opts.CommonRigs, opts.Rigs
	t.field(func(int) *fit { return nil })
	t.narrow(opts.Only)
	if t.common {
		t.shared = make([]map[string]bool, len(t.Criteria))
		for i, c := range t.Criteria {
			if c.Scored() {
				t.shared[i] = t.sharedRigs(i)
			}
		}
	}
}

// field finds the lenders, the best of the field and the effects of rigs, unless they are known already.
func (t *Table) field(known func(i int) *fit) {
	n := len(t.Criteria)
	t.lent, t.best, t.fits = make([]map[*Row]*Row, n), make([]map[string]float64, n), make([]*fit, n)
	t.atOnce(n, func(i int) {
		c := t.Criteria[i]
		t.lent[i] = borrow(t.rows, i, c.Scope)
		if c.Relative() {
			t.best[i] = t.fieldBest(i)
		}
	})
	var unknown []int
	for i := range n {
		if !t.adjusts(i) {
			continue
		}
		if t.fits[i] = known(i); t.fits[i] == nil {
			unknown = append(unknown, i)
		}
	}
	parts := min(len(unknown), runtime.GOMAXPROCS(0))
	t.atOnce(parts, func(part int) {
		t.newFits(unknown[part*len(unknown)/parts : (part+1)*len(unknown)/parts])
	})
}

// brief returns what is known of criterion i for edition e before the points are computed, and the row that holds it:
// the edition's own, or its lender's.
func (t *Table) brief(e, i int) (*Row, *brief, []rigBrief) {
	if t.origins != nil {
		return t.origins[e].table.brief(t.origins[e].at, i)
	}
	row := t.rows[e]
	if from := t.lent[i][row]; from != nil {
		row = from
	}
	b, rigs := row.at(i)
	return row, b, rigs
}

// onRig returns the points of criterion i on one rig.
func (t *Table) onRig(i int, row *Row, x *rigBrief) float64 {
	c := t.Criteria[i]
	if t.best[i] == nil || c.Across == "worst" {
		return x.points
	}
	return c.Curve.At(x.value, t.best[i][row.rigs[x.rig]], c.Better)
}

// weigh fills the columns with points.
func (t *Table) weigh() {
	if t.columns != nil {
		return // they are combined
	}
	n := len(t.Criteria)
	t.columns = NewColumns(t.Checklist, t.Editions)
	t.rigs, t.rigCount = make([][]string, n), make([]uint16, len(t.rows)*n)
	decisive := make([]bool, n)
	for _, key := range t.Checklist.Policy.Decisive {
		if i, ok := t.index[key]; ok && t.adjusts(i) {
			decisive[i] = true
			t.columns.keepRigs(i)
		}
	}
	t.columns.estimated = make([][]bool, n)
	t.atOnce(len(t.Checklist.Sections), func(s int) { // each section has bytes of its own in the columns
		var weighers []*weigher
		for i, c := range t.Criteria {
			if c.Scored() && t.Sections[i] == s {
				weighers = append(weighers, &weigher{Table: t, counts: t.counting(i), criterion: i, decisive: decisive[i]})
			}
		}
		t.inGroups(func(low, high int) {
			for _, w := range weighers {
				for e := low; e < high; e++ {
					w.weigh(e)
				}
			}
		})
	})
}

// rowGroup is how many rows a processor keeps at hand while it reads them for one criterion after another.
const rowGroup = 64

// inGroups calls do with the rows from low up to high, until all rows were visited in order.
func (t *Table) inGroups(do func(low, high int)) {
	for low := 0; low < len(t.rows); low += rowGroup {
		do(low, min(low+rowGroup, len(t.rows)))
	}
}

// atOnce runs independent parts, on all processors if there are many rows.
func (t *Table) atOnce(parts int, do func(part int)) {
	if len(t.rows) < fewRows {
		for part := range parts {
			do(part)
		}
		return
	}
	parallel.Each(parts, do)
}

// weigher computes the points of one criterion from its points on rigs.
type weigher struct {
	*Table
	criterion int
	counts    func(rigs []string, rig string) bool
	decisive  bool
	names     []string
	weights   []rigWeight // weights of the rigs so far
}

type rigWeight struct {
	rig    string
	weight float64
}

// weightOf returns the weight of a rig, which is looked up once.
func (w *weigher) weightOf(rig string) float64 {
	for i := range w.weights {
		if w.weights[i].rig == rig {
			return w.weights[i].weight
		}
	}
	x := w.weight(rig)
	w.weights = append(w.weights, rigWeight{rig, x})
	return x
}

func (w *weigher) weigh(e int) {
	i := w.criterion
	row, b, rigs := w.brief(e, i)
	if states[b.state] != Answered {
		w.columns.Set(e, i, states[b.state], 0)
		return
	}
	if w.counts != nil {
		w.names = w.names[:0]
		for _, r := range rigs {
			w.names = append(w.names, row.rigs[r.rig])
		}
	}
	var sum, total float64
	for r := range rigs {
		rig := row.rigs[rigs[r].rig]
		weight := w.weightOf(rig)
		if w.counts != nil && !w.counts(w.names, rig) {
			continue
		}
		points := w.onRig(i, row, &rigs[r])
		sum += weight * points
		total += weight
		if w.decisive && weight > 0 {
			w.columns.onRigs[i][e] = append(w.columns.onRigs[i][e], rigPoints{rig, weight, points})
		}
	}
	estimates := w.estimates(e, i)
	for _, x := range estimates {
		sum += x.Weight * x.Points
		total += x.Weight
		if x.Weight > 0 {
			w.columns.markEstimated(e, i)
		}
	}
	if total == 0 {
		w.columns.Set(e, i, NotTested, 0)
		return
	}
	w.columns.Set(e, i, Answered, sum/total)
	if w.Criteria[i].Measured() {
		for r := range rigs {
			if rig := row.rigs[rigs[r].rig]; w.weightOf(rig) != 0 {
				w.countRig(e, i, rig)
			}
		}
		for _, x := range estimates {
			if x.Weight != 0 {
				w.countRig(e, i, x.Rig)
			}
		}
	}
}

// narrow removes the editions that are not included.
func (t *Table) narrow(only map[string]bool) {
	if only == nil {
		return
	}
	n := 0
	for e, edition := range t.Editions {
		if only[edition] {
			t.Editions[n], t.Reviews[n], t.rows[n] = edition, t.Reviews[e], t.rows[e]
			n++
		}
	}
	t.Editions, t.Reviews, t.rows = t.Editions[:n], t.Reviews[:n], t.rows[:n]
}

// cell sets the cell to the result of a criterion's usable readings alone; the points on rigs do not yet consider the
// best of the field.
func (t *tabler) cell(cell *Cell, c *checklist.Criterion, usable []*reading.Reading, reviewers string) {
	cell.Key = c.Key
	trials, leftOut := t.scoring(usable, c)
	var reason string
	cell.State, reason = state(usable, len(trials) > 0)
	fact := !c.Scored() && len(trials) > 0
	if leftOut != nil || reason != "" || fact {
		cell.Remarks = &Remarks{Reason: reason, LeftOut: leftOut}
	}
	if fact {
		cell.Remarks.Fact = newestFact(trials)
	}
	cell.Rigs = t.onRigs(trials, c, reviewers)
}

// state returns a criterion's state, with the newest reason if it is not answered.
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

// fieldBest returns the best value of all editions on each rig, for a field curve.
func (t *Table) fieldBest(i int) map[string]float64 {
	best := map[string]float64{}
	for e := range t.rows {
		row, _, rigs := t.brief(e, i)
		for _, r := range rigs {
			rig := row.rigs[r.rig]
			old, ok := best[rig]
			if lower := t.Criteria[i].LowerIsBetter(); !ok || (lower && r.value < old) || (!lower && r.value > old) {
				best[rig] = r.value
			}
		}
	}
	return best
}
