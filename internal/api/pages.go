package api

import (
	"encoding/base64"
	"slices"

	"dappertally/internal/problem"
)

const pageSize = 200

// page returns one page of a list: at most limit entries after the one that the cursor names, and the cursor of the
// next page if there are more.
func page[T any](items []T, key func(T) string, limit int, cursor string) ([]T, string, error) {
	if limit == 0 {
		limit = pageSize
	}
	if cursor != "" {
		last, err := base64.RawURLEncoding.DecodeString(cursor)
		at := slices.IndexFunc(items, func(x T) bool { return key(x) == string(last) })
		if err != nil || at < 0 {
			return nil, "", problem.New(
				problem.Invalid, "the cursor does not belong to a page of this list; start again without it",
			)
		}
		items = items[at+1:]
	}
	if len(items) <= limit {
		return items, "", nil
	}
	items = items[:limit]
	return items, base64.RawURLEncoding.EncodeToString([]byte(key(items[limit-1]))), nil
}
