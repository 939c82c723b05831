package ledger

import (
	"context"

	"dappertally/core/reading"
	"dappertally/internal/board"
)

// Records is what the records say at one moment. It is shared and must not be altered.
type Records = board.State

// Remember gives what make computed of the records under a name, and computes it once, in its
// turn where the context is a reader's. It computes until nobody waits for it.
func Remember[T any](
	ctx context.Context, r *Records, name string, make func(ctx context.Context) (T, error),
) (T, error) {
	return board.Remember(ctx, r, name, make)
}

// Known is Remember of what is computed quickly and cannot fail.
func Known[T any](r *Records, name string, make func() T) T { return board.Known(r, name, make) }

// Recall gives what was computed of the records under a name; false where nothing was.
func Recall[T any](r *Records, name string) (T, bool) { return board.Recall[T](r, name) }

// Weighty is an answer that takes much more memory than most: Weight is how many of these it
// weighs.
type Weighty = board.Weighty

// Recorded is these reviews with their system states and all else that was recorded beside
// the readings, as acceptances have pinned it. Their readings are left out.
func (l *Ledger) Recorded(ctx context.Context, reviews []*reading.Review) ([]*reading.Review, error) {
	ids := make([]string, len(reviews))
	for i, r := range reviews {
		ids[i] = r.ID
	}
	entries, err := l.Store.PinnedEntries(ctx, ids)
	if err != nil {
		return nil, Failed(err, "reading what was recorded in reviews")
	}
	out := make([]*reading.Review, len(reviews))
	for i, r := range reviews {
		whole := *r
		whole.Take(entries[r.ID])
		out[i] = &whole
	}
	return out, nil
}
