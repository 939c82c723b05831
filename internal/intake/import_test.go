package intake_test

import (
	"errors"
	"strings"
	"testing"

	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/demo"
	"dappertally/internal/problem"
	"dappertally/internal/servicetest"
)

// TestImport imports the demo; the results from the database are those that the core computes from the bundle.
func TestImport(t *testing.T) {
	s := servicetest.Empty(t)
	change, err := demo.Load(t.Context(), s)
	if err != nil {
		t.Fatal(err)
	}
	if empty, err := s.Intake.Empty(t.Context()); err != nil || empty {
		t.Errorf("after the import it is empty: %v, %v", empty, err)
	}
	r, err := s.Answers.Rank(t.Context(), answers.Query{After: change})
	if err != nil {
		t.Fatal(err)
	}
	b, err := demo.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	accepted := 0
	for _, x := range b.Reviews {
		if x.State == reading.Accepted && x.Checklist == r.List.Name() {
			accepted++
		}
	}
	accepted++ // the review of a beta is not in the bundle
	if len(r.Table.Editions) != accepted {
		t.Errorf("%d editions stand, %d reviews are accepted", len(r.Table.Editions), accepted)
	}
	again, err := s.Answers.Rank(t.Context(), answers.Query{})
	if err != nil || again != r {
		t.Error("the same query on the same records is computed again")
	}
}

func TestImportIsAllOrNothing(t *testing.T) {
	s := servicetest.Empty(t)
	b, err := demo.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	b.Reviews[len(b.Reviews)-1].Readings[0].Criterion = "luck" // no validation accepts this
	if _, err := s.Intake.Import(t.Context(), &access.Actor{}, b, nil); err == nil {
		t.Fatal("a reading of no criterion was imported")
	}
	if empty, err := s.Intake.Empty(t.Context()); err != nil || !empty {
		t.Errorf("a failed import left something behind: %v, %v", empty, err)
	}
	b, err = demo.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Intake.Import(t.Context(), &access.Actor{}, b, nil); err != nil {
		t.Fatal(err)
	}
	_, err = s.Intake.Import(t.Context(), &access.Actor{}, b, nil)
	var e *problem.Error
	if !errors.As(err, &e) || e.Kind != problem.Conflict || !strings.Contains(e.Message, "already") {
		t.Errorf("the same bundle twice: %v", err)
	}
}
