package ledger

import (
	"context"
	"time"

	"dappertally/internal/access"
	"dappertally/internal/store"
)

// ChangeTold is a change as somebody may hear of it. It never carries a value.
type ChangeTold struct {
	Number  int64  `json:"number"`
	Sort    string `json:"sort,omitempty"`
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

// Changes waits for changes after a number, at most for a while or until stop is
// closed, and tells them: to the team what they are about, to others only that the
// catalogue, the checklist or what stands has changed.
func (l *Ledger) Changes(
	ctx context.Context,
	who *access.Actor,
	after int64,
	wait time.Duration,
	stop <-chan struct{},
) ([]ChangeTold, error) {
	waiting, cancel := context.WithTimeout(ctx, wait)
	defer cancel()
	go func() {
		select {
		case <-stop:
			cancel()
		case <-waiting.Done():
		}
	}()
	if _, err := l.Board.After(waiting, after+1); err != nil {
		return nil, ctx.Err() // nothing has changed so far
	}
	changes, err := l.Store.ChangesAfter(ctx, after)
	if err != nil {
		return nil, Failed(err, "reading the change log")
	}
	told := make([]ChangeTold, 0, len(changes))
	for _, c := range changes {
		x := ChangeTold{Number: c.Number}
		if who.May(access.SeeWork) {
			x = ChangeTold{c.Number, string(c.Sort), c.Subject, c.Action, c.Person}
		} else if c.Sort == store.SortCatalogue || c.Sort == store.SortChecklist || c.Sort == store.SortRig {
			x.Sort = string(c.Sort)
		}
		told = append(told, x)
	}
	return told, nil
}
