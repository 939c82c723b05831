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

// ChangeTold is a change as somebody may hear of it. It never carries a value.
type ChangeTold struct {
	Number  int64  `json:"number,omitempty"` // readers get none: it would tell them how much is done unseen
	Sort    string `json:"sort"`
	Subject string `json:"subject,omitempty"`
	Action  string `json:"action,omitempty"`
	Person  string `json:"person,omitempty"`
}

// LastChange is the number of the newest change.
func (l *Ledger) LastChange(ctx context.Context) (int64, error) {
	n, err := l.Store.LastChange(ctx)
	if err != nil {
		return 0, Failed(err, "reading the change log")
	}
	return n, nil
}

// heard is a change, and as what readers can see of it; empty: nothing.
type heard struct {
	store.Change
	public string
}

// feed keeps the changes read last, so that everybody who follows them shares one reading of the log.
type feed struct {
	mu     sync.Mutex
	recent []heard // one after the other, up to the newest that was read
	from   int64   // the number before the first of them
}

// mostRecent is how many changes are kept.
const mostRecent = 2000

// heardAfter gives the changes after a number, as far as what the board shows, read once for all who ask.
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
		return l.read(ctx, state, after) // somebody who was long away
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

// public is as what readers can see a change; empty: they cannot.
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
		case c.Action == reading.Withdrawn: // of what had been accepted
			was, err := l.Store.WasAccepted(ctx, c.Subject)
			if err != nil || !was {
				return "", err
			}
			return figures, nil
		}
	}
	return "", nil
}

// figures is what readers are told of that results have changed.
const figures = "figures"

// Heard is what came of waiting for changes.
type Heard struct {
	Changes []ChangeTold // as who asked may hear of them
	Last    int64        // the number of the newest one, told or not
	People  bool         // an account was among what changed
}

// Changes waits for changes after a number, at most for a while, and until a context ends. The team is told what each
// is about; readers only that what they can see has changed, without numbers.
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
