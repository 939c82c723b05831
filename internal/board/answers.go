package board

import (
	"context"
	"sync"

	"dappertally/internal/turns"
)

// answers remembers what was computed of a state. It holds a bounded number: what
// was asked for least lately is computed again when it is asked for again.
type answers struct {
	mu         sync.RWMutex
	young, old map[string]any
	weight     int // of the young
	flights    map[flightKey]*flight
}

// flightKey tells what is being computed, for those with an account or for readers.
type flightKey struct {
	query   string
	readers bool
}

// flight is an answer that is being computed for all who wait for it. It ends when nobody
// does any more.
type flight struct {
	waiting int
	stop    context.CancelFunc
	done    chan struct{}
	answer  any
	err     error
	broken  any // what it panicked with
}

// mostAnswers is how many answers the young hold; as many again are old. One that takes
// much memory weighs as many as it says.
const mostAnswers = 32

// Weighty is an answer that takes much more memory than most: Weight is how many of these it
// weighs.
type Weighty interface{ Weight() int }

func weightOf(answer any) int {
	if w, ok := answer.(Weighty); ok {
		return 1 + w.Weight()
	}
	return 1
}

func newAnswers() *answers {
	return &answers{young: map[string]any{}, flights: map[flightKey]*flight{}}
}

func (a *answers) load(query string) (any, bool) {
	a.mu.RLock()
	known, ok := a.young[query]
	was, grown := a.old[query]
	a.mu.RUnlock()
	if ok {
		return known, true
	}
	if grown {
		a.store(query, was)
	}
	return was, grown
}

func (a *answers) store(query string, answer any) {
	a.mu.Lock()
	defer a.mu.Unlock()
	weight := weightOf(answer)
	if a.weight+weight > mostAnswers {
		a.old, a.young, a.weight = a.young, make(map[string]any, mostAnswers), 0
	}
	if _, there := a.young[query]; !there {
		a.weight += weight
	}
	a.young[query] = answer
}

// Remember gives the answer to a query, computing it at the first asking, in its turn where
// the context is a reader's. Anyone who asks the same meanwhile waits for that answer; what is
// computed has a context of its own, which ends when nobody waits any more. The
// answer must rest on the catalogue, the checklists and what stands alone: it holds until
// one of these changes.
func Remember[T any](
	ctx context.Context, s *State, query string, compute func(ctx context.Context) (T, error),
) (answer T, err error) {
	if known, ok := s.answers.load(query); ok {
		return known.(T), nil
	}
	done, err := turns.Take(ctx)
	if err != nil {
		return answer, err
	}
	defer done()
	found, err := s.answers.once(ctx, query, func(ctx context.Context) (any, error) { return compute(ctx) })
	if err == nil {
		answer = found.(T)
	}
	return answer, err
}

// Known is Remember of what is computed quickly and cannot fail.
func Known[T any](s *State, query string, compute func() T) T {
	answer, _ := Remember(context.Background(), s, query, func(context.Context) (T, error) { return compute(), nil })
	return answer
}

// Recall gives the answer to a query where it was remembered.
func Recall[T any](s *State, query string) (answer T, ok bool) {
	known, ok := s.answers.load(query)
	if ok {
		answer = known.(T)
	}
	return answer, ok
}

// once joins those who wait for an answer, and has it computed where nobody does yet. The
// team does not wait for what is computed for readers.
func (a *answers) once(
	ctx context.Context, query string, compute func(ctx context.Context) (any, error),
) (any, error) {
	key := flightKey{query, turns.Waits(ctx)}
	a.mu.Lock()
	f := a.flights[key]
	if f == nil {
		if known, ok := a.young[query]; ok { // it came meanwhile
			a.mu.Unlock()
			return known, nil
		}
		f = a.start(ctx, key, compute)
	}
	f.waiting++
	a.mu.Unlock()
	select {
	case <-f.done:
		if f.broken != nil {
			panic(f.broken)
		}
		return f.answer, f.err
	case <-ctx.Done():
		a.leave(key, f)
		return nil, ctx.Err()
	}
}

// start has an answer computed; a is locked.
func (a *answers) start(ctx context.Context, key flightKey, compute func(ctx context.Context) (any, error)) *flight {
	ctx, stop := context.WithCancel(context.WithoutCancel(ctx))
	f := &flight{stop: stop, done: make(chan struct{})}
	a.flights[key] = f
	go func() {
		defer stop()
		defer close(f.done)
		defer func() {
			f.broken = recover()
			if f.broken == nil && f.err == nil {
				a.store(key.query, f.answer)
			}
			a.mu.Lock()
			if a.flights[key] == f {
				delete(a.flights, key)
			}
			a.mu.Unlock()
		}()
		f.answer, f.err = compute(ctx)
	}()
	return f
}

// leave is that somebody does not wait any more; without anybody the flight ends, and who
// asks next begins another.
func (a *answers) leave(key flightKey, f *flight) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if f.waiting--; f.waiting > 0 {
		return
	}
	f.stop()
	if a.flights[key] == f {
		delete(a.flights, key)
	}
}
