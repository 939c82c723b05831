package advice

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/stat"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// The number of editions from which on readings are informative, and the limits within which results count as the
// same.
const (
	enough       = 8
	almostAll    = 0.9  // of the editions
	samePoints   = 5.0  // difference at most
	sameMovement = 0.98 // correlation
)

// experience gives advice from the points that the readings so far get.
func (b *book) experience(points *scoring.Columns) {
	var telling []told
	b.each(func(at string, c *checklist.Criterion) {
		i, ok := points.Index(c.Key)
		if !ok || !c.Scored() {
			return
		}
		known := told{at: at, criterion: c, points: make([]float64, len(points.Editions))}
		var values []float64
		for e := range points.Editions {
			known.points[e] = math.NaN()
			if p, answered := points.Points(i, e); answered {
				known.points[e] = p
				values = append(values, p)
			}
		}
		slices.Sort(values)
		b.gates(at, c, values)
		if len(values) >= enough && !b.alike(at, c, values) {
			telling = append(telling, known)
		}
	})
	b.together(telling)
}

// told holds the points of one criterion by edition; NaN means none.
type told struct {
	at        string
	criterion *checklist.Criterion
	points    []float64
}

// alike reports whether almost all editions get the same points, and adds advice if so.
func (b *book) alike(at string, c *checklist.Criterion, sorted []float64) bool {
	most := int(math.Ceil(almostAll * float64(len(sorted))))
	for i := 0; i+most <= len(sorted); i++ {
		low, high := sorted[i], sorted[i+most-1]
		if high-low > samePoints {
			continue
		}
		if c.Measured() {
			b.add(
				at+"/curve",
				Alike,
				"%s gives %d of %d editions between %.0f and %.0f points: its curve hardly separates them",
				c.Key,
				most,
				len(sorted),
				low,
				high,
			)
		} else if sorted[0] == sorted[len(sorted)-1] {
			b.add(at, Alike, "%s gives all %d editions %.0f points: it does not separate them", c.Key, len(sorted), low)
		}
		return true
	}
	return false
}

// gates finds gates, of the checklist and of its audiences, that no edition passes.
func (b *book) gates(at string, c *checklist.Criterion, sorted []float64) {
	if len(sorted) < 2 {
		return
	}
	best := sorted[len(sorted)-1]
	if c.Gate != nil && best < *c.Gate-scoring.Slack {
		b.add(
			at+"/gate",
			BarsAll,
			"the gate of %s requires %s points and bars all %d editions; the best has %.0f",
			c.Key,
			written(*c.Gate),
			len(sorted),
			best,
		)
	}
	for i, a := range b.list.Audiences {
		if gate, ok := a.Gates[c.Key]; ok && best < gate-scoring.Slack {
			b.add(
				fmt.Sprintf("/audiences/%d/gates/%s", i, strings.ReplaceAll(c.Key, "/", "~1")),
				BarsAll,
				"audience %s requires %s points in %s and bars all %d editions; the best has %.0f",
				a.Key,
				written(gate),
				c.Key,
				len(sorted),
				best,
			)
		}
	}
}

// together finds pairs of criteria whose points rise and fall together.
func (b *book) together(all []told) {
	for i := range all {
		for j := range i {
			var x, y []float64
			for e, p := range all[i].points {
				if q := all[j].points[e]; !math.IsNaN(p) && !math.IsNaN(q) {
					x, y = append(x, p), append(y, q)
				}
			}
			if len(x) < enough {
				continue
			}
			if r := stat.Correlation(x, y, nil); r >= sameMovement {
				b.add(
					all[i].at,
					MoveTogether,
					"%s and %s always move together over %d editions (correlation %.2f): one of them may be "+
						"enough, or the weight counts twice",
					all[j].criterion.Key,
					all[i].criterion.Key,
					len(x),
					r,
				)
			}
		}
	}
}
