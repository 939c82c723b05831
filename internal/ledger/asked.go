package ledger

import (
	"context"
	"time"

	"dappertally/internal/store"
)

// Asked is a write as it is asked for, under an id of its own.
type Asked = store.Asked

// Made is a write that was made.
type Made = store.Made

// WithAsked has what is written under the context written once, however often it is asked for under that id.
func WithAsked(ctx context.Context, a *Asked) context.Context { return store.WithAsked(ctx, a) }

// Written is what was written under the context; nil: nothing.
func Written(ctx context.Context) *Made { return store.Written(ctx) }

// Made finds a write that was asked for before; nil: it was not made.
func (l *Ledger) Made(ctx context.Context, id store.WriteID) (*Made, error) {
	m, err := l.Store.Made(ctx, id)
	if err != nil {
		return nil, Failed(err, "looking for an earlier request")
	}
	return m, nil
}

// KeepAnswer keeps what was answered to a write, for the caller for it once more.
func (l *Ledger) KeepAnswer(ctx context.Context, id store.WriteID, status int, answer []byte) error {
	return l.Store.KeepAnswer(ctx, id, status, answer)
}

// For how long a write that is asked for again is known, and how often the older ones are looked for.
const (
	writesKept  = 7 * 24 * time.Hour
	forgetEvery = time.Minute
)

// Forget removes writes that nobody asks for any more, and what imports left that broke off, until ctx ends.
func (l *Ledger) Forget(ctx context.Context) {
	ticker := time.NewTicker(forgetEvery)
	defer ticker.Stop()
	for {
		if err := l.Store.ForgetWrites(ctx, writesKept); err != nil && ctx.Err() == nil {
			l.Log.WarnContext(ctx, "old requests were not deleted", "error", err)
		}
		if err := l.Store.DropAbandoned(ctx); err != nil && ctx.Err() == nil {
			l.Log.WarnContext(ctx, "interrupted imports were not removed", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		}
	}
}
