package api_test

import (
	"bytes"
	"fmt"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"dappertally/core/bundle"
	"dappertally/core/reading"
	"dappertally/internal/dbtest"
	"dappertally/internal/demo"
	"dappertally/internal/store"
)

var numberOfChange = regexp.MustCompile(`"change":[0-9]+,`)

// TestInstancesAgree makes one change after another on one instance and asks two others: one that has followed all
// changes from the beginning, and one that has just started and reads everything. All give the same answers, byte for
// byte.
func TestInstancesAgree(t *testing.T) {
	t.Parallel()
	open := instances(t)
	first := open()
	w := newWorldOn(t, first)
	_, follower, _ := start(t, open(), still)
	const edition = "ivybeck/5.4/hearthside"
	paths := []string{
		"/api/v1/ranking", "/api/v1/ranking?audience=pensioner&newest=true", "/api/v1/ranking?ground=true&audience=old-laptop", "/api/v1/ranking?commonRigs=true",
		"/api/v1/ranking?at=2026-03-01T00:00:00Z", "/api/v1/distributions?limit=100", "/api/v1/rigs", "/api/v1/records", "/api/v1/leaders?audience=pensioner",
		"/api/v1/tipping?newest=true", "/api/v1/lines/gullhaven/hearthside", "/api/v1/checklists",
		"/api/v1/comparison?edition=gullhaven/5.2/hearthside&edition=mossgate/12/hearthside&baseline=previous&checklist=workshop@2",
	}
	var change string // of the last write
	agree := func(after string) {
		t.Helper()
		_, fresh, _ := start(t, open(), still)
		for _, path := range paths {
			var said []byte
			for _, server := range []string{w.server.URL, follower.URL, fresh.URL} {
				req, err := http.NewRequest("GET", server+path, nil)
				if err != nil {
					t.Fatal(err)
				}
				req.Header.Set("Dtally-After", change)
				resp, err := http.DefaultClient.Do(req)
				if err != nil {
					t.Fatal(err)
				}
				var body bytes.Buffer
				if _, err := body.ReadFrom(resp.Body); err != nil {
					t.Fatal(err)
				}
				resp.Body.Close()
				if resp.StatusCode != 200 {
					t.Fatalf("after %s: %s: %d %.300s", after, path, resp.StatusCode, body.Bytes())
				}
				// Answers that stay the same are kept with the number of the change after which they were first given.
				answer := numberOfChange.ReplaceAll(body.Bytes(), nil)
				if said == nil {
					said = answer
				}
				if !bytes.Equal(said, answer) {
					at := 0
					for at < min(len(said), len(answer)) && said[at] == answer[at] {
						at++
					}
					t.Errorf(
						"after %s: %s differs between instances: …%.120s and …%.120s",
						after,
						path,
						said[max(0, at-40):],
						answer[max(0, at-40):],
					)
				}
			}
		}
	}
	write := func(r *reply) *reply {
		if n := r.header.Get("Dtally-Change"); n != "" {
			change = n
		}
		return r
	}
	change = "1"
	agree("the beginning")

	review := w.planned("ines", edition)
	id, r := w.record(
		200, "ines", review, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 6}},
	)
	write(r)
	agree("a reading of an open review")
	w.move(200, "ines", review, "submitted", "a first look only")
	write(w.move(200, "marit", review, "accepted", ""))
	agree("its acceptance")
	w.move(200, "marit", review, "underway", "another look")
	_, r = w.record(
		200,
		"ines",
		review,
		map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 9}, "replaces": id},
	)
	write(r)
	agree("a reading that waits")
	w.move(200, "ines", review, "submitted", "a first look only")
	write(w.move(200, "marit", review, "accepted", ""))
	agree("the second acceptance")

	write(
		w.must(
			201,
			"ines",
			"POST",
			"/api/v1/rigs",
			map[string]any{
				"key":       "bench-spare",
				"name":      "Spare",
				"class":     "older",
				"virtual":   false,
				"cores":     2,
				"memoryMiB": 2048,
			},
		),
	)
	agree("a new rig")
	write(
		w.must(
			200,
			"marit",
			"POST",
			"/api/v1/renamed",
			map[string]any{"sort": "distribution", "key": "mossgate", "to": "mossgrove"},
		),
	)
	agree("a new name")
	write(
		w.must(
			200,
			"marit",
			"POST",
			"/api/v1/renamed",
			map[string]any{"sort": "distribution", "key": "mossgrove", "to": "mossgate"},
		),
	)
	agree("the old name")
	write(w.must(200, "marit", "PUT", "/api/v1/checklists/workshop/shown", map[string]any{"version": 1}))
	agree("another version shown")
	write(w.must(200, "marit", "PUT", "/api/v1/checklists/workshop/shown", map[string]any{"version": 2}))
	write(w.move(200, "marit", review, "withdrawn", "the wrong image was installed"))
	agree(fmt.Sprintf("a withdrawal of %s", edition))
}

// again returns the demo's records with one more review: an accepted one, copied with other ids.
func again(t *testing.T) string {
	t.Helper()
	b, err := demo.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(b.Reviews, func(r reading.Review) bool {
		return r.Accepted != nil && r.Continues == "" && r.Carried == "" && len(r.Entries()) == 0
	})
	if i < 0 {
		t.Fatal("no review of the demo can be taken once more")
	}
	r := b.Reviews[i]
	r.ID, r.Readings = store.NewID(), slices.Clone(r.Readings)
	ids := map[string]string{}
	for j := range r.Readings {
		x := &r.Readings[j]
		ids[x.ID] = store.NewID()
		x.ID, x.Replaces, x.System = ids[x.ID], ids[x.Replaces], ""
	}
	b.Reviews = append(b.Reviews, r)
	var out bytes.Buffer
	if err := bundle.Write(&out, b); err != nil {
		t.Fatal(err)
	}
	return out.String()
}

// TestImportIsTakenInAlone: an instance that follows reads again only what an import or a new name changed, and gives
// the same answers as one that reads everything.
func TestImportIsTakenInAlone(t *testing.T) {
	t.Parallel()
	dsn := filled.DSN(t)
	between := dbtest.Through(t, dsn)
	follower, err := store.Open(between.DSN)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { follower.Close() })
	w := newWorldOn(t, follower)
	var whole, some atomic.Int32
	between.Decide(func(s string) dbtest.Fate {
		switch {
		case strings.HasSuffix(s, "WHERE x.pinned ORDER BY x.review"):
			whole.Add(1)
		case strings.Contains(s, "WHERE x.pinned AND x.review IN"):
			some.Add(1)
		}
		return dbtest.Arrives
	})
	direct, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { direct.Close() })
	agree := func(after, change string) {
		t.Helper()
		_, fresh, _ := start(t, direct, still)
		for _, path := range []string{"/api/v1/ranking", "/api/v1/ranking?at=2026-03-01T00:00:00Z", "/api/v1/records"} {
			got := w.eventually(200, "", "GET", path, nil, "Dtally-After", change)
			here := *w
			here.server = fresh
			want := here.eventually(200, "", "GET", path, nil, "Dtally-After", change)
			if g, f := numberOfChange.ReplaceAll(got.body, nil), numberOfChange.ReplaceAll(want.body, nil); !bytes.Equal(g, f) {
				t.Errorf("after %s, %s differs from what a fresh instance says", after, path)
			}
		}
	}
	before := w.must(200, "", "GET", "/api/v1/ranking", nil)
	o, r := w.takeIn(200, "marit", "bundle", "{}", again(t))
	if !o.done.Written || o.done.New == 0 {
		t.Fatalf("%s", r.body)
	}
	last, err := direct.LastChange(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	agree("an import", fmt.Sprint(last))
	after := w.must(200, "", "GET", "/api/v1/ranking", nil, "Dtally-After", fmt.Sprint(last))
	if bytes.Equal(before.body, after.body) {
		t.Error("the import changed no ranking, so that nothing is tested")
	}
	renamed := map[string]any{"sort": "release", "key": "mossgate/12", "to": "12.0"}
	r = w.must(200, "marit", "POST", "/api/v1/renamed", renamed)
	agree("a new name", r.header.Get("Dtally-Change"))
	if whole.Load() != 0 || some.Load() < 2 {
		t.Errorf("all was read %d times, what was touched %d times", whole.Load(), some.Load())
	}
}
