package api_test

import (
	"fmt"
	"strings"
	"testing"

	"dappertally/internal/contract"
)

// TestSavedViews saves, replaces and deletes views; each person has their own.
func TestSavedViews(t *testing.T) {
	t.Parallel()
	w := newWorld(t, false)
	const at = "/api/v1/me/views"
	views := func(who string) (list contract.SavedViewList) {
		t.Helper()
		w.must(200, who, "GET", at, nil).into(t, &list)
		return list
	}
	save := func(status int, who, title, address string) (v contract.SavedView) {
		t.Helper()
		w.must(status, who, "POST", at, map[string]any{"title": title, "address": address}).into(t, &v)
		return v
	}
	for _, method := range []string{"GET", "POST"} {
		w.must(401, "", method, at, map[string]any{"title": "Mine", "address": "/"})
	}
	first := save(201, "ines", "Old laptops", "/?rigClass=older")
	if again := save(201, "ines", " Old laptops ", "/?rigClass=older&newest=true"); again.Id != first.Id {
		t.Errorf("the same title is another view: %+v, %+v", first, again)
	}
	save(201, "ines", "A comparison", "/compare?edition=a/1/b&edition=c/1/d")
	save(201, "tomas", "Old laptops", "/")
	if got := views("ines").Views; len(got) != 2 || got[0].Title != "A comparison" ||
		got[1].Address != "/?rigClass=older&newest=true" {
		t.Errorf("ines keeps %+v", got)
	}
	for _, bad := range []struct{ title, address string }{
		{"x", "https://elsewhere.example/"}, {"x", "//elsewhere.example/"}, {"x", "/\\elsewhere"},
		{"x", "javascript:alert(1)"},
		{"x", ""}, {" ", "/"}, {"", "/"}, {strings.Repeat("x", 121), "/"}, {"x", "/" + strings.Repeat("x", 2000)},
	} {
		save(422, "ines", bad.title, bad.address)
	}
	w.must(404, "tomas", "DELETE", at+"/"+first.Id, nil)
	w.must(204, "ines", "DELETE", at+"/"+first.Id, nil)
	w.must(404, "ines", "DELETE", at+"/"+first.Id, nil)
	for i := range 99 {
		save(201, "ines", fmt.Sprint("View ", i), "/")
	}
	save(409, "ines", "One too many", "/")
	save(201, "ines", "View 1", "/records")
}
