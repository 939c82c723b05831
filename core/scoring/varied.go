package scoring

import (
	"math/rand/v2"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// Varied draws the points of one cell as other runs and other reviewers might have given them: on each rig its
// reviewers with replacement if there are at least two, and of each measure its runs with replacement if there are at
// least two. The best of a field stays the same.
type Varied struct {
	Edition   int // its index in the table
	Criterion int
	rigs      []variedRig
	total     float64 // weight of the rigs
	criterion *checklist.Criterion
	best      map[string]float64
	median    bool // the worst of the reviewers; otherwise their mean
	runs      []float64
	points    []float64
}

// variedRig is one rig's readings by reviewer.
type variedRig struct {
	rig       string
	weight    float64
	reviewers [][]trial
	fixed     bool // nothing of it can vary
	points    float64
}

// Varied returns the cells of these editions whose points can vary. Each is for one goroutine.
func (t *Table) Varied(editions []int) []*Varied {
	var all []*Varied
	counting := make([]func([]string, string) bool, len(t.Criteria))
	for i, c := range t.Criteria {
		if c.Scored() {
			counting[i] = t.counting(i)
		}
	}
	for _, e := range editions {
		for i, c := range t.Criteria {
			if cell := t.Cell(e, i); cell.Points != nil {
				s := &Varied{
					Edition:   e,
					Criterion: i,
					criterion: c,
					best:      t.bestOf(e, i),
					median:    t.Checklist.Policy.Reviewers == "median",
				}
				if s.load(cell, t.weight, counting[i]) {
					all = append(all, s)
				}
			}
		}
	}
	return all
}

// load groups the cell's readings by rig and reports whether any can vary.
func (s *Varied) load(cell *Cell, weight func(string) float64, counts func([]string, string) bool) bool {
	loose := false
	names := cell.rigs()
	for i := range cell.Rigs {
		on := &cell.Rigs[i]
		w := weight(on.Rig)
		if w == 0 || (counts != nil && !counts(names, on.Rig)) {
			continue
		}
		r := variedRig{rig: on.Rig, weight: w, points: on.Points}
		several := false
		for k, x := range on.trials {
			if k == 0 || x.Reviewer != on.trials[k-1].Reviewer {
				r.reviewers = append(r.reviewers, nil)
			}
			last := &r.reviewers[len(r.reviewers)-1]
			*last = append(*last, x)
			several = several || (s.criterion.Measured() && len(x.Answer.Runs) > 1)
		}
		r.fixed = len(r.reviewers) < 2 && !several
		loose = loose || !r.fixed
		s.total += w
		s.rigs = append(s.rigs, r)
	}
	for _, x := range cell.Estimates() { // no readings, and so nothing to draw
		if x.Weight > 0 {
			s.total += x.Weight
			s.rigs = append(s.rigs, variedRig{rig: x.Rig, weight: x.Weight, points: x.Points, fixed: true})
		}
	}
	return loose
}

// Draw returns the points of the cell in one draw.
func (s *Varied) Draw(random *rand.Rand) float64 {
	var sum float64
	for i := range s.rigs {
		r := &s.rigs[i]
		points := r.points
		if !r.fixed {
			points = s.draw(r, random)
		}
		sum += r.weight * points
	}
	return sum / s.total
}

// draw returns the points on one rig. As in a scorecard, a measure's values are averaged over reviewers and then
// turned into points; if the worst context counts, and for every other kind, each reviewer's points come first.
func (s *Varied) draw(r *variedRig, random *rand.Rand) float64 {
	c := s.criterion
	byValue := c.Measured() && c.Across != "worst"
	s.points = s.points[:0]
	for n := range r.reviewers {
		if len(r.reviewers) > 1 {
			n = random.IntN(len(r.reviewers))
		}
		least := 0.0
		for k := range r.reviewers[n] {
			x := s.value(&r.reviewers[n][k], random)
			if c.Measured() && !byValue {
				x = c.Curve.At(x, 0, c.Better)
			}
			if k == 0 || x < least {
				least = x
			}
		}
		s.points = append(s.points, least)
	}
	if s.median && !c.Measured() {
		return reading.Median(s.points)
	}
	var sum float64
	for _, p := range s.points {
		sum += p
	}
	mean := sum / float64(len(s.points))
	if byValue {
		return c.Curve.At(mean, s.best[r.rig], c.Better)
	}
	return mean
}

// value returns a reading's value, for a measure from runs drawn with replacement. A draw whose value is not on the
// curve uses the reading's own value.
func (s *Varied) value(x *trial, random *rand.Rand) float64 {
	runs := x.Answer.Runs
	if !s.criterion.Measured() || len(runs) < 2 {
		return x.value
	}
	s.runs = s.runs[:0]
	offset := x.Offset()
	for range runs {
		s.runs = append(s.runs, runs[random.IntN(len(runs))]-offset)
	}
	v := reading.Summary(s.runs, s.criterion)
	if s.criterion.Curve.NeedsPositive() && v <= 0 {
		return x.value
	}
	return v
}
