package board

import "sync"

// answers remembers what was computed of a state. It holds a bounded number: what
// was asked for least lately is computed again when it is asked for again.
type answers struct {
	mu         sync.RWMutex
	young, old map[string]any
}

// mostAnswers is how many answers the young hold; as many again are old.
const mostAnswers = 32

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
	if len(a.young) >= mostAnswers {
		a.old, a.young = a.young, make(map[string]any, mostAnswers)
	}
	a.young[query] = answer
}

// Remember gives the answer to a query, computing it at the first asking. The
// answer must rest on the catalogue, the checklists and what stands alone: it holds
// until one of these changes.
func Remember[T any](s *State, query string, compute func() (T, error)) (T, error) {
	return remember(s.answers, query, compute)
}

// Recall gives the answer to a query where it was remembered.
func Recall[T any](s *State, query string) (answer T, ok bool) {
	known, ok := s.answers.load(query)
	if ok {
		answer = known.(T)
	}
	return answer, ok
}

func remember[T any](a *answers, query string, compute func() (T, error)) (T, error) {
	if known, ok := a.load(query); ok {
		return known.(T), nil
	}
	answer, err := compute()
	if err == nil {
		a.store(query, answer)
	}
	return answer, err
}
