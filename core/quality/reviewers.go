package quality

import (
	"maps"
	"math"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// Agreement is how far reviewers agree in their grades.
type Agreement struct {
	Alpha *float64 `json:"alpha"` // nil where all grades are equal, or none are shared
	Units int      `json:"units"` // (edition, criterion) graded by two or more
}

// Disagreement is a graded criterion whose reviewers stand further apart than the
// policy allows unremarked.
type Disagreement struct {
	Edition   string   `json:"edition"`
	Criterion string   `json:"criterion"`
	Spread    float64  `json:"spread"` // greatest less least grade
	Reviewers []string `json:"reviewers"`
}

// Leniency is how much higher a reviewer grades than the others do, in grades.
type Leniency struct {
	Reviewer string  `json:"reviewer"`
	Shift    float64 `json:"shift"` // mean of own grade less the mean of the others'
	Items    int     `json:"items"`
}

// reviewers compares the grades of all that two or more reviewers graded. What an
// edition inherited was graded elsewhere and is left out.
func (q *Quality) reviewers(t *scoring.Table) {
	q.Disagreements, q.Leniency = []Disagreement{}, []Leniency{}
	var units [][]float64
	shifts := map[string][]float64{}
	for e, edition := range t.Editions {
		for i, c := range t.Criteria {
			cell := &t.Cells[e][i]
			if c.Kind != checklist.Grade || cell.Lender() != "" {
				continue
			}
			graded := cell.Grades()
			if len(graded) < 2 {
				continue
			}
			grades := make([]float64, len(graded))
			total := 0.0
			for n, g := range graded {
				grades[n] = g.Grade
				total += g.Grade
			}
			units = append(units, grades)
			d := Disagreement{Edition: edition, Criterion: c.Key, Spread: slices.Max(grades) - slices.Min(grades)}
			for _, g := range graded {
				others := (total - g.Grade) / float64(len(graded)-1)
				shifts[g.Reviewer] = append(shifts[g.Reviewer], g.Grade-others)
				d.Reviewers = append(d.Reviewers, g.Reviewer)
			}
			if d.Spread > t.Checklist.Policy.GradesApart()+reading.Slack {
				q.Disagreements = append(q.Disagreements, d)
			}
		}
	}
	q.Agreement = Agreement{Alpha: Alpha(units), Units: len(units)}
	for _, reviewer := range slices.Sorted(maps.Keys(shifts)) {
		own := shifts[reviewer]
		sum := 0.0
		for _, s := range own {
			sum += s
		}
		q.Leniency = append(q.Leniency, Leniency{reviewer, sum / float64(len(own)), len(own)})
	}
}

// Alpha is Krippendorff's alpha for values on an interval scale (Krippendorff,
// Content Analysis, 2004): 1 − observed/expected disagreement, over units of two
// or more values. It is nil where the values do not differ at all.
func Alpha(units [][]float64) *float64 {
	var n, sum, squares, observed float64
	least, most := math.Inf(1), math.Inf(-1)
	for _, values := range units {
		m := float64(len(values))
		if m < 2 {
			continue
		}
		var s, ss float64
		for _, v := range values {
			s += v
			ss += v * v
			least, most = min(least, v), max(most, v)
		}
		// Over ordered pairs, Σ(a − b)² is 2·(m·Σv² − (Σv)²).
		observed += 2 * (m*ss - s*s) / (m - 1)
		n, sum, squares = n+m, sum+s, squares+ss
	}
	if n == 0 || most-least <= reading.Slack {
		return nil
	}
	expected := 2 * (n*squares - sum*sum)
	alpha := 1 - (n-1)*observed/expected
	return &alpha
}
