package quality_test

import (
	"math"
	"testing"
	"time"

	"dappertally/core/quality"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// TestChangedGradeCountsAsItWas: a reviewer who grades 0, sees the other's 6.5 and adopts it agrees no better than
// before; the score uses the changed grade.
func TestChangedGradeCountsAsItWas(t *testing.T) {
	grade := func(id, reviewer string, minute int, grade float64, replaces string) reading.Reading {
		return reading.Reading{
			ID: id, Criterion: "guide", Reviewer: reviewer, Replaces: replaces, Answer: reading.Answer{Grade: &grade},
			At: noon.Add(time.Duration(minute) * time.Minute),
		}
	}
	of := func(readings ...reading.Reading) (*scoring.Table, quality.Quality) {
		other := reading.Review{
			ID: "other", Edition: "d/2/e", Checklist: "desk@1", State: reading.Accepted, Accepted: &noon,
			Readings: []reading.Reading{grade("o1", "ines", 0, 3, ""), grade("o2", "odile", 0, 4, "")},
		}
		r := reading.Review{
			ID:        "r",
			Edition:   "d/1/e",
			Checklist: "desk@1",
			State:     reading.Accepted,
			Accepted:  &noon,
			Readings:  readings,
		}
		table := scoring.Tabulate(scoring.Input{Checklist: list(), Reviews: []reading.Review{r, other}}, scoring.Options{})
		return table, quality.Of(table, lines())
	}
	honest := []reading.Reading{grade("a", "ines", 0, 0, ""), grade("b", "odile", 1, 6.5, "")}
	_, want := of(honest...)
	table, got := of(append(honest, grade("c", "ines", 2, 6.5, "a"))...)
	if math.Abs(*got.Agreement.Alpha-*want.Agreement.Alpha) > 1e-12 {
		t.Errorf("alpha %v, %v before the change", *got.Agreement.Alpha, *want.Agreement.Alpha)
	}
	for i := range want.Leniency {
		if math.Abs(got.Leniency[i].Shift-want.Leniency[i].Shift) > 1e-12 {
			t.Errorf("leniency %+v, %+v before the change", got.Leniency[i], want.Leniency[i])
		}
	}
	// A disagreement that was resolved is not listed any more.
	if len(want.Disagreements) != 1 || len(got.Disagreements) != 0 {
		t.Errorf("apart: %+v, then %+v", want.Disagreements, got.Disagreements)
	}
	if len(got.Changed) != 1 || got.Changed[0].From != 0 || got.Changed[0].To != 6.5 || got.Changed[0].Edition != "d/1/e" {
		t.Errorf("changed: %+v", got.Changed)
	}
	i, _ := table.Index("guide")
	if points := *table.Cell(table.Row("d/1/e"), i).Points; points != 65 {
		t.Errorf("the score counts %v points, want 65", points)
	}
	before := noon.Add(90 * time.Second)
	table = scoring.Tabulate(scoring.Input{Checklist: list(), Reviews: []reading.Review{
		{
			ID:        "r",
			Edition:   "d/1/e",
			Checklist: "desk@1",
			State:     reading.Accepted,
			Accepted:  &noon,
			Readings:  append(honest, grade("c", "ines", 2, 6.5, "a")),
		},
	}}, scoring.Options{At: &before})
	if q := quality.Of(table, lines()); len(q.Changed) != 0 {
		t.Errorf("at a moment before the change: %+v", q.Changed)
	}
}
