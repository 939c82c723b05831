package api_test

import (
	"fmt"
	"sync"
	"testing"
)

// together makes the same request several times at once and counts the statuses.
func (w *world) together(n int, do func(i int) *reply) map[int]int {
	var mu sync.Mutex
	var wg sync.WaitGroup
	begin := make(chan struct{})
	ended := map[int]int{}
	for i := range n {
		wg.Go(func() {
			<-begin
			r := do(i)
			mu.Lock()
			ended[r.status]++
			mu.Unlock()
		})
	}
	close(begin)
	wg.Wait()
	return ended
}

// TestReportsAtOnce has several people write, publish and correct one report at the same moment: one succeeds, the
// others get a clear answer, and nothing exists twice.
func TestReportsAtOnce(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	const at = "/api/v1/reports/old-laptops"
	const sound = "{leader} leads."
	begun := w.together(5, func(i int) *reply {
		return w.call(
			"marit",
			"POST",
			"/api/v1/reports",
			map[string]any{
				"key":         "old-laptops",
				"series":      "bench-notes",
				"seriesTitle": "Notes",
				"spec":        written(sound),
			},
		)
	})
	if begun[201] != 1 || begun[409] != 4 {
		t.Errorf("begun: %v", begun)
	}
	numbers := w.together(5, func(i int) *reply {
		return w.call(
			"marit",
			"POST",
			"/api/v1/reports",
			map[string]any{"key": fmt.Sprintf("other-%d", i), "series": "bench-notes", "spec": written(sound)},
		)
	})
	var list struct{ Reports []reportView }
	w.must(200, "marit", "GET", "/api/v1/reports", nil).into(t, &list)
	seen := map[int]bool{}
	for _, r := range list.Reports {
		if seen[r.Number] || r.Number < 1 {
			t.Errorf("two reports of the series have number %d", r.Number)
		}
		seen[r.Number] = true
	}
	if len(list.Reports) != 1+numbers[201] {
		t.Errorf("%d reports after %v", len(list.Reports), numbers)
	}

	tag := w.must(200, "marit", "GET", at+"/draft", nil).header.Get("ETag")
	edited := w.together(6, func(i int) *reply {
		return w.call(
			"ines",
			"PUT",
			at+"/draft",
			map[string]any{"spec": written(fmt.Sprintf("{leader} leads, says number %d.", i))},
			"If-Match",
			tag,
		)
	})
	if edited[200] != 1 || edited[412] != 5 {
		t.Errorf("written: %v", edited)
	}

	tag = w.must(200, "marit", "GET", at+"/draft", nil).header.Get("ETag")
	published := w.together(
		6, func(int) *reply { return w.call("marit", "POST", at+"/revisions", nil, "If-Match", tag) },
	)
	if published[201] != 1 || published[404]+published[409]+published[412] != 5 {
		t.Errorf("published: %v", published)
	}
	var r reportView
	w.must(200, "", "GET", at, nil).into(t, &r)
	if len(r.Revisions) != 1 || r.Revisions[0].Revision != 1 || r.Drafted {
		t.Fatalf("there are %+v", r)
	}
	for _, f := range r.Revisions[0].Files {
		w.file(&r, 1, f.Name)
	}

	e := map[string]any{"what": "A rig's memory.", "why": "It was given as 8 GB."}
	corrected := w.together(6, func(int) *reply { return w.call("marit", "POST", at+"/correction", e) })
	if corrected[201] != 1 || corrected[409] != 5 {
		t.Errorf("corrections begun: %v", corrected)
	}
	tag = w.must(200, "marit", "GET", at+"/draft", nil).header.Get("ETag")
	again := w.together(4, func(int) *reply { return w.call("marit", "POST", at+"/revisions", nil, "If-Match", tag) })
	if again[201] != 1 {
		t.Errorf("corrections published: %v", again)
	}
	w.must(200, "", "GET", at, nil).into(t, &r)
	if len(r.Revisions) != 2 || r.Revisions[0].Revision != 2 || r.Revisions[0].Erratum == nil {
		t.Errorf("there are %+v", r.Revisions)
	}
}
