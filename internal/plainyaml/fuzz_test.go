package plainyaml_test

import (
	"encoding/json"
	"testing"

	"dappertally/internal/plainyaml"
)

// FuzzToJSON converts any valid YAML to JSON.
func FuzzToJSON(f *testing.F) {
	for _, text := range []string{"a: 1", "- .nan\n- .inf", "{1: 2, true: x}", "&a {b: *a}", "? [1, 2]\n: x", "!!binary aGk=", "2026-11-23", "\x00"} {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		if out, err := plainyaml.ToJSON(text); err == nil && !json.Valid(out) {
			t.Errorf("%q becomes %q, which is no JSON", text, out)
		}
	})
}
