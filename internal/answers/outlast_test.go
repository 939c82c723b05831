package answers_test

import (
	"testing"

	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/ledger"
	"dappertally/internal/reviewing"
	"dappertally/internal/servicetest"
)

// TestAnswersOutlastOpenWork records in a review that is not accepted: answers about accepted reviews are not computed
// again. An acceptance changes them.
func TestAnswersOutlastOpenWork(t *testing.T) {
	s, marit, _ := servicetest.Loaded(t)
	tomas := servicetest.Person(t, s, "tomas")
	rank := func(after int64) *answers.Result {
		r, err := s.Answers.Rank(t.Context(), answers.Query{After: after})
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	reviews, err := s.Reviewing.Reviews(t.Context(), tomas)
	if err != nil {
		t.Fatal(err)
	}
	var change int64
	first := rank(change)
	for _, r := range reviews {
		if r.State != reading.Underway {
			continue
		}
		grade := 6.5
		out, err := s.Reviewing.Record(
			t.Context(),
			tomas,
			r.ID,
			reviewing.Sent{
				Reading: reading.Reading{
					ID:        ledger.NewID(),
					Criterion: "week-of-use",
					Answer:    reading.Answer{Grade: &grade},
				},
			},
		)
		if err != nil {
			t.Fatal(err)
		}
		if rank(out.Change) != first {
			t.Error("a reading of an open review has the ranking computed again")
		}
		for _, step := range []struct {
			who *access.Actor
			to  string
		}{{tomas, reading.Submitted}, {marit, reading.Accepted}} {
			now, err := s.Reviewing.Review(t.Context(), step.who, r.ID)
			if err != nil {
				t.Fatal(err)
			}
			if change, err = s.Reviewing.MoveReview(t.Context(), step.who, r.ID, ledger.Version(now.Revision), step.to, "a first look only"); err != nil {
				t.Fatal(err)
			}
		}
		if now := rank(change); now == first || len(now.Table.Editions) != len(first.Table.Editions)+1 {
			t.Error("an acceptance does not change the ranking")
		}
	}
}
