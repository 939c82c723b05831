package core_test

import (
	"math"

	"dappertally/core/checklist"
)

// estimates is rule 7 of one measure: by edition the points on rigs that it lacks. The
// fit is found by going round: levels from effects and effects from levels, until
// nothing moves any more.
func (t *reference) estimates(c *checklist.Criterion, best map[string]float64) map[string]map[string]float64 {
	logs := true
	rigs := map[string]bool{}
	for _, e := range t.editions {
		for rig, r := range t.cells[e][c.Key].rigs {
			logs = logs && r.value > 0
			rigs[rig] = true
		}
	}
	y := func(e, rig string) float64 {
		if v := t.cells[e][c.Key].rigs[rig].value; !logs {
			return v
		} else {
			return math.Log(v)
		}
	}
	level, effect := map[string]float64{}, map[string]float64{}
	for range 20_000 {
		moved := 0.0
		for _, e := range t.editions {
			sum, n := 0.0, 0.0
			for rig := range t.cells[e][c.Key].rigs {
				sum, n = sum+y(e, rig)-effect[rig], n+1
			}
			if n > 0 {
				level[e] = sum / n
			}
		}
		for rig := range rigs {
			sum, n := 0.0, 0.0
			for _, e := range t.editions {
				if t.cells[e][c.Key].rigs[rig] != nil {
					sum, n = sum+y(e, rig)-level[e], n+1
				}
			}
			moved = max(moved, math.Abs(effect[rig]-sum/n))
			effect[rig] = sum / n
		}
		if moved < 1e-15 {
			break
		}
	}
	out := map[string]map[string]float64{}
	for _, e := range t.editions {
		out[e] = map[string]float64{}
		for rig := range rigs {
			if cell := t.cells[e][c.Key]; len(cell.rigs) > 0 && cell.rigs[rig] == nil && t.reaches(c, e, rig) {
				v := level[e] + effect[rig]
				if logs {
					v = math.Exp(v)
				}
				out[e][rig] = math.Max(0, math.Min(100, plainCurve(c, v, best[rig])))
			}
		}
	}
	return out
}

// reaches reports whether a rig can be reached from those of an edition, from one to
// the next that somebody was measured on both of.
func (t *reference) reaches(c *checklist.Criterion, edition, rig string) bool {
	reached := map[string]bool{}
	for own := range t.cells[edition][c.Key].rigs {
		reached[own] = true
	}
	for range t.editions {
		for _, e := range t.editions {
			has := t.cells[e][c.Key].rigs
			touched := false
			for one := range has {
				touched = touched || reached[one]
			}
			for one := range has {
				reached[one] = reached[one] || touched
			}
		}
	}
	return reached[rig]
}

// contest is what a decisive criterion has to say of the members of a heat: their
// points, or, where rigs are estimated, those on the rigs that all who answered have.
// It says nothing where there is no such rig.
func (t *reference) contest(d string, heat []string) (points func(string) *float64, ok bool) {
	c, _ := t.list.Criterion(d)
	plain := func(e string) *float64 {
		if cell := t.cells[e][d]; cell.state == "answered" {
			return &cell.points
		}
		return nil
	}
	if t.list.Policy.Rigs != "adjusted" || t.opts.CommonRigs || c.Kind != "measure" || c.Across != "" {
		return plain, true
	}
	shared, members := map[string]int{}, 0
	for _, e := range heat {
		if plain(e) == nil {
			continue
		}
		members++
		for rig := range t.cells[e][d].rigs {
			if t.rigWeight(rig) > 0 {
				shared[rig]++
			}
		}
	}
	for rig, n := range shared {
		if n < members {
			delete(shared, rig)
		}
	}
	return func(e string) *float64 {
		if plain(e) == nil {
			return nil
		}
		sum, total := 0.0, 0.0
		for rig := range shared {
			sum, total = sum+t.rigWeight(rig)*t.cells[e][d].rigs[rig].points, total+t.rigWeight(rig)
		}
		x := sum / total
		return &x
	}, len(shared) > 0
}
