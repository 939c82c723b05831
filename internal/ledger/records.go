package ledger

import "dappertally/internal/board"

// Records is what the records say at one moment. It is shared and must not be altered.
type Records = board.State

// Remember gives what make computed of the records under a name, and computes it once.
func Remember[T any](r *Records, name string, make func() (T, error)) (T, error) {
	return board.Remember(r, name, make)
}

// Recall gives what was computed of the records under a name; false where nothing was.
func Recall[T any](r *Records, name string) (T, bool) { return board.Recall[T](r, name) }
