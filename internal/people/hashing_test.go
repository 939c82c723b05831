package people

import (
	"context"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

// TestTurns lets a few in at once, makes some wait, and refuses the others at once.
func TestTurns(t *testing.T) {
	const in, waiting, all = 2, 3, 40
	turns := newTurns(in, waiting)
	var inside, most, served, refused atomic.Int32
	hold := make(chan struct{})
	var everybody sync.WaitGroup
	for range all {
		everybody.Go(func() {
			done, err := turns.acquire(context.Background(), time.Minute)
			if err != nil {
				refused.Add(1)
				return
			}
			if now := inside.Add(1); now > most.Load() {
				most.Store(now)
			}
			<-hold
			inside.Add(-1)
			served.Add(1)
			done()
		})
	}
	for end := time.Now().Add(10 * time.Second); refused.Load() < all-in-waiting && time.Now().Before(end); {
		time.Sleep(time.Millisecond)
	}
	if n := refused.Load(); n != all-in-waiting {
		t.Errorf("%d are sent away, not %d", n, all-in-waiting)
	}
	close(hold)
	everybody.Wait()
	if served.Load() != in+waiting || most.Load() > in {
		t.Errorf("%d are served, at most %d at once", served.Load(), most.Load())
	}
	// A caller that waits too long, or leaves, gives its place back.
	done, err := turns.acquire(context.Background(), time.Minute)
	if err != nil {
		t.Fatal("no turn is left:", err)
	}
	second, _ := turns.acquire(context.Background(), time.Minute)
	for range 2 * waiting {
		if _, err := turns.acquire(context.Background(), time.Millisecond); err == nil {
			t.Fatal("a third gets a turn")
		}
	}
	done()
	second()
	if done, err = turns.acquire(context.Background(), time.Millisecond); err != nil {
		t.Error("places are lost:", err)
	} else {
		done()
	}
}
