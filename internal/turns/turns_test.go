package turns

import (
	"context"
	"fmt"
	"sync"
	"testing"
	"testing/synctest"
	"time"

	"dappertally/internal/problem"
)

// TestBudget: computing time is subtracted from a network's budget, which refills.
func TestBudget(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		p := New(1)
		use := func(network string, d time.Duration) error {
			done, err := Take(p.Reader(t.Context(), network))
			if err == nil {
				time.Sleep(d)
				done()
			}
			return err
		}
		const part = burst / 3 * time.Millisecond
		for i := range 3 {
			if err := use("a", part); err != nil {
				t.Fatalf("turn %d: %v", i, err)
			}
		}
		err := use("a", 0) // all is used up, and a part was returned meanwhile
		if err != nil {
			t.Errorf("with what came back: %v", err)
		}
		for range 5 {
			err = use("a", part)
		}
		if !problem.IsKind(err, problem.TooMany) {
			t.Fatalf("beyond the budget: %v", err)
		}
		wait := err.(*problem.Error).After
		if wait < time.Second || wait > 30*time.Second {
			t.Errorf("it says to wait %v", wait)
		}
		if err := use("b", time.Second); err != nil {
			t.Errorf("another network: %v", err)
		}
		time.Sleep(wait)
		if err := use("a", 0); err != nil {
			t.Errorf("after waiting: %v", err)
		}
	})
}

// TestTurns: that many at once, a few wait, the rest are refused, and nested turns count as one.
func TestTurns(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		p := New(1)
		ctx := p.Reader(t.Context(), "a")
		done, err := Take(ctx)
		if err != nil {
			t.Fatal(err)
		}
		within, err := Take(ctx)
		if err != nil {
			t.Fatalf("a turn within a turn: %v", err)
		}
		within()
		within() // twice is once
		var wait sync.WaitGroup
		var mu sync.Mutex
		kinds := map[string]int{}
		for i := range 100 {
			wait.Go(func() {
				end, err := Take(p.Reader(t.Context(), fmt.Sprint(i%10)))
				mu.Lock()
				defer mu.Unlock()
				switch {
				case err == nil:
					kinds["admitted"]++
					end()
				case problem.IsKind(err, problem.Unavailable):
					kinds["refused"]++
				default:
					t.Error(err)
				}
			})
		}
		synctest.Wait() // somebody who leaves holds a place for a moment
		gone, cancel := context.WithCancel(p.Reader(t.Context(), "gone"))
		cancel()
		if _, err := Take(gone); err == nil {
			t.Error("somebody who has left got a turn")
		}
		synctest.Wait()
		if kinds["refused"] != 100-mostWaiting {
			t.Errorf("while one computes: %v", kinds)
		}
		done()
		wait.Wait()
		if kinds["admitted"] != mostWaiting || p.waiting != 0 || len(p.slots) != 0 {
			t.Errorf("afterwards: %v, %d waiting, %d computing", kinds, p.waiting, len(p.slots))
		}
		// Nobody waits forever.
		done, _ = Take(p.Reader(t.Context(), "x"))
		start := time.Now()
		if _, err := Take(p.Reader(t.Context(), "y")); !problem.IsKind(err, problem.Unavailable) ||
			time.Since(start) != patience {
			t.Errorf("after %v: %v", time.Since(start), err)
		}
		done()
	})
}

// TestNobodyElse: people with an account, and the service itself, need no turns.
func TestNobodyElse(t *testing.T) {
	done, err := Take(t.Context())
	if err != nil || Waits(t.Context()) {
		t.Fatal(err)
	}
	done()
}

// TestManyNetworks: the number of stored networks is limited.
func TestManyNetworks(t *testing.T) {
	p := New(1)
	for i := range mostKnown + 500 {
		done, err := Take(p.Reader(t.Context(), fmt.Sprint(i)))
		if err != nil {
			t.Fatal(err)
		}
		done()
	}
	if len(p.networks) > mostKnown {
		t.Errorf("%d networks are remembered", len(p.networks))
	}
}
