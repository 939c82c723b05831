package board

import (
	"context"
	"errors"
	"sync"

	"golang.org/x/sync/singleflight"

	"dappertally/internal/turns"
)

// answers remembers what was computed of a state. It holds a bounded number: what
// was asked for least lately is computed again when it is asked for again.
type answers struct {
	mu         sync.RWMutex
	young, old map[string]any
	weight     int // of the young
	// What is being computed, for those with an account and for readers.
	team, readers singleflight.Group
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

func newAnswers() *answers { return &answers{young: map[string]any{}} }

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
// the context is a reader's. Whoever asks the same meanwhile waits for that answer. The
// answer must rest on the catalogue, the checklists and what stands alone: it holds until
// one of these changes.
func Remember[T any](ctx context.Context, s *State, query string, compute func() (T, error)) (T, error) {
	return remember(ctx, s.answers, query, compute)
}

// Known is Remember of what is computed quickly and cannot fail.
func Known[T any](s *State, query string, compute func() T) T {
	answer, _ := remember(context.Background(), s.answers, query, func() (T, error) { return compute(), nil })
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

func remember[T any](ctx context.Context, a *answers, query string, compute func() (T, error)) (answer T, err error) {
	for {
		if known, ok := a.load(query); ok {
			return known.(T), nil
		}
		found, shared, err := once(ctx, a, query, compute)
		if err == nil {
			return found.(T), nil
		}
		if !shared || !ended(err) || ctx.Err() != nil {
			return answer, err
		}
		// The one who computed it for both has left.
	}
}

// once computes an answer in its turn, for all who ask for it at once. The team does not
// wait for what is computed for readers.
func once[T any](ctx context.Context, a *answers, query string, compute func() (T, error)) (any, bool, error) {
	done, err := turns.Take(ctx)
	if err != nil {
		return nil, false, err
	}
	defer done()
	under := &a.team
	if turns.Waits(ctx) {
		under = &a.readers
	}
	answer, err, shared := under.Do(query, func() (any, error) {
		if known, ok := a.load(query); ok {
			return known, nil
		}
		answer, err := compute()
		if err == nil {
			a.store(query, answer)
		}
		return answer, err
	})
	return answer, shared, err
}

func ended(err error) bool {
	return errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded)
}
