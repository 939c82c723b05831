package ledger

import (
	"context"

	"dappertally/core/reading"
	"dappertally/internal/board"
)

// Records is the records at one moment. It is shared: do not modify it.
type Records = board.State

// Remember returns what make computed from the records under a name. It computes it once, in its turn if the context
// is a reader's, and stops when nobody waits for it any more.
func Remember[T any](
	ctx context.Context, r *Records, name string, make func(ctx context.Context) (T, error),
) (T, error) {
	return board.Remember(ctx, r, name, make)
}

// RememberLasting is Remember for what depends only on the rigs, the checklists and the current reviews: other changes
// of the catalogue leave it valid.
func RememberLasting[T any](
	ctx context.Context, r *Records, name string, make func(ctx context.Context) (T, error),
) (T, error) {
	return board.RememberLasting(ctx, r, name, make)
}

// Known is Remember for what is computed quickly and cannot fail.
func Known[T any](r *Records, name string, make func() T) T { return board.Known(r, name, make) }

// Recall returns what was computed from the records under a name; false if nothing was.
func Recall[T any](r *Records, name string) (T, bool) { return board.Recall[T](r, name) }

// Weighty is an answer that takes much more memory than most: Weight returns how many of these it counts for.
type Weighty = board.Weighty

// Recorded returns these reviews with their system states and all other entries as acceptances have pinned them,
// without their readings.
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
