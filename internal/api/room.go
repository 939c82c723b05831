package api

import (
	"sync"
	"time"

	"dappertally/internal/access"
	"dappertally/internal/problem"
)

// limits is how much can be open at once: in total, by readers, by one reader's network, and by one account. There is
// always room for those who are signed in.
type limits struct {
	all, readers, network, account int
	full                           string // the message if there is no room
}

// room counts what is open: streams, exports, unread bytes.
type room struct {
	limits
	mu   sync.Mutex
	open struct{ all, readers int }
	each map[string]int // by account, or by a reader's network
}

func newRoom(l limits) *room { return &room{limits: l, each: map[string]int{}} }

// reserve counts n more; done releases them. It fails if there is no room.
func (s *room) reserve(who *access.Actor, network string, n int) (done func(), err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	whose, most := "account "+who.ID, s.account
	readers := 0
	if !who.SignedIn() {
		whose, most, readers = "network "+network, s.network, n
	}
	if s.open.all+n > s.all || s.open.readers+readers > s.readers || s.each[whose]+n > most {
		e := problem.New(problem.TooMany, "%s", s.full)
		e.After = 5 * time.Second
		return nil, e
	}
	s.add(whose, readers, n)
	return sync.OnceFunc(func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		s.add(whose, -readers, -n)
	}), nil
}

// taken returns how much is open.
func (s *room) taken() float64 {
	s.mu.Lock()
	defer s.mu.Unlock()
	return float64(s.open.all)
}

func (s *room) add(whose string, readers, n int) {
	s.open.all, s.open.readers = s.open.all+n, s.open.readers+readers
	if s.each[whose] += n; s.each[whose] == 0 {
		delete(s.each, whose)
	}
}
