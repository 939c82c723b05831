package store_test

import (
	"context"
	"errors"
	"sync"
	"testing"
	"time"

	"dappertally/core/catalogue"
	"dappertally/internal/dbtest"
	"dappertally/internal/store"
)

var now = time.Date(2026, 11, 23, 14, 2, 0, 0, time.UTC)

func TestMigrateTogether(t *testing.T) {
	dsn := dbtest.DSN(t)
	var wg sync.WaitGroup
	errs := make([]error, 5)
	for i := range errs {
		wg.Go(func() {
			s, err := store.Open(dsn)
			if err != nil {
				errs[i] = err
				return
			}
			defer s.Close()
			_, errs[i] = s.Migrate(context.Background())
		})
	}
	wg.Wait()
	for i, err := range errs {
		if err != nil {
			t.Errorf("instance %d: %v", i, err)
		}
	}
}

func TestEditNeedsNewestRevision(t *testing.T) {
	s := dbtest.Open(t)
	d := catalogue.Distribution{Key: "mossgate", Name: "Mossgate", Model: "fixed"}
	var ref store.Ref
	write(t, s, func(tx *store.Tx) (err error) {
		ref.Revision = 1
		ref.ID, err = tx.AddDistribution(&d)
		return err
	})
	d.Aim = "quiet"
	write(t, s, func(tx *store.Tx) error { return tx.EditDistribution(ref, &d) })
	_, err := s.Write(context.Background(), "", now, func(tx *store.Tx) error { return tx.EditDistribution(ref, &d) })
	if !errors.Is(err, store.ErrStale) {
		t.Errorf("a second edit of revision 1: got %v, want ErrStale", err)
	}
	_, err = s.Write(
		context.Background(), "", now, func(tx *store.Tx) error { _, err := tx.AddDistribution(&d); return err },
	)
	if !errors.Is(err, store.ErrExists) {
		t.Errorf("adding the same key: got %v, want ErrExists", err)
	}
}

func TestForeignKeys(t *testing.T) {
	s := dbtest.Open(t)
	_, err := s.Write(context.Background(), "", now, func(tx *store.Tx) error {
		_, err := tx.AddRelease(store.NewID(), &catalogue.Release{Version: "1", Date: "2026-01-01"})
		return err
	})
	if !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a release of no distribution: got %v, want ErrNotFound", err)
	}
}

// TestChangesInOrderOfCommits writes from many goroutines at once: numbers must have no gaps, and a reader must never
// see a number before a smaller one.
func TestChangesInOrderOfCommits(t *testing.T) {
	s := dbtest.Open(t)
	const writers, each = 8, 10
	var wg sync.WaitGroup
	for range writers {
		wg.Go(func() {
			for range each {
				write(t, s, func(tx *store.Tx) error { return nil })
			}
		})
	}
	seen := int64(0)
	for seen < writers*each {
		snap, err := s.ReadAt(context.Background())
		if err != nil {
			t.Fatal(err)
		}
		changes, err := snap.Changes(seen)
		if err != nil {
			t.Fatal(err)
		}
		snap.Close()
		for _, c := range changes {
			if c.Number != seen+1 {
				t.Fatalf("change %d came after change %d", c.Number, seen)
			}
			seen = c.Number
		}
	}
	wg.Wait()
}

func TestRolledBackWriteLeavesNothing(t *testing.T) {
	s := dbtest.Open(t)
	broken := errors.New("broken")
	_, err := s.Write(context.Background(), "", now, func(tx *store.Tx) error {
		if err := tx.AddRig(store.NewID(), &catalogue.Rig{Key: "bench-a"}); err != nil {
			return err
		}
		return broken
	})
	if !errors.Is(err, broken) {
		t.Fatalf("got %v", err)
	}
	snap, err := s.ReadAt(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	defer snap.Close()
	c, err := snap.Catalogue()
	if err != nil || len(c.Rigs) != 0 || snap.Number != 0 {
		t.Errorf("after a rollback: %d rigs, change %d, %v", len(c.Rigs), snap.Number, err)
	}
}

func write(t *testing.T, s *store.Store, do func(*store.Tx) error) {
	t.Helper()
	_, err := s.Write(context.Background(), "", now, func(tx *store.Tx) error {
		if err := do(tx); err != nil {
			return err
		}
		return tx.Log("tested", store.SortCatalogue, "x", "")
	})
	if err != nil {
		t.Error(err)
	}
}
