package reviewing_test

import (
	"testing"

	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/reviewing"
	"dappertally/internal/servicetest"
)

// TestCarriedOverOnce: a review is carried over to a version once, however many requests there are at the same time.
func TestCarriedOverOnce(t *testing.T) {
	s, marit, ines := servicetest.Loaded(t)
	list, err := s.Checklists.ChecklistNamed(t.Context(), "workshop@2")
	if err != nil {
		t.Fatal(err)
	}
	next := list.Clone()
	next.Version = 3
	if _, err := s.Checklists.AddChecklist(t.Context(), marit, next); err != nil {
		t.Fatal(err)
	}
	reviews, err := s.Reviewing.Reviews(t.Context(), ines)
	if err != nil {
		t.Fatal(err)
	}
	id := ""
	for _, r := range reviews {
		if r.Edition == "mossgate/12/hearthside" {
			id = r.ID
		}
	}
	n := servicetest.AtOnce(t, 6, func(int) error {
		_, _, err := s.Reviewing.CarryOver(
			t.Context(), ines, reviewing.CarryOver{Reviews: []string{id}, To: "workshop@3"},
		)
		return err
	}, problem.Conflict, problem.Invalid)
	if n != 1 {
		t.Errorf("it was carried over %d times", n)
	}
	// After it is withdrawn, it can be carried over again.
	reviews, err = s.Reviewing.Reviews(t.Context(), ines)
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range reviews {
		if r.Carried == id {
			if _, err := s.Reviewing.MoveReview(t.Context(), marit, r.ID, ledger.Version(r.Revision), "withdrawn", "begun too early"); err != nil {
				t.Fatal(err)
			}
		}
	}
	if _, _, err := s.Reviewing.CarryOver(t.Context(), ines, reviewing.CarryOver{Reviews: []string{id}, To: "workshop@3"}); err != nil {
		t.Errorf("after it was withdrawn: %v", err)
	}
}
