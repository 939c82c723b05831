// Package servicetest provides tests with a whole service on a database of its own.
package servicetest

import (
	"context"
	"errors"
	"log/slog"
	"slices"
	"sync"
	"testing"
	"time"

	"dappertally/internal/access"
	"dappertally/internal/dbtest"
	"dappertally/internal/demo"
	"dappertally/internal/problem"
	"dappertally/internal/service"
	"dappertally/internal/store"
)

// Filled provides schemas with the demo's records, with which many tests start.
var Filled = dbtest.Filled{Name: "demo", Fill: func(ctx context.Context, s *store.Store) error {
	_, err := demo.Load(ctx, service.New(s, slog.New(slog.DiscardHandler), clock))
	return err
}}

func clock() time.Time { return demo.Day }

// Empty returns a service without records.
func Empty(t testing.TB) *service.Service {
	t.Helper()
	return Following(t, dbtest.Open(t), clock)
}

// Loaded returns a service with the demo's records, and two of its people: a lead and a reviewer.
func Loaded(t testing.TB) (s *service.Service, marit, ines *access.Actor) {
	t.Helper()
	s = Following(t, Filled.Open(t), clock)
	return s, Person(t, s, "marit"), Person(t, s, "ines")
}

// On returns a service on the migrated schema at an address.
func On(t testing.TB, dsn string) *service.Service {
	t.Helper()
	st, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { st.Close() })
	return Following(t, st, clock)
}

// Following returns a service on a store that follows its changes until the test ends.
func Following(t testing.TB, st *store.Store, now func() time.Time) *service.Service {
	t.Helper()
	s := service.New(st, slog.New(slog.DiscardHandler), now)
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { s.Follow(ctx); close(done) }()
	t.Cleanup(func() { cancel(); <-done })
	return s
}

// Person returns somebody who has an account.
func Person(t testing.TB, s *service.Service, name string) *access.Actor {
	t.Helper()
	who, err := s.People.ActorNamed(context.Background(), name)
	if err != nil {
		t.Fatal(err)
	}
	return who
}

// AtOnce runs do so many times at once and returns how many succeeded; the others must have failed with one of these
// kinds.
func AtOnce(t *testing.T, times int, do func(i int) error, kinds ...problem.Kind) (succeeded int) {
	t.Helper()
	results := make([]error, times)
	var wg sync.WaitGroup
	for i := range times {
		wg.Go(func() { results[i] = do(i) })
	}
	wg.Wait()
	for _, err := range results {
		var e *problem.Error
		switch {
		case err == nil:
			succeeded++
		case !errors.As(err, &e):
			t.Errorf("not an error of the service: %v", err)
		case !slices.Contains(kinds, e.Kind):
			t.Errorf("kind %v: %v", e.Kind, err)
		}
	}
	return succeeded
}

// The actors of tests: a reader without an account, and one of each role.
var (
	Stranger      = &access.Actor{}
	Reviewer      = &access.Actor{ID: "1", Name: "ines", Roles: []access.Role{access.Reviewer}}
	Lead          = &access.Actor{ID: "2", Name: "marit", Roles: []access.Role{access.Lead}}
	Administrator = &access.Actor{ID: "3", Name: "perrin", Roles: []access.Role{access.Administrator}}
)
