package scoring

import "math"

// One scores a single edition of the columns with other weights and points. It is not safe for concurrent use.
type One struct {
	columns  *Columns
	points   []float64 // by criterion
	answered []bool
	sums     []float64 // by section: the weighted points
	weights  []float64 // by section: the weights answered
}

// One prepares to score one edition after another.
func (c *Columns) One() *One {
	n := len(c.Checklist.Sections)
	return &One{
		columns: c, points: make([]float64, len(c.Criteria)), answered: make([]bool, len(c.Criteria)),
		sums: make([]float64, n), weights: make([]float64, n),
	}
}

// Take switches to edition e, with its own points.
func (o *One) Take(e int) {
	for i, c := range o.columns.Criteria {
		if c.Scored() {
			o.points[i], o.answered[i] = o.columns.Points(i, e)
		}
	}
}

// Move replaces the points that the edition has in criterion i, which it must have answered.
func (o *One) Move(i int, points float64) { o.points[i] = points }

// Overall returns the overall score with these weights, by section and by criterion in the table's order; NaN means
// none. The formula is that of a scorecard.
func (o *One) Overall(section, criterion []float64) float64 {
	clear(o.sums)
	clear(o.weights)
	for i, answered := range o.answered {
		if answered {
			s := o.columns.section[i]
			o.sums[s] += criterion[i] * o.points[i]
			o.weights[s] += criterion[i]
		}
	}
	r := o.columns.Checklist.Policy.Exponent()
	var total, sum float64
	for s, w := range section {
		if w > 0 && o.weights[s] > 0 {
			total += w
			sum += w * powered(o.sums[s]/o.weights[s], r)
		}
	}
	if total == 0 {
		return math.NaN()
	}
	return unpowered(sum/total, r)
}
