package ledger

import (
	"errors"

	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Version is the revision on which an edit is based; zero if none was given.
type Version int

// Based checks that an edit names its revision, and returns the row.
func Based(refs map[string]store.Ref, key string, v Version) (store.Ref, error) {
	ref, ok := refs[key]
	switch {
	case !ok:
		return ref, problem.New(problem.NotFound, "there is no %s", key)
	case v == 0:
		return ref, problem.New(
			problem.NoVersion,
			"the change does not name the version it is based on: read the newest version first, and "+
				"repeat the change",
		)
	case int(v) != ref.Revision:
		return ref, Failed(store.ErrStale, "")
	}
	return ref, nil
}

// Exists returns the error for something that exists already.
func Exists(err error, format string, args ...any) error {
	if errors.Is(err, store.ErrExists) {
		return problem.New(problem.Conflict, format, args...)
	}
	return err
}

var ErrTrial = errors.New("a dry run changes nothing")
