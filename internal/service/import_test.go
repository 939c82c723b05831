package service_test

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"strings"
	"testing"
	"time"

	"dappertally/core/reading"
	"dappertally/internal/dbtest"
	"dappertally/internal/demo"
	"dappertally/internal/service"
	"dappertally/internal/store"
)

// filled is the demo's records, which many tests begin with.
var filled = dbtest.Filled{Fill: func(ctx context.Context, s *store.Store) error {
	_, err := demo.Load(
		ctx,
		service.New(s, slog.New(slog.NewTextHandler(io.Discard, nil)), func() time.Time { return demo.Day }),
	)
	return err
}}

func newService(t *testing.T) *service.Service {
	t.Helper()
	return following(t, dbtest.Open(t))
}

// following is a service on a store that follows its changes.
func following(t *testing.T, st *store.Store) *service.Service {
	t.Helper()
	s := service.New(st, slog.New(slog.NewTextHandler(io.Discard, nil)), func() time.Time { return demo.Day })
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { s.Follow(ctx); close(done) }()
	t.Cleanup(func() { cancel(); <-done })
	return s
}

// TestImport takes the demo in and computes from the database what the core
// computes from the bundle.
func TestImport(t *testing.T) {
	s := newService(t)
	change, err := demo.Load(t.Context(), s)
	if err != nil {
		t.Fatal(err)
	}
	if empty, err := s.Empty(t.Context()); err != nil || empty {
		t.Errorf("after the import it is empty: %v, %v", empty, err)
	}
	r, err := s.Rank(t.Context(), service.Query{After: change})
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
	accepted++ // the look at a beta is no part of the bundle
	if len(r.Cards) != accepted {
		t.Errorf("%d editions stand, %d reviews are accepted", len(r.Cards), accepted)
	}
	again, err := s.Rank(t.Context(), service.Query{})
	if err != nil || again != r {
		t.Error("the same query on the same records is computed again")
	}
}

func TestImportIsAllOrNothing(t *testing.T) {
	s := newService(t)
	b, err := demo.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	b.Reviews[len(b.Reviews)-1].Readings[0].Criterion = "luck" // what no validation let through
	if _, err := s.Import(t.Context(), &service.Actor{}, b, nil); err == nil {
		t.Fatal("a reading of no criterion was imported")
	}
	if empty, err := s.Empty(t.Context()); err != nil || !empty {
		t.Errorf("a failed import left something behind: %v, %v", empty, err)
	}
	b, err = demo.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Import(t.Context(), &service.Actor{}, b, nil); err != nil {
		t.Fatal(err)
	}
	_, err = s.Import(t.Context(), &service.Actor{}, b, nil)
	var e *service.Error
	if !errors.As(err, &e) || e.Kind != service.Conflict || !strings.Contains(e.Message, "already") {
		t.Errorf("the same bundle twice: %v", err)
	}
}

func TestReadyTellsWhyNot(t *testing.T) {
	s := service.New(dbtest.Open(t), slog.New(slog.NewTextHandler(io.Discard, nil)), time.Now)
	var e *service.Error
	if err := s.Ready(t.Context()); !errors.As(err, &e) || e.Kind != service.Unavailable {
		t.Errorf("before it has read its records: %v", err)
	}
}

// TestAnswersOutlastOpenWork records in a review that does not stand: what was
// computed of those that stand is not computed again. An acceptance changes it.
func TestAnswersOutlastOpenWork(t *testing.T) {
	s := following(t, filled.Open(t))
	tomas, err := s.ActorNamed(t.Context(), "tomas")
	if err != nil {
		t.Fatal(err)
	}
	marit, err := s.ActorNamed(t.Context(), "marit")
	if err != nil {
		t.Fatal(err)
	}
	rank := func(after int64) *service.Result {
		r, err := s.Rank(t.Context(), service.Query{After: after})
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	reviews, err := s.Reviews(t.Context(), tomas)
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
		out, err := s.Record(
			t.Context(),
			tomas,
			r.ID,
			service.Sent{
				Reading: reading.Reading{
					ID:        service.NewID(),
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
			who *service.Actor
			to  string
		}{{tomas, reading.HandedIn}, {marit, reading.Accepted}} {
			now, err := s.Review(t.Context(), step.who, r.ID)
			if err != nil {
				t.Fatal(err)
			}
			if change, err = s.MoveReview(t.Context(), step.who, r.ID, service.Version(now.Revision), step.to, "a first look only"); err != nil {
				t.Fatal(err)
			}
		}
		if now := rank(change); now == first || len(now.Cards) != len(first.Cards)+1 {
			t.Error("an acceptance does not change the ranking")
		}
	}
}
