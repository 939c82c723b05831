// Package turns limits computations for readers without an account, so that a flood of requests does not slow the
// team down. Readers take turns: a few are served at once, a few more wait, and each network has a budget of
// computing time that refills. Remembered answers take no turn and cost nothing.
package turns

import (
	"context"
	"math"
	"sync"
	"time"

	"golang.org/x/time/rate"

	"dappertally/internal/problem"
)

const (
	// burst is how many milliseconds of computing a network can use at once, and refill how many it gets back each
	// second.
	burst  = 15_000
	refill = 500
	// mostWaiting and mostWaitingHere are how many requests can wait for their turn, of all networks and of one;
	// patience is how long each waits.
	mostWaiting     = 64
	mostWaitingHere = 16
	patience        = 5 * time.Second
	// mostKnown is how many networks are stored. Beyond that, those with a full budget are deleted, and then all:
	// what is computed at once stays limited.
	mostKnown = 10_000
)

// Pool is the turns of one service.
type Pool struct {
	slots    chan struct{}
	now      func() time.Time
	mu       sync.Mutex
	waiting  int
	networks map[string]*network
}

type network struct {
	budget  *rate.Limiter
	waiting int
}

// New returns a pool that serves so many readers at once, at least one.
func New(atOnce int) *Pool {
	return &Pool{slots: make(chan struct{}, max(atOnce, 1)), now: time.Now, networks: map[string]*network{}}
}

// Load returns how many readers are served, and how many wait for their turn.
func (p *Pool) Load() (computing, waiting int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return len(p.slots), p.waiting
}

type key struct{}

// reader is one request of a reader, which can ask for nested turns.
type reader struct {
	pool    *Pool
	network string
	mu      sync.Mutex
	holds   int
	since   time.Time
}

// Reader returns a context for a request from a network whose computing takes turns.
func (p *Pool) Reader(ctx context.Context, network string) context.Context {
	return context.WithValue(ctx, key{}, &reader{pool: p, network: network})
}

// Waits reports whether computing in this context takes turns.
func Waits(ctx context.Context) bool { return ctx.Value(key{}) != nil }

// Take waits for a turn and returns the function that ends it. It does not wait if the context is not a reader's, or
// already has its turn. It fails with problem.TooMany if the network has used up its budget, and with
// problem.Unavailable if too many wait.
func Take(ctx context.Context) (done func(), err error) {
	r, ok := ctx.Value(key{}).(*reader)
	if !ok {
		return func() {}, nil
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.holds == 0 {
		if err := r.pool.acquire(ctx, r.network); err != nil {
			return nil, err
		}
		r.since = r.pool.now()
	}
	r.holds++
	return sync.OnceFunc(r.end), nil
}

func (r *reader) end() {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.holds--; r.holds == 0 {
		r.pool.give(r.network, r.pool.now().Sub(r.since))
	}
}

func (p *Pool) acquire(ctx context.Context, from string) error {
	if err := p.queue(from); err != nil {
		return err
	}
	defer p.unqueue(from)
	patient := time.NewTimer(patience)
	defer patient.Stop()
	select {
	case p.slots <- struct{}{}:
		return nil
	case <-patient.C:
	case <-ctx.Done():
		return ctx.Err()
	}
	return busy()
}

func busy() error {
	e := problem.New(problem.Unavailable, "many readers are waiting for results; try again in a moment")
	e.After = 3 * time.Second
	return e
}

// queue counts one more waiting request, if there is room and the network has budget left.
func (p *Pool) queue(from string) error {
	p.mu.Lock()
	defer p.mu.Unlock()
	n := p.networks[from]
	if n == nil {
		p.forget()
		n = &network{budget: rate.NewLimiter(refill, burst)}
		p.networks[from] = n
	}
	if left := n.budget.TokensAt(p.now()); left < 1 {
		wait := time.Duration(math.Ceil((1-left)/refill)) * time.Second
		e := problem.New(problem.TooMany, "your network has requested many results; try again later, or sign in. Results that are "+
			"already computed are available at once")
		e.After = wait
		return e
	}
	if p.waiting >= mostWaiting || n.waiting >= mostWaitingHere {
		return busy()
	}
	p.waiting++
	n.waiting++
	return nil
}

func (p *Pool) unqueue(from string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.waiting--
	if n := p.networks[from]; n != nil {
		n.waiting--
	}
}

// give ends a turn and subtracts its time from the network's budget.
func (p *Pool) give(from string, took time.Duration) {
	<-p.slots
	p.mu.Lock()
	defer p.mu.Unlock()
	if n := p.networks[from]; n != nil {
		n.budget.ReserveN(p.now(), min(int(math.Ceil(float64(took)/float64(time.Millisecond))), burst))
	}
}

// forget makes room for one more network.
func (p *Pool) forget() {
	if len(p.networks) < mostKnown {
		return
	}
	now := p.now()
	for from, n := range p.networks {
		if n.waiting == 0 && n.budget.TokensAt(now) >= burst {
			delete(p.networks, from)
		}
	}
	for from, n := range p.networks {
		if len(p.networks) < mostKnown {
			break
		}
		if n.waiting == 0 {
			delete(p.networks, from)
		}
	}
}
