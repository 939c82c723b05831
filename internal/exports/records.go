package exports

import (
	"fmt"
	"io"
	"strings"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/intake"
	"dappertally/internal/reviewing"
	"dappertally/internal/slip"
	"dappertally/internal/tables"
)

var readings = tables.Define("readings", "a reading, as it can be imported",
	tables.Text("id", "", ""),
	tables.Text("review", "", "its id"),
	tables.Text("edition", "", "its key"),
	tables.Text("checklist", "", "the version"),
	tables.Text("criterion", "", "its key"),
	tables.Text("reviewer", "", "name"),
	tables.Text("rig", "", "its key"),
	tables.Moment("at", "", "when it was measured"),
	tables.Moment("received", "", "when the service got it"),
	tables.Text("system", "", "id of the system state"),
	tables.Text("method", "", "of measuring"),
	tables.Text("setup", "", "of the system"),
	tables.Text("phase", "", "of the review"),
	tables.Text("answer", "", "as it is typed; runs separated by blanks"),
	tables.Text("unit", "", "of the answer"),
	tables.Text("notTested", "", "why it was not tested"),
	tables.Text("notApplicable", "", "why it does not apply"),
	tables.Number("adjustment", "", "that is subtracted from every run"),
	tables.Text("adjustmentReason", "", ""),
	tables.Text("bound", "", "at least or at most, if the value is only a bound"),
	tables.Text("disturbance", "", "why it is not counted"),
	tables.Truth("repeat", "", "it repeats an earlier reading to confirm it"),
	tables.Text("replaces", "", "id of the reading that it replaces"),
	tables.Text("note", "", ""),
	tables.Text("boots", "", "the starts of the machine that runs were made in, ID:RUNS each"),
)

// Readings is a table with a row for each reading that each visits, in columns that an import accepts.
func Readings(each func(visit func(intake.ReadingOf) error) error) *tables.Table {
	t := readings.Table()
	t.Stream = func(add func(cells ...any) error) error {
		var cells []any // of one row after the other
		return each(func(r intake.ReadingOf) error {
			cells = readingCells(cells[:0], &r)
			return add(cells...)
		})
	}
	return t
}

func readingCells(cells []any, r *intake.ReadingOf) []any {
	x := r.Reading
	var amount any
	reason := ""
	if x.Adjustment != nil {
		amount, reason = x.Adjustment.Amount, x.Adjustment.Reason
	}
	var repeat any
	if x.Repeat {
		repeat = true
	}
	received := ""
	if x.Received != nil {
		received = moment(*x.Received)
	}
	return append(
		cells,
		x.ID,
		r.Review,
		r.Edition,
		r.Checklist,
		x.Criterion,
		x.Reviewer,
		x.Rig,
		moment(x.At),
		received,
		x.System,
		x.Context.Method,
		x.Context.Setup,
		x.Context.Phase,
		slip.Words(&x.Answer),
		r.Unit,
		x.Answer.NotTested,
		x.Answer.NotApplicable,
		amount,
		reason,
		x.Bound,
		x.Disturbance,
		repeat,
		x.Replaces,
		x.Note,
		reading.BootWords(x.Boots),
	)
}

func moment(at time.Time) string {
	if at.IsZero() {
		return ""
	}
	return at.UTC().Format(time.RFC3339Nano)
}

var reviewRecords = tables.Define("reviewRecords", "a review; planned work is shown only to the team",
	tables.Text("id", "", ""),
	tables.Text("edition", "", "its key"),
	tables.Text("checklist", "", "the version"),
	tables.Text("state", "", ""),
	tables.Moment("accepted", "", "when"),
	tables.Text("continues", "", "id of the review that it continues"),
	tables.Text("carriedFrom", "", "id of the review that it was carried over from"),
	tables.Text("team*", "", "assigned, due, created, waiting: for the team"),
)

// Reviews is a table with a row for each review.
func Reviews(reviews []reviewing.Review, team bool) *tables.Table {
	t := reviewRecords.Table()
	if team {
		t = reviewRecords.Table(
			tables.Text("assigned", "", ""),
			tables.Day("due", "", ""),
			tables.Moment("created", "", ""),
			tables.Integer("waiting", "", ""),
		)
	}
	t.Name = "reviews"
	for i := range reviews {
		r := &reviews[i]
		row := []any{r.ID, r.Edition, r.Checklist, r.State, moment(r.Accepted), r.Continues, r.Carried}
		if team {
			row = append(row, r.Assigned, r.Due, moment(r.Created), r.Waiting)
		}
		t.Add(row...)
	}
	return t
}

// TAP writes the checks and counts of one review as results in the Test Anything Protocol, named by the criterion's
// key, and for an item of a count by its key after a slash. The newest answer that was not replaced counts.
func TAP(w io.Writer, records []intake.ReadingOf) error {
	replaced := map[string]bool{}
	for i := range records {
		replaced[records[i].Reading.Replaces] = true
	}
	last := map[string]*reading.Reading{}
	var order []string
	for i := range records {
		x := records[i].Reading
		if records[i].Kind != checklist.Check && records[i].Kind != checklist.Count || replaced[x.ID] ||
			x.Disturbance != "" {
			continue
		}
		if last[x.Criterion] == nil {
			order = append(order, x.Criterion)
		}
		if old := last[x.Criterion]; old == nil || !x.At.Before(old.At) {
			last[x.Criterion] = x
		}
	}
	var lines []string
	for _, key := range order {
		lines = append(lines, tapLines(last[key])...)
	}
	if _, err := fmt.Fprintf(w, "TAP version 14\n1..%d\n", len(lines)); err != nil {
		return err
	}
	for i, line := range lines {
		if _, err := fmt.Fprintf(w, line, i+1); err != nil {
			return err
		}
	}
	return nil
}

// tapLines returns the lines of one reading, with a placeholder for their number.
func tapLines(x *reading.Reading) []string {
	a := &x.Answer
	line := func(ok, name, directive string) string {
		if directive != "" {
			directive = " # " + directive
		}
		// What people wrote must neither end the line nor look like a placeholder.
		return ok + " %d - " + strings.NewReplacer("%", "%%", "\n", " ").Replace(name+directive) + "\n"
	}
	switch {
	case a.NotTested != "":
		return []string{line("ok", x.Criterion, "SKIP "+a.NotTested)}
	case a.NotApplicable != "":
		return []string{line("ok", x.Criterion, "SKIP not applicable: "+a.NotApplicable)}
	case a.Check == reading.Works:
		return []string{line("ok", x.Criterion, "")}
	case a.Check == reading.Workaround:
		return []string{line("ok", x.Criterion, "workaround")}
	case a.Check == reading.Fails:
		return []string{line("not ok", x.Criterion, "")}
	}
	var lines []string
	for _, item := range a.Count.Worked {
		lines = append(lines, line("ok", x.Criterion+"/"+item, ""))
	}
	for _, item := range a.Count.Workaround {
		lines = append(lines, line("ok", x.Criterion+"/"+item, "workaround"))
	}
	for _, item := range a.Count.Failed {
		lines = append(lines, line("not ok", x.Criterion+"/"+item, ""))
	}
	for _, item := range a.Count.NotTested {
		lines = append(lines, line("ok", x.Criterion+"/"+item, "SKIP"))
	}
	return lines
}
