package store_test

import (
	"context"
	"errors"
	"sync/atomic"
	"testing"
	"time"

	"dappertally/core/catalogue"
	"dappertally/internal/dbtest"
	"dappertally/internal/store"
)

// TestCommitWithoutAnAnswer: if the answer to a commit is lost, the record of the write itself tells whether it was
// made.
func TestCommitWithoutAnAnswer(t *testing.T) {
	dsn := dbtest.Migrated(t)
	between := dbtest.Through(t, dsn)
	through, direct := opened(t, between.DSN), opened(t, dsn)
	write := func(ctx context.Context, key string) (int64, error) {
		return through.Write(ctx, "", time.Now(), func(tx *store.Tx) error {
			if _, err := tx.AddDistribution(&catalogue.Distribution{Key: key, Name: key, Model: "fixed"}); err != nil {
				return err
			}
			return tx.Log("added", store.SortCatalogue, key, "")
		})
	}
	is := func(key string) bool {
		t.Helper()
		names, err := direct.ReadAt(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		defer names.Close()
		c, err := names.Catalogue()
		if err != nil {
			t.Fatal(err)
		}
		_, there := c.Versions[key]
		return there
	}
	once := func(statement string, fate dbtest.Fate) {
		var done atomic.Bool
		between.Decide(func(s string) dbtest.Fate {
			if s == statement && done.CompareAndSwap(false, true) {
				return fate
			}
			return dbtest.Arrives
		})
	}
	asked := func() (*store.Asked, context.Context) {
		a := &store.Asked{ID: store.WriteID([]byte(store.NewID()[:32]))}
		return a, store.WithAsked(t.Context(), a)
	}

	once("COMMIT", dbtest.CutAfter)
	_, ctx := asked()
	if n, err := write(ctx, "answer-lost"); err != nil || n == 0 || !is("answer-lost") {
		t.Errorf("written, the answer lost: change %d, %v, there: %v", n, err, is("answer-lost"))
	}
	if m := store.Written(ctx); m == nil || m.Subject != "answer-lost" || m.Sort != store.SortCatalogue {
		t.Errorf("told as %+v", m)
	}
	once("COMMIT", dbtest.CutBefore)
	_, ctx = asked()
	if _, err := write(ctx, "never-arrived"); !errors.Is(err, store.ErrUnavailable) || is("never-arrived") {
		t.Errorf("not written: %v, there: %v", err, is("never-arrived"))
	}
	if store.Written(ctx) != nil {
		t.Error("what never arrived is told as written")
	}

	// The database is gone too: the outcome is unknown.
	between.Decide(func(s string) dbtest.Fate {
		if s != "COMMIT" {
			return dbtest.Arrives
		}
		between.Refuse(true)
		go between.Cut() // the idle connections too
		return dbtest.CutAfter
	})
	a, ctx := asked()
	began := time.Now()
	if _, err := write(ctx, "unknown"); !errors.Is(err, store.ErrUnsettled) {
		t.Errorf("nobody can know: %v", err)
	}
	if took := time.Since(began); took > 8*time.Second {
		t.Errorf("it took %v to tell that", took)
	}
	between.Refuse(false)
	between.Decide(func(string) dbtest.Fate { return dbtest.Arrives })
	if m, err := through.Made(t.Context(), a.ID); err != nil || m == nil || m.Subject != "unknown" || !is("unknown") {
		t.Errorf("looked up later: %+v, %v", m, err)
	}
	again := &store.Asked{ID: a.ID}
	if _, err := write(store.WithAsked(t.Context(), again), "unknown-2"); !errors.Is(err, store.ErrRepeated) {
		t.Errorf("the same write again: %v", err)
	}
	if is("unknown-2") {
		t.Error("what was repeated left something")
	}
}

// TestWritesAreForgotten: records of writes are kept for a while.
func TestWritesAreForgotten(t *testing.T) {
	s := dbtest.Open(t)
	a := &store.Asked{ID: store.WriteID{1}}
	ctx := store.WithAsked(t.Context(), a)
	if _, err := s.Write(ctx, "", time.Now(), func(*store.Tx) error { return nil }); err != nil {
		t.Fatal(err)
	}
	for _, x := range []struct {
		age  time.Duration
		kept bool
	}{{time.Hour, true}, {-time.Minute, false}} {
		if err := s.ForgetWrites(t.Context(), x.age); err != nil {
			t.Fatal(err)
		}
		if m, err := s.Made(t.Context(), a.ID); err != nil || (m != nil) != x.kept {
			t.Errorf("after those older than %v were forgotten: %v, %v", x.age, m, err)
		}
	}
}

// opened opens a schema until the test ends.
func opened(t *testing.T, dsn string) *store.Store {
	t.Helper()
	s, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}
