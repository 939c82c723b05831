package ledger

import (
	"context"

	"dappertally/internal/board"
)

// Records is what the records say at one moment. It is shared and must not be altered.
type Records = board.State

// Remember gives what make computed of the records under a name, and computes it once, in its
// turn where the context is a reader's.
func Remember[T any](ctx context.Context, r *Records, name string, make func() (T, error)) (T, error) {
	return board.Remember(ctx, r, name, make)
}

// Known is Remember of what is computed quickly and cannot fail.
func Known[T any](r *Records, name string, make func() T) T { return board.Known(r, name, make) }

// Recall gives what was computed of the records under a name; false where nothing was.
func Recall[T any](r *Records, name string) (T, bool) { return board.Recall[T](r, name) }
