package api_test

import (
	"strings"
	"testing"

	"dappertally/internal/store"
)

// A slip with one bad time once passed its trial, and then half of it was written.
func TestBatchIsAllOrNothing(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	at := "/api/v1/reviews/" + review
	state := map[string]any{
		"system": map[string]any{
			"id":    "s-1",
			"note":  "fresh install",
			"facts": map[string]any{"kernel.version": "6.9"},
		},
	}
	one := func(at, system string, grade float64) map[string]any {
		return map[string]any{
			"id": store.NewID(),
			"reading": map[string]any{
				"criterion": "week-of-use",
				"at":        at,
				"system":    system,
				"answer":    map[string]any{"grade": grade},
			},
		}
	}
	good, late, strange := one("2026-05-01T10:00:00Z", "s-1", 7), one("2036-05-01T10:00:00Z", "s-1", 7), one(
		"2026-05-01T10:00:00Z", "s-9", 11,
	)
	batch := func(trial bool, readings ...any) map[string]any {
		return map[string]any{"states": []any{state}, "readings": readings, "trial": trial}
	}
	empty := string(w.must(200, "ines", "GET", at+"/readings", nil).body) + string(
		w.must(200, "ines", "GET", at+"/entries", nil).body,
	)
	unchanged := func(what string) {
		t.Helper()
		if now := string(w.must(200, "ines", "GET", at+"/readings", nil).body) + string(w.must(200, "ines", "GET", at+"/entries", nil).body); now != empty {
			t.Fatalf("%s wrote something: %s", what, now)
		}
	}

	w.must(401, "", "POST", at+"/batch", batch(false, good))
	w.must(403, "perrin", "POST", at+"/batch", batch(false, good))
	for _, trial := range []bool{true, false} {
		r := w.must(422, "ines", "POST", at+"/batch", batch(trial, good, late, strange))
		for _, pointer := range []string{`"/readings/1/at"`, `"/readings/2/answer/grade"`} {
			if !strings.Contains(string(r.body), pointer) {
				t.Errorf("trial %v: %s is not named in %s", trial, pointer, r.body)
			}
		}
		unchanged("a batch with faults")
	}
	// What only the transaction sees is seen on a trial too.
	elsewhere := one("2026-05-01T10:00:00Z", "s-1", 7)
	elsewhere["reading"].(map[string]any)["replaces"] = store.NewID()
	for _, trial := range []bool{true, false} {
		if r := w.must(422, "ines", "POST", at+"/batch", batch(trial, good, elsewhere)); !strings.Contains(
			string(r.body), "/readings/1/replaces",
		) {
			t.Errorf("trial %v: %s", trial, r.body)
		}
		unchanged("a batch that replaces nothing")
	}
	w.must(200, "ines", "POST", at+"/batch", batch(true, good))
	unchanged("a trial")

	var done struct {
		States   int
		Recorded []struct{ Fresh bool }
	}
	w.must(200, "ines", "POST", at+"/batch", batch(false, good)).into(t, &done)
	if done.States != 1 || len(done.Recorded) != 1 || !done.Recorded[0].Fresh {
		t.Errorf("%+v", done)
	}
	w.must(200, "ines", "POST", at+"/batch", batch(false, good)).into(t, &done)
	if done.Recorded[0].Fresh {
		t.Error("the same again was recorded again")
	}
}
