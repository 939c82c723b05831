package board

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"

	"dappertally/internal/turns"
)

// TestRemember computes an answer once, keeps no failure, and answers only questions that were asked.
func TestRemember(t *testing.T) {
	s := &State{answers: newAnswers()}
	computed := 0
	double := func(n int) func(context.Context) (int, error) {
		return func(context.Context) (int, error) { computed++; return 2 * n, nil }
	}
	for range 3 {
		if got, err := Remember(t.Context(), s, "twice 21", double(21)); got != 42 || err != nil {
			t.Errorf("got %d, %v", got, err)
		}
	}
	if computed != 1 {
		t.Errorf("computed %d times", computed)
	}
	broken := errors.New("the database is gone")
	_, err := Remember(t.Context(), s, "broken", func(context.Context) (int, error) { return 0, broken })
	if !errors.Is(err, broken) {
		t.Errorf("got %v", err)
	}
	if got, err := Remember(t.Context(), s, "broken", double(1)); got != 2 || err != nil {
		t.Errorf("after a failure: %d, %v", got, err)
	}
	if got, ok := Recall[int](s, "twice 21"); got != 42 || !ok {
		t.Errorf("recalled %d, %t", got, ok)
	}
	if got, ok := Recall[int](s, "never asked"); got != 0 || ok {
		t.Errorf("recalled %d, %t", got, ok)
	}
}

// TestAnswersAreBounded makes very many different requests: answers that are requested again and again stay, and at
// most two generations are kept.
func TestAnswersAreBounded(t *testing.T) {
	s := &State{answers: newAnswers()}
	favourite := 0
	for i := range 50 * mostAnswers {
		once := func(context.Context) (int, error) { return i, nil }
		again := func(context.Context) (int, error) { favourite++; return -1, nil }
		if _, err := Remember(t.Context(), s, fmt.Sprint("once ", i), once); err != nil {
			t.Fatal(err)
		}
		if _, err := Remember(t.Context(), s, "favourite", again); err != nil {
			t.Fatal(err)
		}
	}
	if favourite != 1 {
		t.Errorf("what is asked for all the time was computed %d times", favourite)
	}
	if n := len(s.answers.young) + len(s.answers.old); n > 2*mostAnswers {
		t.Errorf("%d answers are kept", n)
	}
	if _, ok := Recall[int](s, "once 0"); ok {
		t.Error("the first of very many answers is kept still")
	}
}

// TestAnswersTogether requests from many goroutines at once: all get the same answer.
func TestAnswersTogether(t *testing.T) {
	s := &State{answers: newAnswers()}
	var wrong atomic.Int64
	var wg sync.WaitGroup
	for worker := range 8 {
		wg.Go(func() {
			for i := range 500 {
				n := (i*7 + worker) % 90
				got, err := Remember(t.Context(), s, fmt.Sprint("number ", n), func(context.Context) (int, error) { return n, nil })
				if err != nil || got != n {
					wrong.Add(1)
				}
			}
		})
	}
	wg.Wait()
	if n := wrong.Load(); n > 0 {
		t.Errorf("%d wrong answers", n)
	}
}

// TestComputedOnce: a caller waits for a computation that already runs; one that leaves does not end it, the last one
// does; the team does not wait behind readers.
func TestComputedOnce(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s := &State{answers: newAnswers()}
		release, computed, ended := make(chan struct{}), atomic.Int64{}, atomic.Int64{}
		compute := func(ctx context.Context) (int, error) {
			computed.Add(1)
			select {
			case <-release:
				return 42, nil
			case <-ctx.Done():
				ended.Add(1)
				return 0, ctx.Err()
			}
		}
		ask := func(ctx context.Context, done *sync.WaitGroup) {
			done.Go(func() {
				got, err := Remember(ctx, s, "slow", compute)
				if gone := ctx.Err(); gone == nil && (got != 42 || err != nil) || gone != nil && !errors.Is(err, gone) {
					t.Errorf("got %d, %v", got, err)
				}
			})
		}
		var team, readers, gone sync.WaitGroup
		leaving, leave := context.WithCancel(t.Context())
		for range 3 {
			ask(leaving, &gone)
		}
		synctest.Wait()
		leave()
		gone.Wait()
		synctest.Wait()
		if n, m := computed.Load(), ended.Load(); n != 1 || m != 1 {
			t.Errorf("all who asked have left: computed %d times, ended %d times", n, m)
		}
		leaving, leave = context.WithCancel(t.Context())
		ask(leaving, &gone)
		synctest.Wait()
		for range 20 {
			ask(t.Context(), &team)
		}
		synctest.Wait()
		leave()
		gone.Wait()
		synctest.Wait()
		if n, m := computed.Load(), ended.Load(); n != 2 || m != 1 {
			t.Errorf("the first of 21 has left: computed %d times, ended %d times", n, m)
		}
		close(release)
		team.Wait()
		release, computed = make(chan struct{}), atomic.Int64{}
		s.answers = newAnswers()
		pool := turns.New(2)
		for range 10 {
			ask(pool.Reader(t.Context(), "here"), &readers)
		}
		synctest.Wait()
		if n := computed.Load(); n != 1 {
			t.Errorf("10 readers: computed %d times", n)
		}
		ask(t.Context(), &team)
		synctest.Wait()
		if n := computed.Load(); n != 2 {
			t.Errorf("the team waits for what is computed for readers: computed %d times", n)
		}
		close(release)
		team.Wait()
		readers.Wait()
		if n := computed.Load(); n != 2 {
			t.Errorf("in the end: computed %d times", n)
		}
	})
}

// A panic in a computation is returned to its callers, and the next request computes again.
func TestComputingPanics(t *testing.T) {
	s := &State{answers: newAnswers()}
	func() {
		defer func() {
			if x := recover(); x != "a fault" {
				t.Errorf("recovered %v", x)
			}
		}()
		_, _ = Remember(t.Context(), s, "broken", func(context.Context) (int, error) { panic("a fault") })
	}()
	sound := func(context.Context) (int, error) { return 1, nil }
	if got, err := Remember(t.Context(), s, "broken", sound); got != 1 || err != nil {
		t.Errorf("afterwards: %d, %v", got, err)
	}
}
