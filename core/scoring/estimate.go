package scoring

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/mat"
)

// Estimate is the value that an edition would have on a rig that it was not measured
// on, computed from the editions that were measured on several rigs. It counts in the
// criterion's points as a measured value does, and nowhere else.
type Estimate struct {
	Rig    string  `json:"rig"`
	Value  float64 `json:"value"`  // in the criterion's unit
	Points float64 `json:"points"` // 0–100
	Weight float64 `json:"weight"` // of the rig; 0: shown, and adds nothing
	// Via is the edition's own rig that most editions share with Rig, and Shared how
	// many do. Where none does, the two are connected through further rigs: Via is
	// empty and Shared is 0.
	Via    string `json:"via"`
	Shared int    `json:"shared"`
}

// Estimates are the rigs of a cell whose values are estimated, by rig; most have none.
func (c *Cell) Estimates() []Estimate {
	if c.Remarks == nil {
		return nil
	}
	return c.Remarks.Estimated
}

// adjusts reports whether rigs that an edition lacks are estimated for criterion i.
func (t *Table) adjusts(i int) bool {
	c := t.Criteria[i]
	return t.Checklist.Policy.AdjustsRigs() && !t.common && c.Measured() && c.Across == ""
}

// estimates are, for an edition that answered criterion i, the rigs that it lacks and
// that are connected with its own, with the values y = a(edition) + b(rig) of a least
// squares fit over all editions and rigs; y is the logarithm of the value where all are
// above 0. These are the least-squares means of the additive two-way layout (Searle,
// Speed & Milliken, The American Statistician 34, 1980).
func (t *Table) estimates(e, i int) []Estimate {
	if t.origins != nil {
		return t.origins[e].table.estimates(t.origins[e].at, i)
	}
	f := t.fits[i]
	if f == nil {
		return nil
	}
	row, b, briefs := t.brief(e, i)
	if states[b.state] != Answered {
		return nil
	}
	var some [8]int
	own := some[:0]
	for _, x := range briefs {
		rig, _ := slices.BinarySearch(f.rigs, row.rigs[x.rig])
		own = append(own, rig)
	}
	var estimates []Estimate
	for r, rig := range f.rigs {
		if slices.Contains(own, r) || f.part[r] != f.part[own[0]] || (t.on != nil && !slices.Contains(t.on, rig)) {
			continue
		}
		value := f.level[t.fitted[e]] + f.effect[r]
		if f.logs {
			value = math.Exp(value)
		}
		points := min(max(t.Criteria[i].Curve.At(value, t.best[i][rig], t.Criteria[i].Better), 0), 100)
		if math.IsInf(value, 0) || math.IsNaN(points) {
			continue // values so far apart leave the range of numbers
		}
		x := Estimate{Rig: rig, Value: value, Points: points, Weight: t.weight(rig)}
		for _, own := range own {
			if shared := f.shared[r][own]; shared > x.Shared {
				x.Via, x.Shared = f.rigs[own], shared
			}
		}
		estimates = append(estimates, x)
	}
	return estimates
}

// fit is the additive two-way layout of one measure: editions by rigs, with holes.
type fit struct {
	rigs   []string  // by key
	rows   []fitRow  // until it is solved
	part   []int     // of each rig: the least rig that it is connected with
	shared [][]int   // how many editions were measured on both of two rigs
	level  []float64 // of each edition of the whole table
	effect []float64 // of each rig, 0 for the first of a part
	logs   bool
}

// fitRow is what one edition was measured at.
type fitRow struct {
	edition int
	rigs    []int // ascending
	y       []float64
}

// newFit fits the values of criterion i; nil where no edition lacks a rig.
func newFit(t *Table, i int) *fit {
	f := &fit{logs: true}
	cells := 0
	for e := range t.rows {
		row, _, briefs := t.brief(e, i)
		for _, x := range briefs {
			rig := row.rigs[x.rig]
			if at, there := slices.BinarySearch(f.rigs, rig); !there {
				f.rigs = slices.Insert(f.rigs, at, rig)
			}
		}
		cells += len(briefs)
	}
	rigs, y := make([]int, 0, cells), make([]float64, 0, cells)
	for e := range t.rows {
		row, b, briefs := t.brief(e, i)
		if states[b.state] != Answered {
			continue
		}
		from := len(rigs)
		for _, x := range briefs {
			at, _ := slices.BinarySearch(f.rigs, row.rigs[x.rig])
			rigs, y = append(rigs, at), append(y, x.value)
			f.logs = f.logs && x.value > 0
		}
		f.rows = append(f.rows, fitRow{e, rigs[from:], y[from:]})
	}
	if len(rigs) == len(f.rows)*len(f.rigs) {
		return nil
	}
	f.connect()
	if f.logs {
		for k := range y {
			y[k] = math.Log(y[k])
		}
	}
	f.level = make([]float64, len(t.rows))
	f.solve()
	f.rows = nil
	return f
}

// connect finds the parts of the layout: rigs that an edition was measured on both of
// are connected, and so are those connected with these.
func (f *fit) connect() {
	n := len(f.rigs)
	f.part, f.shared = make([]int, n), make([][]int, n)
	for r := range f.part {
		f.part[r], f.shared[r] = r, make([]int, n)
	}
	for _, row := range f.rows {
		for _, r := range row.rigs {
			for _, s := range row.rigs {
				f.shared[r][s]++
			}
			f.join(f.part[row.rigs[0]], f.part[r])
		}
	}
}

// join makes two parts one, named by the lesser rig.
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

// solve fits levels and effects. The levels are eliminated first: what is left are as
// many equations as rigs, less one for each part, whose first rig has the effect 0.
func (f *fit) solve() {
	n := len(f.rigs)
	f.effect = make([]float64, n)
	place := make([]int, n)
	free := 0
	for r := range place {
		if place[r] = -1; f.part[r] != r {
			place[r] = free
			free++
		}
	}
	if free > 0 {
		normal, right := mat.NewSymDense(free, nil), mat.NewVecDense(free, nil)
		for _, row := range f.rows {
			row.add(place, normal, right)
		}
		var factored mat.Cholesky
		var effects mat.VecDense
		if factored.Factorize(normal) && factored.SolveVecTo(&effects, right) == nil {
			for r, at := range place {
				if at >= 0 {
					f.effect[r] = effects.AtVec(at)
				}
			}
		}
	}
	for _, row := range f.rows {
		for k, r := range row.rigs {
			f.level[row.edition] += (row.y[k] - f.effect[r]) / float64(len(row.y))
		}
	}
}

// add adds a row to the normal equations of the effects.
func (r *fitRow) add(place []int, normal *mat.SymDense, right *mat.VecDense) {
	n := float64(len(r.y))
	var mean float64
	for _, y := range r.y {
		mean += y / n
	}
	for k, rig := range r.rigs {
		at := place[rig]
		if at < 0 {
			continue
		}
		right.SetVec(at, right.AtVec(at)+r.y[k]-mean)
		normal.SetSym(at, at, normal.At(at, at)+1)
		for _, other := range r.rigs[:k+1] {
			if to := place[other]; to >= 0 {
				normal.SetSym(to, at, normal.At(to, at)-1/n)
			}
		}
	}
}
