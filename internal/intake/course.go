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

// Watch is called during an import. Row gets the outcome of each row after the transaction has ended; Progress is
// called several times a second while it runs. Neither can delay the import.
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

// progressEvery is the interval between calls of Progress.
const progressEvery = 200 * time.Millisecond

// course is the state of an import: the outcome of each row so far, and the progress. The transaction writes it and
// never waits for a reader.
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

// follow starts a course and reports its progress to the watcher until end is called, which passes the rows on.
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

// importing is the common part of every import: permission, the state to compare with, the transaction, and the
// reports to the watcher. do returns errTrial if nothing should be written.
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

// begin discards the results of an earlier attempt of the transaction.
func (c *course) begin() { c.rows, c.done = nil, Imported{} }

// note counts a row and stores it if it is wanted.
func (c *course) note(o Outcome) {
	c.done.count(o.Fate)
	if c.watch.wants(o.Fate) {
		c.rows = append(c.rows, o)
	}
}

// at sets the progress of a phase.
func (c *course) at(phase string, done, of int) { c.step.Store(&step{phase, done, of}) }
