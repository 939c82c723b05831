package cli

import (
	"dappertally/internal/client"
)

// all reads every page of a list.
func all[L, T any](
	fetch func(cursor string) (client.Got[L], error),
	take func(*L) (items []T, next string),
) ([]T, error) {
	items := []T{}
	for cursor := ""; ; {
		page, err := fetch(cursor)
		if err != nil {
			return nil, err
		}
		some, next := take(&page.Value)
		items = append(items, some...)
		if next == "" {
			return items, nil
		}
		cursor = next
	}
}
