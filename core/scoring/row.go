package scoring

import (
	"slices"
	"time"
	"unique"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// Row is what the readings of one review, and of those that it continues, give for each criterion, without other
// editions. It holds only numbers, some 24 bytes for each criterion and rig, so that a field of many editions takes
// little memory; the readings are read again when they are needed.
type Row struct {
	edition  string
	review   string  // id
	cells    []brief // by criterion
	onRigs   []rigBrief
	rigs     []string
	contexts []unique.Handle[checklist.Context]
	lends    []lend // results for criteria of wide scope
}

// brief is a Cell in few bytes.
type brief struct {
	from  uint32 // index into the row's onRigs
	runs  uint32 // number of runs and other answers that count
	rigs  uint16
	state uint8 // index into states
	// unsteady: the runs of a reading that counts scatter by more than the criterion tolerates.
	unsteady bool
}

// states lists the states of a brief.
var states = [...]State{NotTested, Answered, NotApplicable}

// rigBrief is an OnRig in few bytes.
type rigBrief struct {
	value   float64 // of a measure: the mean over reviewers
	points  float64 // unless the field decides them
	rig     uint16  // index into the row's rigs
	context uint16  // index into the row's contexts, from 1; 0: the readings were made in several
}

// lend is when the newest usable reading of a criterion was measured.
type lend struct {
	criterion int
	newest    time.Time
}

// at returns the brief of criterion i and its rigs.
func (r *Row) at(i int) (*brief, []rigBrief) {
	b := &r.cells[i]
	return b, r.onRigs[b.from : b.from+uint32(b.rigs)]
}

// lendsAt returns when the newest usable reading of criterion i was measured; ok is false if there is none.
func (r *Row) lendsAt(i int) (newest time.Time, ok bool) {
	for _, l := range r.lends {
		if l.criterion == i {
			return l.newest, true
		}
	}
	return newest, false
}

// rower makes rows. It is not safe for concurrent use.
type rower struct {
	*Table
	gather gatherer
	work   tabler
	onRigs []rigBrief
	cells  []Cell
	runs   []float64
	pass   bool // only the row is kept
}

func (t *Table) rower(pass bool) *rower {
	gather := gatherer{in: &t.in, reviews: t.reviews, index: t.index, at: t.at, passing: pass}
	return &rower{Table: t, pass: pass, gather: gather}
}

// make returns the row of a review, from the source's memory if possible.
func (w *rower) make(review *reading.Review) *Row {
	if w.at != nil || w.in.Ignored != nil || !w.gather.kept(review) {
		return w.row(review)
	}
	return w.in.Source.Row(w.Checklist, review, func() *Row { return w.row(review) })
}

// kept reports whether all readings of a review's chain come from the source.
func (g *gatherer) kept(review *reading.Review) bool {
	if g.in.Source == nil {
		return false
	}
	for _, r := range reading.Chain(review, g.reviews) {
		if r.Readings != nil {
			return false
		}
	}
	return true
}

// row computes what an edition has of its own.
func (w *rower) row(review *reading.Review) *Row {
	if w.pass {
		w.gather.again()
		w.work.again()
		w.cells = append(w.cells[:0], make([]Cell, len(w.Criteria))...)
	} else {
		w.cells = make([]Cell, len(w.Criteria))
	}
	own := w.gather.gather(review)
	row := &Row{edition: review.Edition, review: review.ID, cells: make([]brief, len(w.Criteria))}
	w.onRigs = w.onRigs[:0]
	for i, c := range w.Criteria {
		usable, cell := own.Of(i), &w.cells[i]
		if c.Scope.Wide() && len(usable) > 0 {
			row.lends = append(row.lends, lend{i, newestOf(usable)})
		}
		w.work.cell(cell, c, usable, w.Checklist.Policy.Reviewers)
		b := &row.cells[i]
		b.from = uint32(len(w.onRigs))
		b.state = uint8(slices.Index(states[:], cell.State))
		b.rigs = uint16(len(cell.Rigs))
		for r := range cell.Rigs {
			for _, x := range cell.Rigs[r].trials {
				b.runs += uint32(max(len(x.Answer.Runs), 1))
				b.unsteady = b.unsteady || c.Measured() && w.scatters(x.Reading, c)
			}
			w.onRigs = append(w.onRigs, row.brief(&cell.Rigs[r], c))
		}
	}
	row.onRigs = slices.Clone(w.onRigs)
	if !w.pass {
		w.opened.keep(row, &opened{own: own, alone: w.cells})
	}
	return row
}

// scatters reports whether the runs of a reading scatter by more than the criterion tolerates.
func (w *rower) scatters(r *reading.Reading, c *checklist.Criterion) bool {
	w.runs = reading.AppendAdjusted(w.runs[:0], r)
	spread, ok := reading.Spread(w.runs)
	return ok && Scatters(spread, c)
}

// Scatters reports whether a spread of runs is larger than the criterion tolerates.
func Scatters(spread float64, c *checklist.Criterion) bool {
	return spread > c.Tolerance()+reading.Slack
}

// Unsteady reports whether the runs of a reading that counts for measure i of edition e scatter by more than the
// criterion tolerates.
func (t *Table) Unsteady(e, i int) bool {
	_, b, _ := t.brief(e, i)
	return b.unsteady
}

func (r *Row) brief(on *OnRig, c *checklist.Criterion) rigBrief {
	x := rigBrief{points: on.Points, rig: place(&r.rigs, on.Rig)}
	if c.Measured() {
		x.value = on.Mean()
	}
	if context, same := on.Context(); same {
		x.context = place(&r.contexts, unique.Make(context)) + 1
	}
	return x
}

// place returns the index of a value in a list, and appends the value if it was not there.
func place[T comparable](list *[]T, value T) uint16 {
	i := slices.Index(*list, value)
	if i < 0 {
		i = len(*list)
		*list = append(*list, value)
	}
	return uint16(i)
}

func newestOf(usable []*reading.Reading) (newest time.Time) {
	for _, x := range usable {
		if x.At.After(newest) {
			newest = x.At
		}
	}
	return newest
}

// Values calls visit with the values of measure i of edition e by rig. Inherited values, and values measured in
// several contexts, are not comparable and are left out.
func (t *Table) Values(e, i int, visit func(rig string, context checklist.Context, value float64)) {
	row, _, rigs := t.brief(e, i)
	if row.edition != t.Editions[e] {
		return
	}
	for _, x := range rigs {
		if x.context > 0 {
			visit(row.rigs[x.rig], row.contexts[x.context-1].Value(), x.value)
		}
	}
}

// Most returns the value of measure i of edition e on a rig or, if it was not measured there, the highest value on
// any rig, with that rig. Inherited values count. ok is false if there is none.
func (t *Table) Most(e, i int, rig string) (value float64, on string, ok bool) {
	row, b, rigs := t.brief(e, i)
	if states[b.state] != Answered {
		return 0, "", false
	}
	for _, x := range rigs {
		name := row.rigs[x.rig]
		if name == rig {
			return x.value, name, true
		}
		if !ok || x.value > value {
			value, on, ok = x.value, name, true
		}
	}
	return value, on, ok
}
