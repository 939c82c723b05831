package scoring

import (
	"slices"
	"sync"
)

// opened is what a row was made from, and the cells of its edition.
type opened struct {
	own   Own
	alone []Cell // cells of its own readings, without other editions
	cells []Cell // cells as in the table; nil: not computed yet
}

// shelf keeps opened rows: all, or the most recently used.
type shelf struct {
	mu         sync.Mutex
	all        bool
	young, old map[*Row]*opened
}

// mostOpened is how many rows young holds; old holds as many again.
const mostOpened = 32

func (s *shelf) find(row *Row) *opened {
	s.mu.Lock()
	defer s.mu.Unlock()
	if x := s.young[row]; x != nil {
		return x
	}
	return s.old[row]
}

func (s *shelf) keep(row *Row, x *opened) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.young == nil || (!s.all && len(s.young) >= mostOpened) {
		s.old, s.young = s.young, map[*Row]*opened{}
	}
	s.young[row] = x
}

// Own returns what edition e has of its own.
func (t *Table) Own(e int) *Own {
	if t.origins != nil {
		return t.origins[e].table.Own(t.origins[e].at)
	}
	return &t.openRow(t.rows[e]).own
}

// openRow reads a row's readings again and computes their cells, without other editions.
func (t *Table) openRow(row *Row) *opened {
	if x := t.opened.find(row); x != nil {
		return x
	}
	w := t.rower(false)
	x := &opened{own: w.gather.gather(t.reviews[row.review]), alone: make([]Cell, len(t.Criteria))}
	for i, c := range t.Criteria {
		w.work.cell(&x.alone[i], c, x.own.Of(i), t.Checklist.Policy.Reviewers)
	}
	t.opened.keep(row, x)
	return x
}

// Cells returns what is known of each criterion for edition e, in the table's order, with its origin. Cells are
// shared: do not modify them.
func (t *Table) Cells(e int) []Cell {
	if t.origins != nil {
		return t.origins[e].table.Cells(t.origins[e].at)
	}
	row := t.rows[e]
	x := t.openRow(row)
	t.opened.mu.Lock()
	cells := x.cells
	t.opened.mu.Unlock()
	if cells != nil {
		return cells
	}
	cells = slices.Clone(x.alone)
	var values pool[float64]
	for i := range cells {
		if from := t.lent[i][row]; from != nil {
			cells[i] = t.openRow(from).alone[i]
			cells[i].lentBy(from.edition)
		}
		t.finish(e, i, &cells[i], &values)
	}
	t.opened.mu.Lock()
	defer t.opened.mu.Unlock()
	if x.cells == nil {
		x.cells = cells
	}
	return x.cells
}

// Cell returns what is known of criterion i for edition e.
func (t *Table) Cell(e, i int) *Cell { return &t.Cells(e)[i] }

// finish adds to a cell what needs all editions, and computes its points.
func (t *Table) finish(e, i int, cell *Cell, values *pool[float64]) {
	c, counts := t.Criteria[i], t.counting(i)
	relative := t.best[i] != nil && c.Across != "worst"
	if relative || counts != nil { // the original's rigs must not be modified
		cell.Rigs = slices.Clone(cell.Rigs)
	}
	for r := range cell.Rigs {
		if on := &cell.Rigs[r]; relative {
			on.Points = c.Curve.At(*on.Value, t.best[i][on.Rig], c.Better)
		}
	}
	if x := t.estimates(e, i); x != nil {
		cell.ownRemarks().Estimated = x
	}
	if c.Scored() {
		if cell.Remarks != nil {
			cell.ownRemarks()
		}
		cell.weigh(t.weight, counts, values)
	}
}

// lentBy records whose readings are used instead.
func (c *Cell) lentBy(edition string) { c.ownRemarks().InheritedFrom = edition }

// ownRemarks returns remarks that no other cell shares.
func (c *Cell) ownRemarks() *Remarks {
	own := Remarks{}
	if c.Remarks != nil {
		own = *c.Remarks
	}
	c.Remarks = &own
	return &own
}
