package api_test

import (
	"strings"
	"testing"
)

// A reading that was recorded by mistake is undone in one step, and kept as undone.
func TestUndo(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	at := "/api/v1/reviews/" + review
	grade := func(who string, g float64, replaces string) string {
		t.Helper()
		x := map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": g}}
		if replaces != "" {
			x["replaces"] = replaces
		}
		id, _ := w.record(200, who, review, x)
		return id
	}
	has := func(id string) bool {
		return strings.Contains(string(w.must(200, "ines", "GET", at+"/readings", nil).body), id)
	}
	w.must(401, "", "POST", at+"/undo", map[string]any{})
	w.must(403, "perrin", "POST", at+"/undo", map[string]any{})
	w.must(404, "ines", "POST", at+"/undo", map[string]any{})

	first := grade("ines", 7, "")
	second := grade("ines", 1, first)
	if r := w.must(409, "ines", "POST", at+"/undo", map[string]any{"id": first}); !strings.Contains(
		string(r.body), "take that one back first",
	) {
		t.Errorf("%s", r.body)
	}
	w.must(403, "odile", "POST", at+"/undo", map[string]any{"id": second})
	w.must(200, "ines", "POST", at+"/undo", map[string]any{"id": second})
	if has(second) || !has(first) {
		t.Error("the one that was taken back is there, or the one it replaced is not")
	}
	third := grade("ines", 8, first) // it can be replaced again
	var history struct {
		Readings []struct{ Reading struct{ ID string } }
	}
	w.must(200, "ines", "GET", at+"/undo", nil).into(t, &history)
	if len(history.Readings) != 1 || history.Readings[0].Reading.ID != second {
		t.Errorf("history: %+v", history)
	}
	w.must(200, "odile", "GET", at+"/undo", nil).into(t, &history)
	if len(history.Readings) != 0 {
		t.Error("another reviewer sees a grade that was taken back")
	}
	w.must(401, "", "GET", at+"/undo", nil)
	// The same reading sent once more, late, does not bring it back.
	w.must(
		409,
		"ines",
		"PUT",
		at+"/readings/"+second,
		map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 1}, "replaces": first},
	)

	finding := map[string]any{"sort": "quirk", "title": "The clock jumps"}
	id, r := w.entry(200, "ines", review, "finding", finding)
	finding["title"] = "The clock jumps back"
	w.entry(200, "ines", review, "finding", finding, "If-Match", r.header.Get("ETag"))
	entries := func() string { return string(w.must(200, "ines", "GET", at+"/entries", nil).body) }
	w.must(200, "ines", "POST", at+"/undo", map[string]any{"id": id})
	if text := entries(); !strings.Contains(text, `"The clock jumps"`) {
		t.Errorf("the correction stands: %s", text)
	}
	w.must(200, "ines", "POST", at+"/undo", map[string]any{"id": id})
	if text := entries(); strings.Contains(text, "The clock jumps") {
		t.Errorf("after both were taken back: %s", text)
	}
	w.must(404, "ines", "POST", at+"/undo", map[string]any{"id": id})

	// Without an id the newest reading is undone.
	fourth := grade("ines", 9, third)
	w.must(200, "ines", "POST", at+"/undo", map[string]any{})
	if has(fourth) || !has(third) {
		t.Error("something else than the last was taken back")
	}

	w.move(200, "ines", review, "submitted", "a first look")
	w.move(200, "marit", review, "accepted", "")
	if r := w.must(409, "ines", "POST", at+"/undo", map[string]any{"id": third}); !strings.Contains(
		string(r.body), "was accepted with this",
	) ||
		!has(third) {
		t.Errorf("%s", r.body)
	}
}
