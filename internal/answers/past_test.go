package answers_test

import (
	"testing"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/answers"
	"dappertally/internal/ledger"
	"dappertally/internal/reviewing"
	"dappertally/internal/servicetest"
)

// TestPast requests past moments: by receipt, acceptance and the time a version was in force, whatever was changed,
// withdrawn or revised since.
func TestPast(t *testing.T) {
	now := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	s := servicetest.Following(t, servicetest.Filled.Open(t), func() time.Time { return now })
	ctx := t.Context()
	marit, tomas := servicetest.Person(t, s, "marit"), servicetest.Person(t, s, "tomas")
	const edition = "gullhaven/5.2/hearthside"
	score := func(q answers.Query) *float64 {
		t.Helper()
		r, err := s.Answers.Rank(ctx, q)
		if err != nil {
			t.Fatal(err)
		}
		card, ok := r.Card(edition)
		if !ok {
			return nil
		}
		return card.Overall
	}
	hour := func() time.Time { now = now.Add(time.Hour); return now }
	at := func(m time.Time) answers.Query { return answers.Query{At: &m} }
	change := func(n int64, err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		if _, err := s.State(ctx, n); err != nil {
			t.Fatal(err)
		}
	}

	first, before := *score(answers.Query{}), now
	r, err := s.Answers.Rank(ctx, answers.Query{})
	if err != nil {
		t.Fatal(err)
	}
	card, _ := r.Card(edition)
	move := func(to, reason string) {
		t.Helper()
		review, err := s.Reviewing.Review(ctx, marit, card.Review)
		if err != nil {
			t.Fatal(err)
		}
		change(s.Reviewing.MoveReview(ctx, marit, card.Review, ledger.Version(review.Revision), to, reason))
	}
	hour()
	move(reading.Underway, "look again")
	worst := 0.0
	_, err = s.Reviewing.Record(
		ctx,
		tomas,
		card.Review,
		reviewing.Sent{
			Reading: reading.Reading{
				ID:        ledger.NewID(),
				Criterion: "week-of-use",
				Answer:    reading.Answer{Grade: &worst},
			},
		},
	)
	if err != nil {
		t.Fatal(err)
	}
	recorded := hour()
	move(reading.Submitted, "once more")
	move(reading.Accepted, "")
	accepted := hour()
	second := *score(answers.Query{})
	if second >= first {
		t.Fatalf("the score went from %v to %v", first, second)
	}
	hour()
	move(reading.Withdrawn, "measured on the wrong machine")
	hour()
	if got := score(answers.Query{}); got != nil {
		t.Errorf("withdrawn, and still at %v", *got)
	}
	for _, c := range []struct {
		name   string
		moment time.Time
		want   float64
	}{
		{"before all of it", before, first}, {"recorded and not accepted", recorded.Add(-time.Minute), first}, {"accepted again", accepted, second},
	} {
		if got := score(at(c.moment)); got == nil || *got != c.want {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
	}

	// An audience that was revised, a version that was put in force, and one that was shown.
	under := func(q answers.Query) float64 {
		q.Audience = "pensioner"
		r, err := s.Answers.Rank(ctx, q)
		if err != nil {
			t.Fatal(err)
		}
		return r.Ranking.Ranking[0].Overall
	}
	was, then := under(answers.Query{}), now
	hour()
	state, err := s.State(ctx, 0)
	if err != nil {
		t.Fatal(err)
	}
	ref := state.Checklists.Versions["workshop@2"]
	change(
		s.Checklists.ReviseAudience(
			ctx,
			marit,
			ledger.Version(ref.Revision),
			"workshop@2",
			checklist.Audience{Key: "pensioner", Sections: map[string]float64{"performance": 500}},
			false,
			"to see",
		),
	)
	if is := under(answers.Query{}); is == was || under(at(then)) != was || under(at(hour())) != is {
		t.Errorf("pensioners: was %v, is %v, and then %v", was, is, under(at(then)))
	}
	if r, err := s.Answers.Rank(ctx, at(time.Date(2025, 6, 1, 0, 0, 0, 0, time.UTC))); err != nil ||
		r.List.Name() != "workshop@1" {
		t.Errorf("in June 2025: %v", err)
	}
	moment := time.Date(2025, 6, 1, 0, 0, 0, 0, time.UTC)
	if _, err := s.Answers.Rank(ctx, answers.Query{At: &moment, Checklist: "workshop@2"}); err == nil {
		t.Error("the second version was not in force in June 2025")
	}
}
