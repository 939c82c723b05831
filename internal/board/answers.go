package board

import (
	"context"
	"sync"

	"dappertally/internal/turns"
)

// answers remembers what was computed from a state. It holds a limited number: what was requested least recently is
// computed again when needed.
type answers struct {
	mu         sync.RWMutex
	young, old map[string]kept
	weight     int // weight of the young
	flights    map[flightKey]*flight
}

// kept is an answer. One that lasts depends only on the rigs, the checklists and the current reviews.
type kept struct {
	answer any
	lasts  bool
}

// flightKey identifies a computation in progress, for those with an account or for readers.
type flightKey struct {
	query   string
	readers bool
}

// flight is a computation in progress for everybody who waits for it. It ends when nobody does any more.
type flight struct {
	waiting int
	stop    context.CancelFunc
	done    chan struct{}
	answer  any
	err     error
	broken  any // the value of a panic
}

// mostAnswers is how many answers the young hold; old holds as many again. A large answer weighs as many as it says.
const mostAnswers = 32

// Weighty is an answer that takes much more memory than most: Weight returns how many of these it counts for.
type Weighty interface{ Weight() int }

func weightOf(answer any) int {
	if w, ok := answer.(Weighty); ok {
		return 1 + w.Weight()
	}
	return 1
}

func newAnswers() *answers {
	return &answers{young: map[string]kept{}, flights: map[flightKey]*flight{}}
}

func (a *answers) load(query string) (any, bool) {
	a.mu.RLock()
	known, ok := a.young[query]
	was, grown := a.old[query]
	a.mu.RUnlock()
	if ok {
		return known.answer, true
	}
	if grown {
		a.store(query, was)
	}
	return was.answer, grown
}

func (a *answers) store(query string, k kept) {
	a.mu.Lock()
	defer a.mu.Unlock()
	weight := weightOf(k.answer)
	if a.weight+weight > mostAnswers {
		a.old, a.young, a.weight = a.young, make(map[string]kept, mostAnswers), 0
	}
	if _, there := a.young[query]; !there {
		a.weight += weight
	}
	a.young[query] = k
}

// lasting returns the answers that last.
func (a *answers) lasting() *answers {
	next := newAnswers()
	a.mu.RLock()
	defer a.mu.RUnlock()
	for _, some := range []map[string]kept{a.old, a.young} {
		for query, k := range some {
			if k.lasts {
				next.store(query, k)
			}
		}
	}
	return next
}

// Remember returns the answer to a query. It computes it at the first request, in its turn if the context is a
// reader's. Others who request the same in the meantime wait for that answer; the computation has a context of its
// own, which ends when nobody waits any more. The answer must depend only on the catalogue, the checklists and the
// current reviews: it is valid until one of these changes.
func Remember[T any](
	ctx context.Context, s *State, query string, compute func(ctx context.Context) (T, error),
) (answer T, err error) {
	return remember(ctx, s, query, false, compute)
}

// RememberLasting is Remember for an answer that depends only on the rigs, the checklists and the current reviews:
// other changes of the catalogue leave it valid.
func RememberLasting[T any](
	ctx context.Context, s *State, query string, compute func(ctx context.Context) (T, error),
) (answer T, err error) {
	return remember(ctx, s, query, true, compute)
}

func remember[T any](
	ctx context.Context, s *State, query string, lasts bool, compute func(ctx context.Context) (T, error),
) (answer T, err error) {
	if known, ok := s.answers.load(query); ok {
		return known.(T), nil
	}
	done, err := turns.Take(ctx)
	if err != nil {
		return answer, err
	}
	defer done()
	found, err := s.answers.once(ctx, query, lasts, func(ctx context.Context) (any, error) { return compute(ctx) })
	if err == nil {
		answer = found.(T)
	}
	return answer, err
}

// Known is Remember for what is computed quickly and cannot fail.
func Known[T any](s *State, query string, compute func() T) T {
	answer, _ := Remember(context.Background(), s, query, func(context.Context) (T, error) { return compute(), nil })
	return answer
}

// Recall returns the answer to a query if it is remembered.
func Recall[T any](s *State, query string) (answer T, ok bool) {
	known, ok := s.answers.load(query)
	if ok {
		answer = known.(T)
	}
	return answer, ok
}

// once joins those who wait for an answer, or starts its computation. The team does not wait for computations for
// readers.
func (a *answers) once(
	ctx context.Context, query string, lasts bool, compute func(ctx context.Context) (any, error),
) (any, error) {
	key := flightKey{query, turns.Waits(ctx)}
	a.mu.Lock()
	f := a.flights[key]
	if f == nil {
		if known, ok := a.young[query]; ok { // it was computed in the meantime
			a.mu.Unlock()
			return known.answer, nil
		}
		f = a.start(ctx, key, lasts, compute)
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

// start starts the computation of an answer; a is locked.
func (a *answers) start(
	ctx context.Context, key flightKey, lasts bool, compute func(ctx context.Context) (any, error),
) *flight {
	ctx, stop := context.WithCancel(context.WithoutCancel(ctx))
	f := &flight{stop: stop, done: make(chan struct{})}
	a.flights[key] = f
	go func() {
		defer stop()
		defer close(f.done)
		defer func() {
			f.broken = recover()
			if f.broken == nil && f.err == nil {
				a.store(key.query, kept{f.answer, lasts})
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

// leave removes somebody who waits; when nobody waits, the flight ends, and the next request starts another.
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
