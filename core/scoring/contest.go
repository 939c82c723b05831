package scoring

import (
	"math"
	"slices"
)

// rigPoints is the points of a measure on one rig that counts.
type rigPoints struct {
	rig            string
	weight, points float64
}

// keepRigs allocates space for the results of criterion i on each rig.
func (c *Columns) keepRigs(i int) {
	if c.onRigs == nil {
		c.onRigs = map[int][][]rigPoints{}
	}
	c.onRigs[i] = make([][]rigPoints, len(c.Editions))
}

// Contest returns the points by which criterion i can decide between these editions, NaN for those that have not
// answered it. If the policy estimates rigs, these are the points on the rigs on which all editions that answered
// were measured, since an estimate decides nothing. shared is false if there is no such rig.
func (c *Columns) Contest(i int, editions []int) (points []float64, shared bool) {
	points = make([]float64, len(editions))
	onRigs, measured := c.onRigs[i]
	var common []string
	first := true
	for n, e := range editions {
		p, answered := c.Points(i, e)
		if !answered {
			points[n] = math.NaN()
			continue
		}
		points[n] = p
		if !measured {
			continue
		}
		has := func(rig string) bool {
			return slices.ContainsFunc(onRigs[e], func(x rigPoints) bool { return x.rig == rig })
		}
		if first {
			for _, x := range onRigs[e] {
				common = append(common, x.rig)
			}
			first = false
		} else {
			common = slices.DeleteFunc(common, func(rig string) bool { return !has(rig) })
		}
	}
	if !measured {
		return points, true
	}
	for n, e := range editions {
		if math.IsNaN(points[n]) {
			continue
		}
		var sum, total float64
		for _, x := range onRigs[e] {
			if slices.Contains(common, x.rig) {
				sum += x.weight * x.points
				total += x.weight
			}
		}
		points[n] = sum / total
	}
	return points, len(common) > 0
}

// restsOnEstimates reports whether estimated rigs contribute to the points of a cell.
func restsOnEstimates(cell *Cell) bool {
	return slices.ContainsFunc(cell.Estimates(), func(x Estimate) bool { return x.Weight > 0 })
}

func (c *Columns) markEstimated(e, i int) {
	if c.estimated[i] == nil {
		c.estimated[i] = make([]bool, len(c.Editions))
	}
	c.estimated[i][e] = true
}

// Estimated reports whether estimated rigs contribute to the points of criterion i of edition e.
func (c *Columns) Estimated(i, e int) bool {
	return c.estimated != nil && c.estimated[i] != nil && c.estimated[i][e]
}
