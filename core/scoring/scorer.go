package scoring

import (
	"slices"

	"dappertally/core/checklist"
)

// Scorer scores a few editions repeatedly with other weights and points, for drawing. It reuses its memory from one
// score to the next and is not safe for concurrent use.
type Scorer struct {
	columns Columns
	weights weights
	tables  []table
	sums    *blockSums
	scores  Scores
}

// Scorer prepares to score the editions at these indexes, in that order.
func (c *Columns) Scorer(editions []int) *Scorer {
	s := &Scorer{columns: *c, tables: make([]table, c.stride), sums: newBlockSums(len(c.Checklist.Sections))}
	own := &s.columns
	own.Editions = make([]string, len(editions))
	own.points = make([][]float64, len(c.points))
	own.answered, own.asked = nil, nil // coverage does not change
	for n, e := range editions {
		own.Editions[n] = c.Editions[e]
		own.answered = append(own.answered, c.answered[e*c.stride:(e+1)*c.stride]...)
	}
	for i, column := range c.points {
		for _, e := range editions {
			if column != nil {
				own.points[i] = append(own.points[i], column[e])
			}
		}
	}
	s.scores = Scores{Overall: make([]float64, len(editions))}
	return s
}

// Move replaces the points that the nth edition has in criterion i, which it must have answered.
func (s *Scorer) Move(n, i int, points float64) { s.columns.points[i][n] = points }

// Overall returns the overall scores with these weights, by section and by criterion in the table's order. They are
// valid until the next call.
func (s *Scorer) Overall(section, criterion []float64) []float64 {
	s.weights.section, s.weights.criterion = section, criterion
	s.columns.fill(s.tables, criterion)
	n := len(s.columns.Editions)
	for low := 0; low < n; low += block {
		s.columns.score(s.sums, s.weights, s.tables, low, min(low+block, n), &s.scores)
	}
	return s.scores.Overall
}

// Weights returns an audience's weights by section and by criterion, in the table's order; criteria that are never
// scored have weight 0.
func (c *Columns) Weights(a checklist.Audience) (section, criterion []float64) {
	w := weigh(c.Checklist, c.Criteria, a)
	return slices.Clone(w.section), slices.Clone(w.criterion)
}
