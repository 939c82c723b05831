package cli

import (
	"fmt"
	"strings"

	"dappertally/core/quality"
	"dappertally/internal/numerals"
)

// qualitySheets tells what there is to look into: readings first, then surprises,
// then where reviewers stand apart.
func qualitySheets(q *quality.Quality) []*sheet {
	readings := &sheet{
		columns: []string{
			"Edition",
			"Criterion",
			"Rig",
			"Reviewer",
			">Value",
			">Spread",
			">Runs",
			"To look into",
			"Reading",
		},
		heading: "Readings to look into",
	}
	for i := range q.Readings {
		if r := &q.Readings[i]; r.Doubtful() {
			readings.add(
				r.Edition,
				r.Criterion,
				r.Rig,
				r.Reviewer,
				numerals.Value(&r.Summary),
				spread(r.Spread),
				fmt.Sprint(r.Runs),
				doubts(r),
				r.ID,
			)
		}
	}
	surprises := &sheet{
		columns: []string{"Edition", "Criterion", "Rig", ">Value", "Why it surprises", "Confirmed by"},
		heading: "Surprising values",
	}
	for i := range q.Surprises {
		x := &q.Surprises[i]
		confirmed := x.Confirmed
		if confirmed == "" {
			confirmed = "not yet"
		}
		surprises.add(x.Edition, x.Criterion, x.Rig, numerals.Value(&x.Value), surprise(x), confirmed)
	}
	apart := &sheet{columns: []string{"Edition", "Criterion", ">Grades apart", "Reviewers"}, heading: "Reviewers apart"}
	for _, d := range q.Disagreements {
		apart.add(d.Edition, d.Criterion, numerals.Rounded(d.Spread, 1), list(d.Reviewers))
	}
	if a := q.Agreement; a.Alpha != nil {
		apart.heading += fmt.Sprintf(
			" · Krippendorff's alpha %s over %d shared grades",
			numerals.Rounded(*a.Alpha, 2),
			a.Units,
		)
	}
	lenient := &sheet{columns: []string{"Reviewer", ">Grades above the others", ">Shared"}, heading: "Leniency"}
	for _, l := range q.Leniency {
		lenient.add(l.Reviewer, signed(&l.Shift), fmt.Sprint(l.Items))
	}
	return []*sheet{readings, surprises, apart, lenient}
}

func spread(s *float64) string {
	if s == nil {
		return numerals.None
	}
	return numerals.Rounded(100**s, 1) + " %"
}

// doubts says in words what there is to look into in a reading.
func doubts(r *quality.Scatter) string {
	var out []string
	if r.Unsteady {
		out = append(out, "unsteady")
	}
	if r.TooFew {
		out = append(out, "too few runs")
	}
	for _, i := range r.Outliers {
		out = append(out, fmt.Sprintf("run %d stands apart", i+1))
	}
	return list(out)
}

func surprise(x *quality.Surprise) string {
	var out []string
	if x.Earlier != nil {
		out = append(out, fmt.Sprintf("%s was %s", x.Previous, numerals.Value(x.Earlier)))
	}
	if x.Median != nil {
		out = append(out, fmt.Sprintf("the median of %d others is %s", x.Others, numerals.Value(x.Median)))
	}
	return strings.Join(out, "; ")
}
