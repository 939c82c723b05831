package service_test

import (
	"context"
	"io"
	"log/slog"
	"testing"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/service"
)

// TestPast looks at moments that have gone by: by receipt, acceptance and the time a
// version was in force, whatever was changed, withdrawn or revised since.
func TestPast(t *testing.T) {
	now := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	s := service.New(filled.Open(t), slog.New(slog.NewTextHandler(io.Discard, nil)), func() time.Time { return now })
	following, stop := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() { s.Follow(following); close(done) }()
	t.Cleanup(func() { stop(); <-done })
	ctx := t.Context()
	marit, err := s.ActorNamed(ctx, "marit")
	if err != nil {
		t.Fatal(err)
	}
	tomas, err := s.ActorNamed(ctx, "tomas")
	if err != nil {
		t.Fatal(err)
	}
	const edition = "gullhaven/5.2/hearthside"
	score := func(q service.Query) *float64 {
		t.Helper()
		r, err := s.Rank(ctx, q)
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
	at := func(m time.Time) service.Query { return service.Query{At: &m} }
	change := func(n int64, err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		if _, err := s.State(ctx, n); err != nil {
			t.Fatal(err)
		}
	}

	first, before := *score(service.Query{}), now
	r, err := s.Rank(ctx, service.Query{})
	if err != nil {
		t.Fatal(err)
	}
	card, _ := r.Card(edition)
	move := func(to, reason string) {
		t.Helper()
		review, err := s.Review(ctx, marit, card.Review)
		if err != nil {
			t.Fatal(err)
		}
		change(s.MoveReview(ctx, marit, card.Review, service.Version(review.Revision), to, reason))
	}
	hour()
	move(reading.Underway, "look again")
	worst := 0.0
	_, err = s.Record(
		ctx,
		tomas,
		card.Review,
		service.Sent{
			Reading: reading.Reading{
				ID:        service.NewID(),
				Criterion: "week-of-use",
				Answer:    reading.Answer{Grade: &worst},
			},
		},
	)
	if err != nil {
		t.Fatal(err)
	}
	recorded := hour()
	move(reading.HandedIn, "once more")
	move(reading.Accepted, "")
	accepted := hour()
	second := *score(service.Query{})
	if second >= first {
		t.Fatalf("the score went from %v to %v", first, second)
	}
	hour()
	move(reading.Withdrawn, "measured on the wrong machine")
	hour()
	if got := score(service.Query{}); got != nil {
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
	under := func(q service.Query) float64 {
		q.Audience = "pensioner"
		r, err := s.Rank(ctx, q)
		if err != nil {
			t.Fatal(err)
		}
		return r.Ranking.Ranking[0].Overall
	}
	was, then := under(service.Query{}), now
	hour()
	state, err := s.State(ctx, 0)
	if err != nil {
		t.Fatal(err)
	}
	ref := state.Checklists.Versions["workshop@2"]
	change(
		s.ReviseAudience(
			ctx,
			marit,
			service.Version(ref.Revision),
			"workshop@2",
			checklist.Audience{Key: "pensioner", Sections: map[string]float64{"performance": 500}},
			false,
			"to see",
		),
	)
	if is := under(service.Query{}); is == was || under(at(then)) != was || under(at(hour())) != is {
		t.Errorf("pensioners: was %v, is %v, and then %v", was, is, under(at(then)))
	}
	if r, err := s.Rank(ctx, at(time.Date(2025, 6, 1, 0, 0, 0, 0, time.UTC))); err != nil ||
		r.List.Name() != "workshop@1" {
		t.Errorf("in June 2025: %v", err)
	}
	moment := time.Date(2025, 6, 1, 0, 0, 0, 0, time.UTC)
	if _, err := s.Rank(ctx, service.Query{At: &moment, Checklist: "workshop@2"}); err == nil {
		t.Error("the second version was not in force in June 2025")
	}
}
