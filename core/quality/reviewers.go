package quality

import (
	"maps"
	"math"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// Agreement is how far reviewers agree in their grades.
type Agreement struct {
	Alpha *float64 `json:"alpha"` // nil if all grades are equal, or no two reviewers graded the same
	Units int      `json:"units"` // number of (edition, criterion) pairs graded by two or more
}

// Disagreement is a graded criterion whose reviewers differ by more than the policy allows without a remark.
type Disagreement struct {
	Edition   string   `json:"edition"`
	Criterion string   `json:"criterion"`
	Spread    float64  `json:"spread"` // highest less lowest grade
	Reviewers []string `json:"reviewers"`
}

// Leniency is how much higher a reviewer grades than the others do, in grades.
type Leniency struct {
	Reviewer string  `json:"reviewer"`
	Shift    float64 `json:"shift"` // mean of own grade less the mean of the others'
	Items    int     `json:"items"`
}

// reviewers compares the grades of everything that two or more reviewers graded. Agreement and leniency use the
// grades as given before a reviewer could see the other's; disagreements use the current grades. Inherited grades are
// left out, since they were given elsewhere.
type reviewers struct {
	units  [][]float64
	shifts map[string][]float64
}

// graded adds the grades of edition e.
func (l *look) graded(e int, q *Quality) {
	t := l.Table
	edition, own, cells := t.Editions[e], t.Own(e), t.Cells(e)
	q.Changed = append(q.Changed, changed(t, edition, own)...)
	for i, c := range t.Criteria {
		cell := &cells[i]
		if c.Kind != checklist.Grade || cell.Lender() != "" {
			continue
		}
		graded := cell.Grades(nil)
		if len(graded) < 2 {
			continue
		}
		if d := apart(edition, c.Key, graded); d.Spread > t.Checklist.Policy.GradesApart()+reading.Slack {
			q.Disagreements = append(q.Disagreements, d)
		}
		if len(own.Changed) > 0 {
			graded = cell.Grades(own.Changed)
		}
		l.units = append(l.units, shift(graded, l.shifts))
	}
}

func (r *reviewers) agreement() Agreement {
	return Agreement{Alpha: Alpha(r.units), Units: len(r.units)}
}

// leniency returns the results by reviewer.
func (r *reviewers) leniency() []Leniency {
	all := []Leniency{}
	for _, reviewer := range slices.Sorted(maps.Keys(r.shifts)) {
		own := r.shifts[reviewer]
		sum := 0.0
		for _, s := range own {
			sum += s
		}
		all = append(all, Leniency{reviewer, sum / float64(len(own)), len(own)})
	}
	return all
}

// apart returns how far the reviewers of one criterion differ.
func apart(edition, criterion string, graded []scoring.Graded) Disagreement {
	d := Disagreement{Edition: edition, Criterion: criterion}
	least, most := math.Inf(1), math.Inf(-1)
	for _, g := range graded {
		least, most = min(least, g.Grade), max(most, g.Grade)
		d.Reviewers = append(d.Reviewers, g.Reviewer)
	}
	d.Spread = most - least
	return d
}

// shift adds to each reviewer's shifts how much higher they graded than the others, and returns the grades.
func shift(graded []scoring.Graded, shifts map[string][]float64) []float64 {
	grades := make([]float64, len(graded))
	total := 0.0
	for n, g := range graded {
		grades[n] = g.Grade
		total += g.Grade
	}
	for _, g := range graded {
		others := (total - g.Grade) / float64(len(graded)-1)
		shifts[g.Reviewer] = append(shifts[g.Reviewer], g.Grade-others)
	}
	return grades
}

// ChangedGrade is a grade of a current review that was changed after its
// reviewer could see the others'.
type ChangedGrade struct {
	Edition string `json:"edition"`
	reading.Changed
	To float64 `json:"to"` // 0–10: the current grade
}

// changed lists the grades of an edition that were changed after the others' could be seen, by checklist, then
// reviewer.
func changed(t *scoring.Table, edition string, own *scoring.Own) []ChangedGrade {
	if len(own.Changed) == 0 {
		return nil
	}
	var all []ChangedGrade
	for i := range t.Criteria {
		first := len(all)
		for _, x := range own.Of(i) {
			if c, ok := own.Changed[x.ID]; ok {
				all = append(all, ChangedGrade{edition, c, *x.Answer.Grade})
			}
		}
		slices.SortStableFunc(all[first:], func(a, b ChangedGrade) int { return strings.Compare(a.Reviewer, b.Reviewer) })
	}
	return all
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
