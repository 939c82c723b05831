package cli

import (
	"fmt"
	"strings"

	"dappertally/core/quality"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
)

var (
	doubtfulTable = tables.Define("doubtful", "a doubtful reading",
		tables.Text("edition", "Edition", "its key"),
		tables.Text("criterion", "Criterion", "its key"),
		tables.Text("rig", "Rig", "its key"),
		tables.Text("reviewer", "Reviewer", "name"),
		tables.Number("value", "Value", "in the criterion's unit"),
		tables.Share("spread", "Spread", "of the runs about their median").To(1),
		tables.Integer("runs", "Runs", ""),
		tables.Text("remark", "Remark", ""),
		tables.Text("id", "Reading", ""),
	)
	surprisesTable = tables.Define("surprises", "a surprising value",
		tables.Text("edition", "Edition", "its key"),
		tables.Text("criterion", "Criterion", "its key"),
		tables.Text("rig", "Rig", "its key"),
		tables.Number("value", "Value", "in the criterion's unit"),
		tables.Text("why", "Why it is surprising", ""),
		tables.Text("confirmed", "Confirmed by", "name; empty: not confirmed"),
	)
	apartTable = tables.Define("apart", "a grade on which reviewers differ",
		tables.Text("edition", "Edition", "its key"),
		tables.Text("criterion", "Criterion", "its key"),
		tables.Points("spread", "Difference", ""),
		tables.List("reviewers", "Reviewers", "names"),
	)
	driftedTable = tables.Define("drifted", "when a rig was outside the band of its reference",
		tables.Text("rig", "Rig", "its key"),
		tables.Moment("from", "From", ""),
		tables.Moment("until", "Until", "empty: still outside"),
	)
	changedTable = tables.Define("changedGrades", "a grade changed after other grades could be seen",
		tables.Text("edition", "Edition", "its key"),
		tables.Text("criterion", "Criterion", "its key"),
		tables.Text("reviewer", "Reviewer", "name"),
		tables.Number("from", "From", "0 to 10: the grade before the change; used for agreement and leniency"),
		tables.Number("to", "To", "0 to 10: the current grade"),
		tables.List("seen", "Could see", "names of those whose grades could be seen"),
	)
	leniencyTable = tables.Define("leniency", "how much higher a reviewer grades than the others",
		tables.Text("reviewer", "Reviewer", "name"),
		tables.Number("shift", "Grades above the others", ""),
		tables.Integer("shared", "Shared", "grades that others gave too"),
	)
)

func qualitySheets(q *quality.Quality, of contract.QualityCounts) []*sheet {
	firstOf := func(listed, all int) string {
		if listed >= all {
			return ""
		}
		return fmt.Sprintf(" · the first %d of %d", listed, all)
	}
	readings := sheetOf(doubtfulTable)
	readings.heading = "Doubtful readings" + firstOf(len(q.Readings), of.Readings)
	for i := range q.Readings {
		if r := &q.Readings[i]; r.Doubtful() {
			readings.Add(r.Edition, r.Criterion, r.Rig, r.Reviewer, r.Summary, r.Spread, r.Runs, remarkOn(r), r.ID)
		}
	}
	surprises := sheetOf(surprisesTable)
	surprises.heading = "Surprising values" + firstOf(len(q.Surprises), of.Surprises)
	for i := range q.Surprises {
		x := &q.Surprises[i]
		confirmed := title(x.Confirmed, "no")
		surprises.Add(
			x.Edition, x.Criterion, x.Rig, x.Value, surprise(x), tables.As{Data: x.Confirmed, Text: confirmed},
		)
	}
	apart := sheetOf(apartTable)
	apart.heading = "Reviewers who differ" + firstOf(len(q.Disagreements), of.Disagreements)
	for _, d := range q.Disagreements {
		apart.Add(d.Edition, d.Criterion, d.Spread, d.Reviewers)
	}
	if a := q.Agreement; a.Alpha != nil {
		apart.heading += fmt.Sprintf(
			" · Krippendorff's alpha %s over %d shared grades", numerals.Rounded(*a.Alpha, 2), a.Units,
		)
	}
	changed := sheetOf(changedTable)
	changed.heading = "Grades changed after other grades could be seen" + firstOf(len(q.Changed), of.ChangedGrades)
	for i := range q.Changed {
		x := &q.Changed[i]
		changed.Add(x.Edition, x.Criterion, x.Reviewer, x.From, x.To, x.Seen)
	}
	lenient := sheetOf(leniencyTable)
	lenient.heading = "Leniency"
	for _, l := range q.Leniency {
		lenient.Add(l.Reviewer, tables.As{Data: l.Shift, Text: numerals.Signed(&l.Shift)}, l.Items)
	}
	return []*sheet{readings, surprises, apart, changed, lenient}
}

// driftedSheet shows when rigs were outside the band of their reference.
func driftedSheet(all []contract.DriftedRig) *sheet {
	t := sheetOf(driftedTable)
	t.heading = "Rigs that changed: outside the band of their reference"
	for _, d := range all {
		var until any
		if !d.Until.IsZero() {
			until = d.Until
		}
		t.Add(d.Rig, d.From, until)
	}
	return t
}

func spread(s *float64) string {
	if s == nil {
		return numerals.None
	}
	return numerals.Rounded(100**s, 1) + " %"
}

// remarkOn describes what needs attention in a reading.
func remarkOn(r *quality.Scatter) string {
	var out []string
	if r.Unsteady {
		out = append(out, "unsteady")
	}
	if r.TooFew {
		out = append(out, "too few runs")
	}
	for _, i := range r.Outliers {
		out = append(out, fmt.Sprintf("run %d is an outlier", i+1))
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
