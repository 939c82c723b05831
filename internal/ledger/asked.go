package ledger

import (
	"context"
	"time"

	"dappertally/internal/store"
)

// Asked identifies a requested write, with an id of its own.
type Asked = store.Asked

// Made is a completed write.
type Made = store.Made

// WithAsked makes the writes of a context happen only once, however often they are requested with that id.
func WithAsked(ctx context.Context, a *Asked) context.Context { return store.WithAsked(ctx, a) }

// Written returns the write of the context; nil if there was none.
func Written(ctx context.Context) *Made { return store.Written(ctx) }

// Made finds the write of an earlier request; nil if it did not happen.
func (l *Ledger) Made(ctx context.Context, id store.WriteID) (*Made, error) {
	m, err := l.Store.Made(ctx, id)
	if err != nil {
		return nil, Failed(err, "looking for an earlier request")
	}
	return m, nil
}

// KeepAnswer stores the answer to a write, for a repeated request.
func (l *Ledger) KeepAnswer(ctx context.Context, id store.WriteID, status int, answer []byte) error {
	return l.Store.KeepAnswer(ctx, id, status, answer)
}

// How long a write is remembered for repeated requests, and how often older ones are deleted.
const (
	writesKept  = 7 * 24 * time.Hour
	forgetEvery = time.Minute
)

// Forget deletes old writes, and the rows of interrupted imports, until ctx ends.
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
