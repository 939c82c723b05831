package intake

import (
	"context"
	"sync"
	"sync/atomic"
	"time"

	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/store"
)

// Watch is told how an import goes. Row gets what became of each row, once the
// transaction has ended; Progress hears of it several times a second while the
// transaction runs. Neither can hold the import up.
type Watch struct {
	Rows     string // which rows Row gets: all (the default), changed or refused
	Row      func(*Outcome)
	Progress func(phase string, done, of int)
}

func (w *Watch) wants(fate string) bool {
	switch w.Rows {
	case "refused":
		return fate == FateRefused
	case "changed":
		return fate != FateSame
	}
	return true
}

// progressEvery is how often a watcher hears of the progress.
const progressEvery = 200 * time.Millisecond

// course is how an import goes: what it did with each row so far, and how far it is. The
// transaction writes into it and never waits for a reader.
type course struct {
	watch Watch
	rows  []Outcome
	done  Imported
	step  atomic.Pointer[step]
}

type step struct {
	phase    string
	done, of int
}

// follow begins a course and tells the watcher of its progress until end is called,
// which hands the rows over.
func (w Watch) follow() (c *course, end func()) {
	c = &course{watch: w}
	stop := make(chan struct{})
	var told sync.WaitGroup
	told.Go(func() {
		ticker := time.NewTicker(progressEvery)
		defer ticker.Stop()
		var last *step
		tell := func() {
			if s := c.step.Load(); s != nil && s != last {
				last = s
				w.Progress(s.phase, s.done, s.of)
			}
		}
		for {
			select {
			case <-ticker.C:
				tell()
			case <-stop:
				tell()
				return
			}
		}
	})
	return c, func() {
		close(stop)
		told.Wait()
		for i := range c.rows {
			w.Row(&c.rows[i])
		}
	}
}

// importing is the frame of an import: who may, the state that it is compared with, the
// transaction, and what the watcher hears. do ends with errTrial where nothing is to be
// written.
func (s *Service) importing(
	ctx context.Context,
	who *access.Actor,
	action access.Action,
	w Watch,
	do func(*ledger.Records, *store.Tx, *course) error,
) (Imported, error) {
	if err := who.Permit(action); err != nil {
		return Imported{}, err
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return Imported{}, err
	}
	c, end := w.follow()
	defer end()
	change, err := s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		c.begin()
		return do(state, tx, c)
	})
	return c.done.written(change, err)
}

// begin forgets what an earlier try of the transaction did.
func (c *course) begin() { c.rows, c.done = nil, Imported{} }

// note counts a row and keeps it where it is wanted.
func (c *course) note(o Outcome) {
	c.done.count(o.Fate)
	if c.watch.wants(o.Fate) {
		c.rows = append(c.rows, o)
	}
}

// at says how far a phase is.
func (c *course) at(phase string, done, of int) { c.step.Store(&step{phase, done, of}) }
