package store_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"dappertally/core/catalogue"
	"dappertally/internal/build"
	"dappertally/internal/dbtest"
	"dappertally/internal/localdb"
	"dappertally/internal/store"
)

// TestCluster writes through three instances to three nodes: while all work, while the first dies or stands still, and
// after it is back. No acknowledged write is lost or made twice.
func TestCluster(t *testing.T) {
	c, err := localdb.StartCluster(t.Context(), dbtest.Folder(t), 3)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Stop()
	migrateWhileSilent(t, c)
	migrateEverywhere(t, c)
	w := &clusterWriters{t: t, stores: []*store.Store{opened(t, c.DSN()), opened(t, c.DSN()), opened(t, c.DSN())}}

	w.quietly()
	w.during("the first node dies", 5*time.Second, c.Nodes[0].Kill)
	if err := c.Nodes[0].Start(t.Context()); err != nil {
		t.Fatal(err)
	}
	w.returned(c.Nodes[0])
	w.during("the first node stands still", 7*time.Second, func() {
		if err := c.Nodes[0].Pause(true); err != nil {
			t.Error(err)
		}
	})
	if err := c.Nodes[0].Pause(false); err != nil {
		t.Fatal(err)
	}
	w.held(c)
}

// migrateWhileSilent migrates the schema while all nodes stand still for longer than the watch waits for an answer.
// The migration continues.
func migrateWhileSilent(t *testing.T, c *localdb.Cluster) {
	t.Helper()
	s := opened(t, c.DSN())
	elsewhere, err := sql.Open("mysql", c.Nodes[1].DSN())
	if err != nil {
		t.Fatal(err)
	}
	defer elsewhere.Close()
	type outcome struct {
		applied int
		err     error
	}
	migrated := make(chan outcome, 1)
	go func() {
		applied, err := s.Migrate(t.Context())
		migrated <- outcome{applied, err}
	}()
	for end := time.Now().Add(20 * time.Second); ; time.Sleep(5 * time.Millisecond) {
		var made int
		err := elsewhere.QueryRow(`SELECT COUNT(*) FROM information_schema.tables
			WHERE table_schema = DATABASE() AND table_name = 'proposals'`).Scan(&made)
		if err == nil && made == 1 {
			break
		}
		if time.Now().After(end) {
			t.Fatalf("the second migration did not begin in time: %v", err)
		}
	}
	pause := func(on bool) {
		for _, n := range c.Nodes {
			if err := n.Pause(on); err != nil {
				t.Error(err)
			}
		}
	}
	pause(true)
	time.Sleep(3500 * time.Millisecond)
	pause(false)
	if got := <-migrated; got.err != nil || got.applied != build.Schema {
		t.Fatalf("while the nodes stood still: %d of %d migrations, %v", got.applied, build.Schema, got.err)
	}
	for _, n := range c.Nodes { // nodes that join again
		at := opened(t, n.DSN())
		for end := time.Now().Add(30 * time.Second); ; time.Sleep(200 * time.Millisecond) {
			have, _, err := at.SchemaVersions(t.Context())
			if err == nil && have == build.Schema {
				break
			}
			if time.Now().After(end) {
				t.Fatalf("%s has version %d, %v", n.Name, have, err)
			}
		}
	}
}

// migrateEverywhere has an instance at each node migrate the schema, one right after the other and then all at once.
func migrateEverywhere(t *testing.T, c *localdb.Cluster) {
	t.Helper()
	if _, err := opened(t, c.Nodes[0].DSN()).Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	for _, n := range c.Nodes[1:] {
		s := opened(t, n.DSN())
		if applied, err := s.Migrate(t.Context()); err != nil || applied != 0 {
			t.Errorf("right after it at %s: %d migrations, %v", n.Name, applied, err)
		}
	}
}

// clusterWriters write all the time, and remember what was acknowledged.
type clusterWriters struct {
	t      *testing.T
	stores []*store.Store

	next  atomic.Int64
	mu    sync.Mutex
	acked []string
}

// run has six writers for each instance write until stop is called, which returns the number of refused writes and the
// longest time without a write.
func (w *clusterWriters) run() (stop func() (refused int, longest time.Duration)) {
	ctx, cancel := context.WithCancel(w.t.Context())
	var writing sync.WaitGroup
	var failed []error
	last, longest := time.Now(), time.Duration(0)
	for _, s := range w.stores {
		for range 6 {
			writing.Go(func() {
				for ctx.Err() == nil {
					key := fmt.Sprintf("key-%d", w.next.Add(1))
					request, done := context.WithTimeout(context.WithoutCancel(ctx), 15*time.Second)
					_, err := s.Write(request, "", time.Now(), func(tx *store.Tx) error {
						if _, err := tx.AddDistribution(
							&catalogue.Distribution{Key: key, Name: key, Model: "fixed"}); err != nil {
							return err
						}
						return tx.Log("added", store.SortCatalogue, key, "")
					})
					done()
					w.mu.Lock()
					if err != nil {
						failed = append(failed, err)
					} else {
						w.acked = append(w.acked, key)
						longest = max(longest, time.Since(last))
						last = time.Now()
					}
					w.mu.Unlock()
				}
			})
		}
	}
	return func() (int, time.Duration) {
		cancel()
		writing.Wait()
		for _, err := range failed[:min(3, len(failed))] {
			w.t.Logf("refused: %v", err)
		}
		return len(failed), longest
	}
}

// quietly requires that no write is refused while nothing happens.
func (w *clusterWriters) quietly() {
	w.t.Helper()
	before, began := len(w.acked), time.Now()
	stop := w.run()
	time.Sleep(3 * time.Second)
	refused, longest := stop()
	if refused > 0 {
		w.t.Errorf("%d writes were refused in quiet operation", refused)
	}
	w.t.Logf("quiet: %.0f writes a second, at most %s apart",
		float64(len(w.acked)-before)/time.Since(began).Seconds(), longest)
}

// during requires that writes continue soon after something happens, and that none is refused.
func (w *clusterWriters) during(what string, soon time.Duration, happens func()) {
	w.t.Helper()
	stop := w.run()
	time.Sleep(time.Second)
	happens()
	time.Sleep(soon + time.Second)
	refused, longest := stop()
	w.t.Logf("%s: writes were made again after %s; %d refused", what, longest, refused)
	if longest > soon || refused > 0 {
		w.t.Errorf("%s: no write for %s, %d refused", what, longest, refused)
	}
}

// returned waits until all instances write to a node again.
func (w *clusterWriters) returned(n *localdb.Node) {
	w.t.Helper()
	for _, s := range w.stores {
		for end := time.Now().Add(15 * time.Second); s.Node() != n.Address; time.Sleep(100 * time.Millisecond) {
			if time.Now().After(end) {
				w.t.Fatalf("%s is not used again, but %s", n.Address, s.Node())
			}
		}
	}
}

// held requires that every node has each acknowledged write once, and the same change log without a gap.
func (w *clusterWriters) held(c *localdb.Cluster) {
	w.t.Helper()
	var first []store.Change
	for i, n := range c.Nodes {
		s := opened(w.t, n.DSN())
		var last int64
		var err error
		for end := time.Now().Add(20 * time.Second); ; time.Sleep(200 * time.Millisecond) {
			if last, err = s.LastCommitted(w.t.Context()); err == nil {
				break
			}
			if time.Now().After(end) {
				w.t.Fatalf("%s: %v", n.Name, err)
			}
		}
		changes := changesOf(w.t, s)
		seen := map[string]int{}
		for j, x := range changes {
			seen[x.Subject]++
			if x.Number != int64(j)+1 {
				w.t.Fatalf("%s: change %d is number %d", n.Name, j+1, x.Number)
			}
		}
		for _, key := range w.acked {
			if seen[key] != 1 {
				w.t.Errorf("%s: %s is there %d times", n.Name, key, seen[key])
			}
		}
		w.t.Logf("%s: %d changes, %d acknowledged", n.Name, last, len(w.acked))
		if i == 0 {
			first = changes
		} else if !slices.EqualFunc(first, changes, func(a, b store.Change) bool {
			return a.Number == b.Number && a.Subject == b.Subject
		}) {
			w.t.Errorf("%s has another change log than %s", n.Name, c.Nodes[0].Name)
		}
	}
}

func changesOf(t *testing.T, s *store.Store) []store.Change {
	t.Helper()
	snap, err := s.ReadAt(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer snap.Close()
	changes, err := snap.Changes(0)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		t.Fatal(err)
	}
	return changes
}
