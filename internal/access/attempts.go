package access

import (
	"sync"
	"time"

	"golang.org/x/time/rate"
)

// Attempts limits how often somebody can try something.
type Attempts struct {
	mu    sync.Mutex
	limit func() *rate.Limiter
	seen  map[string]*rate.Limiter
}

// NewAttempts limits attempts separately for each key; Every makes limits.
func NewAttempts(limit func() *rate.Limiter) *Attempts {
	return &Attempts{limit: limit, seen: map[string]*rate.Limiter{}}
}

// Every allows so many attempts at once, then one per interval.
func Every(span time.Duration, atOnce int) func() *rate.Limiter {
	return func() *rate.Limiter { return rate.NewLimiter(rate.Every(span), atOnce) }
}

// Allow reports whether one more attempt is within the limit.
func (a *Attempts) Allow(whose string) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	const most = 10000
	if len(a.seen) > most {
		clear(a.seen) // many different names must not fill the memory
	}
	l := a.seen[whose]
	if l == nil {
		l = a.limit()
		a.seen[whose] = l
	}
	return l.Allow()
}
