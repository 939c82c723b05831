package api_test

import (
	"bytes"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"dappertally/internal/store"
)

type problem struct {
	Type, Detail string
	Errors       []struct{ Pointer, Detail string }
}

func TestPublicReading(t *testing.T) {
	w := newWorld(t, true)
	for _, path := range []string{
		"/healthz", "/readyz", "/api/openapi.yaml", "/api/v1/about", "/api/v1/session", "/api/v1/distributions", "/api/v1/releases?distribution=bramblewick",
		"/api/v1/editions/bramblewick/7.0/hearthside", "/api/v1/rigs/bench-old", "/api/v1/checklists/workshop/1", "/api/v1/reviews", "/api/v1/ranking",
		"/api/v1/ranking?audience=pensioner&commonRigs=true&rigWeight=bench-old%3D3", "/api/v1/ranking?section=usability", "/api/v1/scorecards/bramblewick/7.0/hearthside",
		"/api/v1/comparison?edition=bramblewick/7.0/hearthside&edition=bramblewick/6.1/hearthside", "/report?edition=bramblewick/7.0/hearthside&edition=bramblewick/6.1/hearthside",
	} {
		w.must(200, "", "GET", path, nil)
	}
	for path, status := range map[string]int{
		"/api/v1/people": 401, "/api/v1/tokens": 401, "/api/v1/rigs/none": 404, "/api/v1/nothing": 404, "/api/v1/ranking?audience=nobody": 404,
		"/api/v1/ranking?rigWeight=none%3D1": 404, "/api/v1/ranking?criterion=none": 404, "/api/v1/comparison?edition=bramblewick/7.0/hearthside": 422,
		"/api/v1/comparison?edition=a/b/c&edition=d/e/f": 404, "/api/v1/distributions?limit=0": 422, "/api/v1/distributions?cursor=zzz": 422, "/report": 422,
	} {
		r := w.must(status, "", "GET", path, nil)
		var p problem
		r.into(t, &p)
		if r.header.Get("Content-Type") != "application/problem+json" || p.Type == "" || p.Detail == "" {
			t.Errorf("%s: not a problem document: %s", path, r.body)
		}
	}
}

func TestReadersSeeNoUnfinishedWork(t *testing.T) {
	w := newWorld(t, true)
	var all, public struct {
		Reviews []struct{ ID, State, Assigned, Due string }
	}
	w.must(200, "ines", "GET", "/api/v1/reviews?limit=1000", nil).into(t, &all)
	w.must(200, "", "GET", "/api/v1/reviews?limit=1000", nil).into(t, &public)
	if len(all.Reviews) <= len(public.Reviews) {
		t.Errorf("the team sees %d reviews, readers %d", len(all.Reviews), len(public.Reviews))
	}
	for _, r := range public.Reviews {
		if r.State != "accepted" || r.Assigned != "" || r.Due != "" {
			t.Errorf("readers see %+v", r)
		}
	}
	for _, r := range all.Reviews {
		if r.State == "underway" {
			for _, path := range []string{"", "/readings"} {
				w.must(404, "", "GET", "/api/v1/reviews/"+r.ID+path, nil)
			}
			w.must(401, "", "GET", "/api/v1/reviews/"+r.ID+"/scorecard", nil)
		}
	}
}

func TestPages(t *testing.T) {
	w := newWorld(t, true)
	seen := map[string]bool{}
	for cursor, pages := "", 0; ; pages++ {
		var list struct {
			Distributions []struct{ Key string }
			Next          string
		}
		w.must(200, "", "GET", "/api/v1/distributions?limit=5&cursor="+cursor, nil).into(t, &list)
		for _, d := range list.Distributions {
			if seen[d.Key] {
				t.Errorf("%s is on two pages", d.Key)
			}
			seen[d.Key] = true
		}
		if cursor = list.Next; cursor == "" {
			if pages != 2 {
				t.Errorf("%d pages, want 3", pages+1)
			}
			break
		}
	}
	if len(seen) != 12 {
		t.Errorf("%d distributions on all pages, want 12", len(seen))
	}
}

func TestEveryWrongFieldIsNamed(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	readings := "/api/v1/reviews/" + review + "/readings/" + store.NewID()
	for _, c := range []struct {
		name, who, method, path string
		body                    any
		status                  int
		pointers                []string
	}{
		{"broken JSON", "ines", "POST", "/api/v1/rigs", `{"key": `, 422, []string{""}},
		{"not a number", "ines", "POST", "/api/v1/rigs", `{"key": "x", "cores": NaN}`, 422, []string{""}},
		{"form", "ines", "POST", "/api/v1/rigs", `{"key": "Big Rig", "class": "huge", "cores": "two", "colour": "red"}`, 422, []string{"/key", "/class", "/cores", "/colour"}},
		{"huge number", "ines", "POST", "/api/v1/rigs", `{"key": "x", "cores": 1e99}`, 422, []string{"/cores"}},
		{"meaning", "ines", "POST", "/api/v1/releases", map[string]any{"distribution": "ivybeck", "version": "7", "date": "soon", "endOfSupport": "never"}, 422, []string{"/date", "/endOfSupport"}},
		{"no such parent", "ines", "POST", "/api/v1/releases", map[string]any{"distribution": "nowhere", "version": "7", "date": "2026-01-01"}, 422, []string{"/distribution"}},
		{"review of nothing", "ines", "POST", "/api/v1/reviews", map[string]any{"edition": "a/b/c", "assigned": "ghost", "due": "soon", "continues": store.NewID()}, 422, []string{"/edition", "/assigned", "/due", "/continues"}},
		{"two answers", "ines", "PUT", readings, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 5, "check": "works"}}, 422, []string{"/answer"}},
		{"grade too high, no such rig", "ines", "PUT", readings, map[string]any{"criterion": "week-of-use", "rig": "ghost", "answer": map[string]any{"grade": 11}}, 422, []string{"/answer/grade", "/rig"}},
		{"no such criterion", "ines", "PUT", readings, map[string]any{"criterion": "luck", "answer": map[string]any{"grade": 5}}, 422, []string{"/criterion"}},
		{"unregistered phase", "ines", "PUT", readings, map[string]any{"criterion": "week-of-use", "context": map[string]any{"phase": "someday"}, "answer": map[string]any{"grade": 5}}, 422, []string{"/context/phase"}},
		{"value below zero on a ratio", "ines", "PUT", readings, map[string]any{"criterion": "cold-start", "rig": "bench-old", "context": map[string]any{"method": "stopwatch", "setup": "default", "phase": "updated"}, "answer": map[string]any{"runs": []float64{3}}, "adjustment": map[string]any{"amount": 4, "reason": "menu"}}, 422, []string{"/answer/runs"}},
		{"adjustment without a reason", "ines", "PUT", readings, map[string]any{"criterion": "cold-start", "answer": map[string]any{"runs": []float64{3}}, "adjustment": map[string]any{"amount": 1}}, 422, []string{"/adjustment/reason"}},
		{"from the future", "ines", "PUT", readings, map[string]any{"criterion": "week-of-use", "at": "2030-01-01T00:00:00Z", "answer": map[string]any{"grade": 5}}, 422, []string{"/at"}},
		{"replaces nothing", "ines", "PUT", readings, map[string]any{"criterion": "week-of-use", "replaces": store.NewID(), "answer": map[string]any{"grade": 5}}, 422, []string{"/replaces"}},
		{"checklist", "marit", "POST", "/api/v1/checklists", map[string]any{"key": "x", "version": 1, "state": "draft", "sections": []any{map[string]any{"key": "s", "weight": -1, "criteria": []any{map[string]any{"key": "c", "kind": "measure", "better": "lower"}}}}}, 422, []string{"/sections/0/weight", "/sections/0/criteria/0/curve"}},
	} {
		r := w.call(c.who, c.method, c.path, c.body)
		if r.status != c.status {
			t.Errorf("%s: %d, want %d: %s", c.name, r.status, c.status, r.body)
			continue
		}
		var p problem
		r.into(t, &p)
		for _, want := range c.pointers {
			if !named(p, want) {
				t.Errorf("%s: %q is not named in %s", c.name, want, r.body)
			}
		}
	}
	var left struct{ Readings []any }
	w.must(200, "ines", "GET", "/api/v1/reviews/"+review+"/readings", nil).into(t, &left)
	if len(left.Readings) != 0 {
		t.Errorf("%d readings were kept of what was refused", len(left.Readings))
	}
}

func named(p problem, pointer string) bool {
	for _, e := range p.Errors {
		if e.Pointer == pointer && e.Detail != "" {
			return true
		}
	}
	return false
}

func TestBodyTooLarge(t *testing.T) {
	w := newWorld(t, false)
	r := w.call("ines", "POST", "/api/v1/rigs", `{"key": "x", "name": "`+strings.Repeat("a", 5<<20)+`"}`)
	if r.status != http.StatusRequestEntityTooLarge {
		t.Errorf("%d: %.200s", r.status, r.body)
	}
}

func TestRolesOverTheNetwork(t *testing.T) {
	w := newWorld(t, true)
	rig := map[string]any{"key": "bench-x"}
	person := map[string]any{
		"name":     "newcomer",
		"title":    "New Comer",
		"roles":    []string{"reviewer"},
		"password": "a long enough secret",
	}
	for _, c := range []struct {
		who, method, path string
		body              any
		status            int
	}{
		{"", "POST", "/api/v1/rigs", rig, 401},
		{"perrin", "POST", "/api/v1/rigs", rig, 403},
		{"ines", "POST", "/api/v1/rigs", rig, 201},
		{"ines", "POST", "/api/v1/rigs", rig, 409},
		{"ines", "POST", "/api/v1/people", person, 403},
		{"marit", "POST", "/api/v1/people", person, 403},
		{"perrin", "POST", "/api/v1/people", person, 201},
		{"perrin", "POST", "/api/v1/people", person, 409},
		{"perrin", "GET", "/api/v1/people", nil, 200},
	} {
		if r := w.call(c.who, c.method, c.path, c.body); r.status != c.status {
			t.Errorf("%s %s as %q: %d, want %d: %s", c.method, c.path, c.who, r.status, c.status, r.body)
		}
	}
	if r := w.call("", "GET", "/api/v1/people", nil, "Authorization", "Bearer dt_wrong"); r.status != 401 {
		t.Errorf("a wrong token: %d", r.status)
	}
}

func TestTwoEditsAtOnce(t *testing.T) {
	w := newWorld(t, true)
	path := "/api/v1/distributions/mossgate"
	tag := w.must(200, "ines", "GET", path, nil).header.Get("ETag")
	edit := func(aim, tag string) int {
		return w.call(
			"ines",
			"PUT",
			path,
			map[string]any{
				"key":    "mossgate",
				"name":   "Mossgate",
				"model":  "fixed",
				"family": []string{"heathbase"},
				"aim":    aim,
			},
			"If-Match",
			tag,
		).status
	}
	if status := w.call("ines", "PUT", path, map[string]any{"key": "mossgate", "name": "Mossgate", "model": "fixed"}).status; status != 428 {
		t.Errorf("an edit that says on nothing what it is based: %d, want 428", status)
	}
	var wg sync.WaitGroup
	statuses := make([]int, 8)
	for i := range statuses {
		wg.Go(func() { statuses[i] = edit(fmt.Sprint("aim ", i), tag) })
	}
	wg.Wait()
	won := 0
	for _, s := range statuses {
		switch s {
		case 200:
			won++
		case 412:
		default:
			t.Errorf("an edit ended with %d", s)
		}
	}
	if won != 1 {
		t.Errorf("%d of 8 edits of one version won, want 1", won)
	}
	if s := edit("late", tag); s != 412 {
		t.Errorf("a stale edit: %d, want 412", s)
	}
}

func TestETagAnswersNotModified(t *testing.T) {
	w := newWorld(t, true)
	for _, path := range []string{"/api/v1/ranking", "/api/v1/rigs/bench-old", "/api/v1/checklists/workshop/1"} {
		tag := w.must(200, "", "GET", path, nil).header.Get("ETag")
		if r := w.must(304, "", "GET", path, nil, "If-None-Match", tag); len(r.body) != 0 {
			t.Errorf("%s: 304 with a body", path)
		}
		w.must(200, "", "GET", path, nil, "If-None-Match", `"other"`)
	}
}

func TestRecordingTwiceDoesNoHarm(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	grade := func(g float64) map[string]any {
		return map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": g}}
	}
	id, first := w.record(200, "ines", review, grade(6))
	path := "/api/v1/reviews/" + review + "/readings/" + id
	var a, b struct {
		Fresh  bool
		Points float64
	}
	first.into(t, &a)
	w.must(200, "ines", "PUT", path, grade(6)).into(t, &b)
	if !a.Fresh || b.Fresh || a.Points != 60 {
		t.Errorf("first %+v, again %+v", a, b)
	}
	w.must(409, "ines", "PUT", path, grade(7))
	better := grade(8)
	better["replaces"] = id
	w.record(200, "ines", review, better)
	worse := grade(2)
	worse["replaces"] = id
	if _, r := w.record(409, "tomas", review, worse); !strings.Contains(string(r.body), "Only the reviewer of a grade") {
		t.Errorf("somebody else replaced a grade: %s", r.body)
	}
	_, r := w.record(409, "ines", review, worse)
	if !strings.Contains(string(r.body), "ines") {
		t.Errorf("the conflict does not tell whose reading it was: %s", r.body)
	}
}

// TestRecordedLater sends a reading that was measured a while ago, by a sender that does not know the service's time.
func TestRecordedLater(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	late := map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 6}, "ago": 5400}
	var r struct {
		Reading struct{ At, Received time.Time }
	}
	id, first := w.record(200, "ines", review, late)
	first.into(t, &r)
	if waited := r.Reading.Received.Sub(r.Reading.At); waited != 90*time.Minute {
		t.Errorf("measured %s before it was received", waited)
	}
	at := r.Reading.At
	late["ago"] = 5460 // sent once more, a minute later
	w.must(200, "ines", "PUT", "/api/v1/reviews/"+review+"/readings/"+id, late).into(t, &r)
	if !r.Reading.At.Equal(at) {
		t.Errorf("sent again it was measured at %s, not %s", r.Reading.At, at)
	}
	late["at"] = at
	if _, r := w.record(422, "ines", review, late); !strings.Contains(string(r.body), "not by both") {
		t.Errorf("%s", r.body)
	}
	for _, wrong := range []any{-1, 31536001, 1.5, "a day"} {
		w.record(422, "ines", review, map[string]any{
			"criterion": "documentation", "answer": map[string]any{"grade": 6}, "ago": wrong})
	}
}

// TestOnlyOneReplaces lets many replace one reading at once.
func TestOnlyOneReplaces(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	id, _ := w.record(
		200, "ines", review, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 6}},
	)
	var wg sync.WaitGroup
	statuses := make([]int, 6)
	for i := range statuses {
		wg.Go(func() {
			statuses[i] = w.call("ines", "PUT", "/api/v1/reviews/"+review+"/readings/"+store.NewID(),
				map[string]any{"criterion": "week-of-use", "replaces": id, "answer": map[string]any{"grade": i}}).status
		})
	}
	wg.Wait()
	won := 0
	for _, s := range statuses {
		if s == 200 {
			won++
		} else if s != 409 {
			t.Errorf("a replacement ended with %d", s)
		}
	}
	if won != 1 {
		t.Errorf("%d of 6 replacements won", won)
	}
}

// TestLifeOfAReview goes from a plan to the ranking and on.
func TestLifeOfAReview(t *testing.T) {
	w := newWorld(t, true)
	const edition = "ivybeck/5.4/hearthside"
	review := w.planned("ines", edition)
	w.move(409, "marit", review, "accepted", "")
	w.record(200, "ines", review, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 6}})
	if r := w.move(422, "ines", review, "submitted", ""); !strings.Contains(
		string(r.body), "Telemetry has no answer",
	) {
		t.Errorf("what is missing is not told: %s", r.body)
	}
	w.move(200, "ines", review, "submitted", "a first look only")
	w.move(403, "ines", review, "accepted", "")
	if w.coverage(edition) != 0 {
		t.Error("an edition is ranked before its review was accepted")
	}
	w.move(200, "marit", review, "accepted", "")
	first := w.coverage(edition)
	if first == 0 {
		t.Fatal("an accepted review does not count")
	}
	var late struct{ Waits bool }
	_, r := w.record(
		200, "ines", review, map[string]any{"criterion": "update-ease", "answer": map[string]any{"grade": 9}},
	)
	if r.into(t, &late); !late.Waits || w.coverage(edition) != first {
		t.Error("a reading after the acceptance counts at once")
	}
	w.move(422, "marit", review, "underway", "")
	w.move(200, "marit", review, "underway", "one more reading")
	if w.coverage(edition) != first {
		t.Error("a reopened review no longer stands as it was accepted")
	}
	w.move(200, "ines", review, "submitted", "a first look only")
	w.move(200, "marit", review, "accepted", "")
	if w.coverage(edition) <= first {
		t.Error("the second acceptance did not take the late reading in")
	}
	w.move(200, "marit", review, "withdrawn", "the wrong image was installed")
	if w.coverage(edition) != 0 {
		t.Error("a withdrawn review still counts")
	}
	w.record(409, "ines", review, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 1}})
}

// coverage returns an edition's coverage in the ranking as of the newest change; 0 if it is not in the ranking.
func (w *world) coverage(edition string) float64 {
	w.t.Helper()
	n, err := w.svc.State(w.t.Context(), 0)
	if err != nil {
		w.t.Fatal(err)
	}
	type entry struct {
		Edition  string
		Coverage float64
	}
	var r struct{ Ranking, Provisional []entry }
	w.must(200, "", "GET", "/api/v1/ranking", nil, "Dtally-After", fmt.Sprint(n.Number)).into(w.t, &r)
	for _, e := range append(r.Ranking, r.Provisional...) {
		if e.Edition == edition {
			return e.Coverage
		}
	}
	return 0
}

func TestSessionCookie(t *testing.T) {
	w := newWorld(t, false)
	w.must(401, "", "POST", "/api/v1/session", map[string]any{"name": "ines", "password": "wrong"})
	w.must(401, "", "POST", "/api/v1/session", map[string]any{"name": "nobody", "password": "wrong"})
	r := w.must(200, "", "POST", "/api/v1/session", map[string]any{"name": "ines", "password": "seven-blue-buckets"})
	cookie := r.header.Get("Set-Cookie")
	for _, want := range []string{"HttpOnly", "SameSite=Strict", "Path=/"} {
		if !strings.Contains(cookie, want) {
			t.Errorf("the cookie lacks %s: %s", want, cookie)
		}
	}
	secret, _, _ := strings.Cut(cookie, ";")
	rig := map[string]any{"key": "bench-x"}
	if r := w.call("", "POST", "/api/v1/rigs", rig, "Cookie", secret, "Sec-Fetch-Site", "cross-site"); r.status != 403 {
		t.Errorf("a request from another site: %d, want 403", r.status)
	}
	w.must(201, "", "POST", "/api/v1/rigs", rig, "Cookie", secret, "Sec-Fetch-Site", "same-origin")
	w.must(204, "", "DELETE", "/api/v1/session", nil, "Cookie", secret)
	w.must(401, "", "POST", "/api/v1/rigs", map[string]any{"key": "bench-y"}, "Cookie", secret)
}

func TestDraftsAreOnesOwn(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	path := "/api/v1/reviews/" + review + "/drafts"
	w.must(204, "ines", "PUT", path, map[string]any{"criterion": "week-of-use", "text": "{half}"})
	count := func(who string) int {
		var d struct{ Drafts []any }
		w.must(200, who, "GET", path, nil).into(t, &d)
		return len(d.Drafts)
	}
	if count("ines") != 1 || count("tomas") != 0 {
		t.Errorf("drafts: ines %d, tomas %d", count("ines"), count("tomas"))
	}
	w.record(200, "ines", review, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 6}})
	if count("ines") != 0 {
		t.Error("the draft outlived its reading")
	}
}

func TestFrozenChecklist(t *testing.T) {
	w := newWorld(t, true)
	path := "/api/v1/checklists/workshop/2"
	r := w.must(200, "marit", "GET", path, nil)
	var list map[string]any
	r.into(t, &list)
	list["title"] = "Another"
	w.must(409, "marit", "PUT", path, list, "If-Match", r.header.Get("ETag"))
	list["title"], list["state"] = "Workshop checklist", "retired"
	w.must(200, "marit", "PUT", path, list, "If-Match", r.header.Get("ETag"))
	w.must(404, "", "GET", "/api/v1/ranking", nil)
	list["version"], list["state"] = 3, "in-force"
	w.must(201, "marit", "POST", "/api/v1/checklists", list)
	w.must(409, "marit", "POST", "/api/v1/checklists", list)
	w.must(200, "", "GET", "/api/v1/ranking", nil)
}

func TestRigIsFixedOnceUsed(t *testing.T) {
	w := newWorld(t, true)
	r := w.must(200, "ines", "GET", "/api/v1/rigs/bench-old", nil)
	var rig map[string]any
	r.into(t, &rig)
	rig["memoryMiB"] = 8192
	w.must(409, "ines", "PUT", "/api/v1/rigs/bench-old", rig, "If-Match", r.header.Get("ETag"))
	rig["memoryMiB"], rig["name"] = 4096, "The old one"
	w.must(200, "ines", "PUT", "/api/v1/rigs/bench-old", rig, "If-Match", r.header.Get("ETag"))
}

func TestCompression(t *testing.T) {
	w := newWorld(t, true)
	if r := w.call("", "GET", "/api/v1/ranking", nil, "Accept-Encoding", "gzip"); r.header.Get(
		"Content-Encoding",
	) != "gzip" {
		t.Errorf("the ranking is not compressed: %v", r.header)
	}
}

// Every address that can be read also answers HEAD, with the same tag.
func TestHeads(t *testing.T) {
	w := newWorld(t, true)
	for _, path := range []string{"/reports.atom", "/calendar.ics", "/healthz", "/api/openapi.yaml", "/api/v1/ranking", "/api/v1/distributions", "/report?edition=mossgate/12/hearthside&edition=gullhaven/5.2/hearthside"} {
		whole := w.must(200, "", "GET", path, nil)
		head := w.must(200, "", "HEAD", path, nil)
		if len(head.body) > 0 || head.header.Get("ETag") != whole.header.Get("ETag") ||
			head.header.Get("Content-Type") != whole.header.Get("Content-Type") {
			t.Errorf(
				"%s: %d bytes, tag %q, type %q; read whole, tag %q, type %q",
				path,
				len(head.body),
				head.header.Get("ETag"),
				head.header.Get("Content-Type"),
				whole.header.Get("ETag"),
				whole.header.Get("Content-Type"),
			)
		}
	}
	w.must(404, "", "HEAD", "/api/v1/nothing", nil)
	w.must(405, "", "HEAD", "/api/v1/events", nil)
}

// A ranking that is requested again is the present one, not one from before a change; a wrong request is refused again.
func TestAskedAgain(t *testing.T) {
	w := newWorld(t, true)
	const path = "/api/v1/ranking?audience=pensioner&newest=true"
	first := w.must(200, "", "GET", path, nil)
	again := w.must(200, "", "GET", path, nil)
	if !bytes.Equal(first.body, again.body) || first.header.Get("ETag") != again.header.Get("ETag") {
		t.Error("the same question has two answers, and nothing changed")
	}
	w.must(304, "", "GET", path, nil, "If-None-Match", first.header.Get("ETag"))
	for range 2 {
		w.must(404, "", "GET", "/api/v1/ranking?audience=nobody", nil)
		w.must(422, "", "GET", "/api/v1/ranking?nonsense=1", nil)
		w.must(422, "", "GET", path, nil, "Dtally-After", "yesterday")
	}
	var reviews struct {
		Reviews []struct{ ID, Edition, State string }
	}
	w.must(200, "marit", "GET", "/api/v1/reviews?limit=1000", nil).into(t, &reviews)
	for _, r := range reviews.Reviews {
		if r.Edition == "mossgate/12/hearthside" && r.State == "accepted" {
			w.move(200, "marit", r.ID, "withdrawn", "the disk was faulty")
		}
	}
	if changed := w.must(200, "", "GET", path, nil); bytes.Equal(changed.body, first.body) ||
		bytes.Contains(changed.body, []byte(`"edition":"mossgate/12/hearthside"`)) {
		t.Error("the ranking from before a review was withdrawn is answered still")
	}
}
