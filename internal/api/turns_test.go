package api_test

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"dappertally/internal/smalldisk"
)

// TestReadersHaveABudget: a reader who keeps the service computing has to wait; known answers are still given, and
// people who sign in notice nothing.
func TestReadersHaveABudget(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	ask := func(who string, seed int) *reply {
		return w.call(who, "GET", fmt.Sprintf("/api/v1/steadiness?vary=both&seed=%d", seed), nil)
	}
	w.must(200, "", "GET", "/api/v1/ranking", nil)
	first := ask("", 0)
	if first.status != http.StatusOK {
		t.Fatalf("%d %s", first.status, first.body)
	}
	seed := 0
	exhaust := func() (last *reply) {
		t.Helper()
		for range 40 {
			if last = ask("", seed); last.status != http.StatusOK {
				return last
			}
			seed++
		}
		return last
	}
	last := exhaust()
	if last.status != http.StatusTooManyRequests || last.header.Get("Retry-After") == "" {
		t.Fatalf("in the end %d, Retry-After %q: %s", last.status, last.header.Get("Retry-After"), last.body)
	}
	if again := ask("", 0); again.status != http.StatusOK || string(again.body) != string(first.body) {
		t.Errorf("what was computed before: %d", again.status)
	}
	w.must(200, "", "GET", "/api/v1/ranking", nil)
	w.must(200, "", "GET", "/api/v1/distributions", nil)
	if team := ask("ines", 1000); team.status != http.StatusOK {
		t.Errorf("ines: %d %s", team.status, team.body)
	}
	// Other computations use the same budget.
	for _, path := range []string{
		"/api/v1/ranking?sectionWeight=usability%3D3", "/api/v1/tipping?audience=pensioner", "/report?edition=mossgate/12/hearthside&edition=gullhaven/5.2/hearthside",
		"/api/v1/exports/readings?form=xlsx", "/previews/ranking.png",
	} {
		var r *reply
		for range 5 { // the budget refills while other requests are computed
			exhaust()
			if r = w.call("", "GET", path, nil); r.status == http.StatusTooManyRequests {
				break
			}
		}
		if r.status != http.StatusTooManyRequests {
			t.Errorf("%s: %d", path, r.status)
		}
	}
}

// TestTooMuchToDraw: a request that would take longer than two seconds is refused at once, with the largest accepted
// one.
func TestTooMuchToDraw(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	for _, path := range []string{
		"?draws=1000000&vary=both", "?draws=1000000&vary=weights", "?draws=1000000&vary=readings",
		"?draws=1000000&vary=both&distribution=mossgate",
	} {
		r := w.must(422, "ines", "GET", "/api/v1/steadiness"+path, nil)
		if !strings.Contains(string(r.body), "use at most") {
			t.Errorf("%s: %s", path, r.body)
		}
	}
}

// TestExportsAtOnce: one network gets only so many exports at once, and each ends.
func TestExportsAtOnce(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	var wait sync.WaitGroup
	statuses := make([]int, 30)
	for i := range statuses {
		wait.Go(func() { statuses[i] = w.call("", "GET", "/api/v1/exports/bundle", nil).status })
	}
	wait.Wait()
	got := map[int]int{}
	for _, s := range statuses {
		got[s]++
	}
	if got[200] < 4 || got[200]+got[429] != len(statuses) {
		t.Errorf("30 exports at once: %v", got)
	}
	w.must(200, "", "GET", "/api/v1/exports/bundle", nil)
}

// TestExportOnAFullDisk: an export without room on the disk gives that reason, and leaves nothing behind.
func TestExportOnAFullDisk(t *testing.T) {
	w := newWorld(t, true)
	folder := smalldisk.Mount(t, 4<<20)
	t.Setenv("TMPDIR", folder)
	const what = "/api/v1/exports/readings?form=json"
	filler := filepath.Join(folder, "filler")
	if err := os.WriteFile(filler, make([]byte, 4<<20-16<<10), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, encoding := range []string{"identity", "gzip"} {
		r := w.must(503, "ines", "GET", what, nil, "Accept-Encoding", encoding)
		if !strings.Contains(string(r.body), "no space on the service's disk") || r.header.Get("Content-Encoding") != "" {
			t.Errorf("%s: %v %s", encoding, r.header, r.body)
		}
	}
	if err := os.Remove(filler); err != nil {
		t.Fatal(err)
	}
	w.must(200, "ines", "GET", what, nil, "Accept-Encoding", "gzip")
}
