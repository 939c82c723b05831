package ledger

import (
	"cmp"
	"context"
	"slices"
	"sync"
	"time"

	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/store"
)

// ChangeTold is a change as a listener receives it. It never contains a value.
type ChangeTold struct {
	Number  int64  `json:"number,omitempty"` // not for readers: it would show how much is done without them
	Sort    string `json:"sort"`
	Subject string `json:"subject,omitempty"`
	Action  string `json:"action,omitempty"`
	Person  string `json:"person,omitempty"`
}

// LastChange returns the number of the newest change.
func (l *Ledger) LastChange(ctx context.Context) (int64, error) {
	n, err := l.Store.LastChange(ctx)
	if err != nil {
		return 0, Failed(err, "reading the change log")
	}
	return n, nil
}

// heard is a change, and what readers can see of it; empty: nothing.
type heard struct {
	store.Change
	public string
}

// feed holds the latest changes, so that all listeners share one reading of the log.
type feed struct {
	mu     sync.Mutex
	recent []heard // consecutive, up to the newest one read
	from   int64   // the number before the first one
}

// mostRecent is how many changes are held.
const mostRecent = 2000

// heardAfter returns the changes after a number, up to the state of the board, read once for all listeners.
func (l *Ledger) heardAfter(ctx context.Context, state *Records, after int64) ([]heard, error) {
	f := l.feed
	f.mu.Lock()
	defer f.mu.Unlock()
	last := f.from
	if n := len(f.recent); n > 0 {
		last = f.recent[n-1].Number
	}
	if last == 0 { // nothing was followed yet
		f.from, last = after, after
	}
	if state.Number > last {
		fresh, err := l.read(ctx, state, last)
		if err != nil {
			return nil, err
		}
		f.recent = append(f.recent, fresh...)
		if over := len(f.recent) - mostRecent; over > 0 {
			f.from = f.recent[over-1].Number
			f.recent = slices.Clone(f.recent[over:])
		}
	}
	if after < f.from {
		return l.read(ctx, state, after) // a listener who was away for long
	}
	first, _ := slices.BinarySearchFunc(f.recent, after+1, func(c heard, n int64) int { return cmp.Compare(c.Number, n) })
	return slices.Clone(f.recent[first:]), nil
}

// read reads the log after a number.
func (l *Ledger) read(ctx context.Context, state *Records, after int64) ([]heard, error) {
	changes, err := l.Store.ChangesAfter(ctx, after)
	if err != nil {
		return nil, err
	}
	out := make([]heard, len(changes))
	for i := range changes {
		out[i].Change = changes[i]
		if out[i].public, err = l.public(ctx, state, &changes[i]); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// public returns what readers can see of a change; empty: nothing.
func (l *Ledger) public(ctx context.Context, state *Records, c *store.Change) (string, error) {
	switch c.Sort {
	case store.SortCatalogue, store.SortRig, store.SortPolicy, store.SortKnownIssue:
		return string(c.Sort), nil
	case store.SortChecklist:
		if _, open := state.Checklists.InForce[c.Subject]; open || c.Action == "shown" {
			return string(c.Sort), nil
		}
	case store.SortReport:
		if c.Action == "published" || c.Action == "corrects" {
			return string(c.Sort), nil
		}
	case store.SortReview:
		switch {
		case c.Action == reading.Accepted || c.Action == "imported" || c.Subject == "*":
			return figures, nil
		case c.Action == reading.Withdrawn: // of an accepted review
			was, err := l.Store.WasAccepted(ctx, c.Subject)
			if err != nil || !was {
				return "", err
			}
			return figures, nil
		}
	}
	return "", nil
}

// figures is the subject by which readers learn that results have changed.
const figures = "figures"

// Heard is the result of waiting for changes.
type Heard struct {
	Changes []ChangeTold // as the listener receives them
	Last    int64        // the number of the newest one, reported or not
	People  bool         // an account was among the changes
}

// Changes waits for changes after a number, at most for a while, and until a context ends. The team receives their
// subjects; readers only learn that something visible to them has changed, without numbers.
func (l *Ledger) Changes(
	ctx context.Context,
	who *access.Actor,
	after int64,
	wait time.Duration,
	until context.Context,
) (Heard, error) {
	waiting, cancel := context.WithTimeout(ctx, wait)
	defer cancel()
	defer context.AfterFunc(until, cancel)()
	got := Heard{Last: after}
	state, err := l.Board.After(waiting, after+1)
	if err != nil {
		return got, ctx.Err() // nothing has changed so far
	}
	changes, err := l.heardAfter(ctx, state, after)
	if err != nil {
		return got, Failed(err, "reading the change log")
	}
	for i := range changes {
		c := &changes[i]
		got.Last, got.People = c.Number, got.People || c.Sort == store.SortPerson
		if who.May(access.SeeWork) {
			got.Changes = append(got.Changes, ChangeTold{c.Number, string(c.Sort), c.Subject, c.Action, c.Person})
		} else if x := (ChangeTold{Sort: c.public}); c.public != "" && !slices.Contains(got.Changes, x) {
			got.Changes = append(got.Changes, x)
		}
	}
	return got, nil
}
