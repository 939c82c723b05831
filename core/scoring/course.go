package scoring

import (
	"slices"

	"dappertally/core/checklist"
)

// Stay is a row that is part of a field from one moment on and before another, by number.
type Stay struct {
	Row      *Row
	From, To int
}

// Course is how a field changes from moment to moment: what depends on all editions at each moment, so that single
// editions can be scored for a moment without all others.
type Course struct {
	base    *Table
	moments int
	stays   []Stay
	rigs    [][]string             // by criterion: rigs on which it was measured at any time
	fits    [][]*fit               // by criterion, then moment; nil if no rig is estimated
	best    [][]map[string]float64 // by criterion, then moment; nil if the best does not matter
	lending []map[string][]int     // by criterion of wide scope: stays that lend, by release or distribution
}

// Rows returns the rows of reviews of the input, by id. It is not safe for concurrent use.
func (in Input) Rows() func(review string) *Row {
	t := newTable(in.Checklist)
	t.in, t.reviews = in, in.byID()
	w := t.rower(true)
	return func(review string) *Row { return w.make(t.reviews[review]) }
}

// NewCourse follows a field through so many moments. ok is false if every moment needs all editions: if rigs are
// adjusted by values that are not positive, or only some rigs count.
func NewCourse(in Input, opts Options, stays []Stay, moments int) (c *Course, ok bool) {
	t := newTable(in.Checklist)
	t.in, t.weight = in, in.rigWeight(&opts)
	n := len(t.Criteria)
	c = &Course{
		base: t, moments: moments, stays: stays, rigs: make([][]string, n), fits: make([][]*fit, n),
		best: make([][]map[string]float64, n), lending: make([]map[string][]int, n),
	}
	if opts.CommonRigs || opts.Rigs != nil {
		return nil, false
	}
	for i, x := range t.Criteria {
		if x.Scope.Wide() {
			c.lend(i, x.Scope)
		}
	}
	sound := make([]bool, n)
	t.rows = make([]*Row, len(stays)) // the number decides whether processors share the work
	t.atOnce(n, func(i int) {
		sound[i] = true
		if t.adjusts(i) {
			sound[i] = c.fit(i)
		}
		if t.Criteria[i].Relative() {
			c.bests(i)
		}
	})
	return c, !slices.Contains(sound, false)
}

// Checklist returns the checklist version by which the field is scored.
func (c *Course) Checklist() *checklist.Checklist { return c.base.Checklist }

// Edition returns the edition of a stay.
func (c *Course) Edition(stay int) string { return c.stays[stay].Row.edition }

// Present returns those of some stays that are in the field at some moment from one on and before another.
func (c *Course) Present(from, to int, stays []int) []int {
	var present []int
	for _, s := range stays {
		if c.stays[s].From < to && c.stays[s].To > from {
			present = append(present, s)
		}
	}
	return present
}

// Stays returns the numbers of all stays.
func (c *Course) Stays() []int {
	all := make([]int, len(c.stays))
	for n := range all {
		all[n] = n
	}
	return all
}

func (c *Course) lend(i int, scope checklist.Scope) {
	c.lending[i] = map[string][]int{}
	for n, s := range c.stays {
		if _, lends := s.Row.lendsAt(i); lends {
			group := scopeKey(s.Row.edition, scope)
			c.lending[i][group] = append(c.lending[i][group], n)
		}
	}
}

// coming returns, by moment, the stays that begin and end there.
func (c *Course) coming() (begin, end [][]int) {
	begin, end = make([][]int, c.moments+1), make([][]int, c.moments+1)
	for n, s := range c.stays {
		begin[s.From] = append(begin[s.From], n)
		end[s.To] = append(end[s.To], n)
	}
	return begin, end
}

// fit computes the effects of rigs on criterion i at every moment; false if a value is not positive, so that it has
// no logarithm.
func (c *Course) fit(i int) bool {
	f := &fit{logs: true}
	for _, s := range c.stays {
		_, briefs := s.Row.at(i)
		for _, x := range briefs {
			rig := s.Row.rigs[x.rig]
			if at, there := slices.BinarySearch(f.rigs, rig); !there {
				f.rigs = slices.Insert(f.rigs, at, rig)
			}
			if !(x.value > 0) {
				return false
			}
		}
	}
	c.rigs[i] = f.rigs
	n := len(f.rigs)
	f.shared, f.normal, f.right = make([][]int, n), make([][]float64, n), make([]float64, n)
	for r := range f.rigs {
		f.shared[r], f.normal[r] = make([]int, n), make([]float64, n)
	}
	begin, end := c.coming()
	c.fits[i] = make([]*fit, c.moments)
	x := fitter{Course: c, fit: f, criterion: i, groups: map[string]*lendingGroup{}}
	for m := range c.moments {
		x.moved = m == 0
		for _, s := range end[m] {
			x.move(s, m, -1)
		}
		for _, s := range begin[m] {
			x.move(s, m, 1)
		}
		if !x.moved {
			c.fits[i][m] = c.fits[i][m-1]
			continue
		}
		f.solve()
		then := &fit{rigs: f.rigs, logs: true, part: f.part, effect: f.effect, shared: f.shared, rows: 1}
		if m > 0 && slices.Equal(then.part, c.fits[i][m-1].part) {
			then.part = c.fits[i][m-1].part
		}
		c.fits[i][m] = then
	}
	return true
}

// fitter adds rows to a fit and removes them.
type fitter struct {
	*Course
	*fit
	criterion int
	groups    map[string]*lendingGroup // of a criterion of wide scope
	own       fitRow
	moved     bool
}

// lendingGroup counts the editions of a release or distribution that borrow, and holds the lenders.
type lendingGroup struct {
	borrowers int
	lender    *Row
}

// move adds a stay, or with a negative sign removes it, at a moment.
func (x *fitter) move(stay, moment, sign int) {
	row, i := x.stays[stay].Row, x.criterion
	if x.lending[i] == nil {
		x.count(row, sign)
		return
	}
	key := scopeKey(row.edition, x.base.Criteria[i].Scope)
	group := x.groups[key]
	if group == nil {
		group = &lendingGroup{}
		x.groups[key] = group
	}
	x.count(group.lender, -group.borrowers)
	if _, own := row.lendsAt(i); own {
		x.count(row, sign)
	} else {
		group.borrowers += sign
	}
	group.lender = x.lender(i, moment, row)
	x.count(group.lender, group.borrowers)
}

// count adds the values of a row so many times.
func (x *fitter) count(row *Row, times int) {
	if row == nil || times == 0 {
		return
	}
	if b, briefs := row.at(x.criterion); states[b.state] == Answered {
		x.own = x.rowIn(x.own, row, briefs)
		x.add(&x.own, times)
		x.moved = true
	}
}

// bests follows the best of the field in criterion i.
func (c *Course) bests(i int) {
	lower := c.base.Criteria[i].LowerIsBetter()
	begin, end := c.coming()
	c.best[i] = make([]map[string]float64, c.moments)
	present := map[int]bool{}
	for m := range c.moments {
		for _, s := range end[m] {
			delete(present, s)
		}
		for _, s := range begin[m] {
			present[s] = true
		}
		if m > 0 && len(begin[m])+len(end[m]) == 0 {
			c.best[i][m] = c.best[i][m-1]
			continue
		}
		best := map[string]float64{}
		look := func(s int) {
			row := c.stays[s].Row
			_, briefs := row.at(i)
			for _, x := range briefs {
				rig := row.rigs[x.rig]
				if old, ok := best[rig]; !ok || (lower && x.value < old) || (!lower && x.value > old) {
					best[rig] = x.value
				}
			}
		}
		if m > 0 && len(end[m]) == 0 { // the best can only improve
			for rig, x := range c.best[i][m-1] {
				best[rig] = x
			}
			for _, s := range begin[m] {
				look(s)
			}
		} else {
			for s := range present {
				look(s)
			}
		}
		c.best[i][m] = best
	}
}

// At returns the points of some stays at a moment at which they are in the field, exactly as a table of the whole
// field at that moment has them.
func (c *Course) At(moment int, stays []int) *Columns {
	t := &Table{
		Checklist: c.base.Checklist, Criteria: c.base.Criteria, Sections: c.base.Sections, name: c.base.name,
		weight: c.base.weight, index: c.base.index, in: c.base.in,
	}
	n := len(t.Criteria)
	t.lent, t.best, t.fits = make([]map[*Row]*Row, n), make([]map[string]float64, n), make([]*fit, n)
	for _, s := range stays {
		row := c.stays[s].Row
		t.rows, t.Editions, t.Reviews = append(t.rows, row), append(t.Editions, row.edition), append(t.Reviews, row.review)
	}
	for i := range t.Criteria {
		if c.best[i] != nil {
			t.best[i] = c.best[i][moment]
		}
		if c.fits[i] != nil {
			t.fits[i] = c.fits[i][moment]
		}
		if c.lending[i] == nil {
			continue
		}
		for _, row := range t.rows {
			if _, own := row.lendsAt(i); own {
				continue
			}
			if from := c.lender(i, moment, row); from != nil {
				if t.lent[i] == nil {
					t.lent[i] = map[*Row]*Row{}
				}
				t.lent[i][row] = from
			}
		}
	}
	return t.Columns()
}

// lender returns the row from which a row borrows criterion i at a moment; nil if no one lends it.
func (c *Course) lender(i, moment int, row *Row) *Row {
	var from *Row
	for _, n := range c.lending[i][scopeKey(row.edition, c.base.Criteria[i].Scope)] {
		s := &c.stays[n]
		if s.From > moment || s.To <= moment {
			continue
		}
		at, _ := s.Row.lendsAt(i)
		if from != nil {
			newest, _ := from.lendsAt(i)
			if at.Before(newest) || (at.Equal(newest) && s.Row.edition > from.edition) {
				continue
			}
		}
		from = s.Row
	}
	return from
}
