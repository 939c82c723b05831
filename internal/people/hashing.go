package people

import (
	"context"
	"runtime"
	"time"

	"dappertally/internal/problem"
)

// Hashing a password takes 64 MiB and a tenth of a second, so that guessing takes long. To protect the machine, only
// a few are hashed at once, some wait a moment, and further ones are refused.
var (
	hashSlots   = max(1, runtime.GOMAXPROCS(0)/argonThreads)
	hashWaiting = 8 * hashSlots
)

// hashPatience is how long somebody waits for their password's turn.
const hashPatience = 3 * time.Second

var hashing = newTurns(hashSlots, hashWaiting)

// turns admits a number at once, and a number of waiting ones.
type turns struct{ in, waiting chan struct{} }

func newTurns(in, waiting int) *turns {
	return &turns{make(chan struct{}, in), make(chan struct{}, in+waiting)}
}

// acquire waits for a turn, at most for a while; done releases it. It fails at once if too many wait already.
func (t *turns) acquire(ctx context.Context, patience time.Duration) (done func(), err error) {
	busy := problem.New(problem.Unavailable, "too many people are signing in; try again shortly")
	select {
	case t.waiting <- struct{}{}:
	default:
		return nil, busy
	}
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	select {
	case t.in <- struct{}{}:
		return func() {
			runtime.GC() // memory of one hash is reused for the next, and does not accumulate
			<-t.in
			<-t.waiting
		}, nil
	case <-ctx.Done():
		<-t.waiting
		return nil, busy
	}
}
