package scoring

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"
)

// Estimate is the estimated value of an edition on a rig on which it was not measured, computed from the editions
// that were measured on several rigs. It counts in the criterion's points like a measured value, and nowhere else.
type Estimate struct {
	Rig    string  `json:"rig"`
	Value  float64 `json:"value"`  // in the criterion's unit
	Points float64 `json:"points"` // 0–100
	Weight float64 `json:"weight"` // weight of the rig; 0: shown, but does not count
	// Via is the edition's own rig that shares the most editions with Rig, and Shared is their number. If none does,
	// the two are connected through further rigs: Via is empty and Shared is 0.
	Via    string `json:"via"`
	Shared int    `json:"shared"`
}

// Estimates is the rigs of a cell whose values are estimated, by rig; most cells have none.
func (c *Cell) Estimates() []Estimate {
	if c.Remarks == nil {
		return nil
	}
	return c.Remarks.Estimated
}

// adjusts reports whether missing rigs are estimated for criterion i.
func (t *Table) adjusts(i int) bool {
	return !t.common && t.Checklist.Policy.Adjusts(t.Criteria[i])
}

// estimates returns, for an edition that answered criterion i, the missing rigs that are connected with its own, with
// the values y = a(edition) + b(rig) of a least squares fit over all editions and rigs; y is the logarithm of the
// value if all values are above 0. These are the least-squares means of the additive two-way layout (Searle, Speed &
// Milliken, The American Statistician 34, 1980).
func (t *Table) estimates(e, i int) []Estimate {
	if t.origins != nil {
		return t.origins[e].table.estimates(t.origins[e].at, i)
	}
	f := t.fits[i]
	if f == nil || f.complete() {
		return nil
	}
	row, b, briefs := t.brief(e, i)
	if states[b.state] != Answered {
		return nil
	}
	own := f.row(row, briefs)
	level := 0.0
	for k, r := range own.rigs {
		level += (own.y[k] - f.effect[r]) / float64(len(own.y))
	}
	var estimates []Estimate
	for r, rig := range f.rigs {
		if slices.Contains(own.rigs, r) || f.part[r] != f.part[own.rigs[0]] || (t.on != nil && !slices.Contains(t.on, rig)) {
			continue
		}
		value := level + f.effect[r]
		if f.logs {
			value = math.Exp(value)
		}
		points := min(max(t.Criteria[i].Curve.At(value, t.best[i][rig], t.Criteria[i].Better), 0), 100)
		if math.IsInf(value, 0) || math.IsNaN(points) {
			continue // the result is outside the range of numbers
		}
		x := Estimate{Rig: rig, Value: value, Points: points, Weight: t.weight(rig)}
		for _, own := range own.rigs {
			if shared := f.shared[r][own]; shared > x.Shared {
				x.Via, x.Shared = f.rigs[own], shared
			}
		}
		estimates = append(estimates, x)
	}
	return estimates
}

// fit is the additive two-way layout of one measure: editions by rigs, with missing cells. It holds only sums over
// the editions.
type fit struct {
	rigs   []string  // by key
	part   []int     // of each rig: the lowest rig that it is connected with
	shared [][]int   // number of editions measured on both of two rigs
	effect []float64 // of each rig; 0 for the first of a part
	logs   bool
	rows   int // number of editions measured
	cells  int // number of their rigs, in total
	// The normal equations of the effects, with the levels eliminated.
	normal [][]float64
	right  []float64
}

// fitRow is the values of one edition.
type fitRow struct {
	rigs []int // ascending
	y    []float64
}

// newFits fits the values of these criteria.
func (t *Table) newFits(criteria []int) {
	for _, i := range criteria {
		t.fits[i] = &fit{logs: true}
	}
	t.inGroups(func(low, high int) {
		for _, i := range criteria {
			for e := low; e < high; e++ {
				row, _, briefs := t.brief(e, i)
				t.fits[i].lists(row, briefs)
			}
		}
	})
	for _, i := range criteria {
		t.fits[i].clear()
	}
	var own fitRow
	t.inGroups(func(low, high int) {
		for _, i := range criteria {
			for e := low; e < high; e++ {
				if row, b, briefs := t.brief(e, i); states[b.state] == Answered {
					own = t.fits[i].rowIn(own, row, briefs)
					t.fits[i].add(&own, 1)
				}
			}
		}
	})
	for _, i := range criteria {
		t.fits[i].solve()
	}
}

// lists adds the rigs of an edition to the fit's, and notes whether all values have logarithms.
func (f *fit) lists(row *Row, briefs []rigBrief) {
	for _, x := range briefs {
		rig := row.rigs[x.rig]
		if at, there := slices.BinarySearch(f.rigs, rig); !there {
			f.rigs = slices.Insert(f.rigs, at, rig)
		}
		f.logs = f.logs && x.value > 0
	}
}

// clear makes empty sums for the fit's rigs.
func (f *fit) clear() {
	n := len(f.rigs)
	f.shared, f.normal, f.right = make([][]int, n), make([][]float64, n), make([]float64, n)
	for r := range f.rigs {
		f.shared[r], f.normal[r] = make([]int, n), make([]float64, n)
	}
}

// with returns the fit with one edition's values replaced; either may be empty. It returns nil if the whole must be
// fitted again.
func (f *fit) with(was *Row, before []rigBrief, is *Row, now []rigBrief) *fit {
	if !f.logs {
		return nil // without these the result could differ
	}
	for _, x := range now {
		if _, there := slices.BinarySearch(f.rigs, is.rigs[x.rig]); !there || !(x.value > 0) {
			return nil
		}
	}
	then := &fit{
		rigs: f.rigs, logs: f.logs, rows: f.rows, cells: f.cells, right: slices.Clone(f.right),
		shared: make([][]int, len(f.rigs)), normal: make([][]float64, len(f.rigs)),
	}
	for r := range f.rigs {
		then.shared[r], then.normal[r] = slices.Clone(f.shared[r]), slices.Clone(f.normal[r])
	}
	for _, x := range []struct {
		row  *Row
		rigs []rigBrief
		sign int
	}{{was, before, -1}, {is, now, 1}} {
		if len(x.rigs) > 0 {
			own := then.row(x.row, x.rigs)
			then.add(&own, x.sign)
		}
	}
	for r := range then.rigs {
		if then.shared[r][r] == 0 {
			return nil // no edition is measured on it any more
		}
	}
	then.solve()
	return then
}

// complete reports whether every edition has every rig.
func (f *fit) complete() bool { return f.cells == f.rows*len(f.rigs) }

// row returns the values of one edition.
func (f *fit) row(of *Row, briefs []rigBrief) fitRow { return f.rowIn(fitRow{}, of, briefs) }

// rowIn is row, using the memory of another.
func (f *fit) rowIn(own fitRow, of *Row, briefs []rigBrief) fitRow {
	own.rigs, own.y = own.rigs[:0], own.y[:0]
	for _, x := range briefs {
		at, _ := slices.BinarySearch(f.rigs, of.rigs[x.rig])
		y := x.value
		if f.logs {
			y = math.Log(y)
		}
		own.rigs, own.y = append(own.rigs, at), append(own.y, y)
	}
	return own
}

// add adds a row to the sums or, with a negative sign, subtracts it.
func (f *fit) add(row *fitRow, sign int) {
	f.rows += sign
	f.cells += sign * len(row.y)
	n, s := float64(len(row.y)), float64(sign)
	var mean float64
	for _, y := range row.y {
		mean += y / n
	}
	for k, r := range row.rigs {
		f.right[r] += s * (row.y[k] - mean)
		f.normal[r][r] += s
		for _, other := range row.rigs {
			f.shared[r][other] += sign
			f.normal[r][other] -= s / n
		}
	}
}

// connect finds the parts of the layout: two rigs are connected if an edition was measured on both, or through
// others.
func (f *fit) connect() {
	f.part = make([]int, len(f.rigs))
	for r := range f.part {
		f.part[r] = r
	}
	for r := range f.rigs {
		for other, n := range f.shared[r] {
			if n > 0 {
				f.join(f.part[r], f.part[other])
			}
		}
	}
}

// join merges two parts, named after the lower rig.
func (f *fit) join(a, b int) {
	if a == b {
		return
	}
	for r := range f.part {
		if f.part[r] == a || f.part[r] == b {
			f.part[r] = min(a, b)
		}
	}
}

// solve fits the effects. Without the levels, there is one equation for each rig, less one for each part, whose first
// rig has the effect 0.
func (f *fit) solve() {
	f.connect()
	f.effect = make([]float64, len(f.rigs))
	var free []int
	for r := range f.rigs {
		if f.part[r] != r {
			free = append(free, r)
		}
	}
	if len(free) == 0 {
		return
	}
	normal, right := mat.NewSymDense(len(free), nil), mat.NewVecDense(len(free), nil)
	for at, r := range free {
		right.SetVec(at, f.right[r])
		for to, other := range free[:at+1] {
			normal.SetSym(to, at, f.normal[other][r])
		}
	}
	var factored mat.Cholesky
	var effects mat.VecDense
	if factored.Factorize(normal) && factored.SolveVecTo(&effects, right) == nil {
		for at, r := range free {
			f.effect[r] = effects.AtVec(at)
		}
	}
}
