package ledger

import (
	"bytes"
	"encoding/json"
)

// SameJSON reports whether two values have the same JSON.
func SameJSON(a, b any) bool {
	x, errX := json.Marshal(a)
	y, errY := json.Marshal(b)
	return errX == nil && errY == nil && bytes.Equal(x, y)
}

// AsText returns a value as JSON, for a sentence.
func AsText(v any) string {
	data, err := json.Marshal(v)
	if err != nil {
		return err.Error()
	}
	return string(data)
}
