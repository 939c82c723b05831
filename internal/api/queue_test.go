package api_test

import (
	"bufio"
	"context"
	"net/http"
	"strings"
	"testing"
	"time"

	"dappertally/internal/store"
)

type queued struct {
	Subject string
	Place   int
	LeftOut string
	Why     []struct{ Sort, Says string }
	Request *struct {
		ID          string
		Revision    int
		RequestedBy []struct{ Person, Reason string }
	}
	Progress float64
	Overdue  bool
}

func (w *world) queue() ([]queued, string) {
	w.t.Helper()
	r := w.must(200, "marit", "GET", "/api/v1/queue", nil)
	var q struct{ Items []queued }
	r.into(w.t, &q)
	return q.Items, r.header.Get("ETag")
}

func (w *world) inQueue(subject string) *queued {
	w.t.Helper()
	items, _ := w.queue()
	for i := range items {
		if items[i].Subject == subject {
			return &items[i]
		}
	}
	return nil
}

func TestQueue(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	const requested = "ivybeck/5.4/hearthside"
	w.must(401, "", "POST", "/api/v1/requests", map[string]any{"subject": requested})
	w.must(201, "tomas", "POST", "/api/v1/requests", map[string]any{"subject": requested, "reason": "the school asks"})
	w.must(201, "odile", "POST", "/api/v1/requests", map[string]any{"subject": requested})
	w.must(409, "tomas", "POST", "/api/v1/requests", map[string]any{"subject": requested})
	w.must(422, "tomas", "POST", "/api/v1/requests", map[string]any{"subject": "   "})
	w.must(201, "tomas", "POST", "/api/v1/requests", map[string]any{"subject": "something new from the harbour"})
	x := w.inQueue(requested)
	if x == nil || x.Request == nil || len(x.Request.RequestedBy) != 2 ||
		x.Request.RequestedBy[0].Reason != "the school asks" {
		t.Fatalf("the request is %+v", x)
	}

	// The lead's order; the second of two people who change it at once gets a conflict.
	_, tag := w.queue()
	order := map[string]any{"subjects": []string{"something new from the harbour", requested}}
	w.must(403, "ines", "PUT", "/api/v1/queue/order", order, "If-Match", tag)
	w.must(428, "marit", "PUT", "/api/v1/queue/order", order)
	w.must(
		422,
		"marit",
		"PUT",
		"/api/v1/queue/order",
		map[string]any{"subjects": []string{requested, requested}},
		"If-Match",
		tag,
	)
	w.must(204, "marit", "PUT", "/api/v1/queue/order", order, "If-Match", tag)
	w.must(412, "marit", "PUT", "/api/v1/queue/order", order, "If-Match", tag)
	// A misspelt name once removed the order; it is refused. Entries that are not named keep their place behind those
	// that are.
	_, tag = w.queue()
	if r := w.must(422, "marit", "PUT", "/api/v1/queue/order", map[string]any{"subjects": []string{requested, "somethign new from the harbour"}}, "If-Match", tag); !strings.Contains(
		string(r.body),
		"is not in the queue; nothing was ordered",
	) {
		t.Errorf("a misspelt name: %s", r.body)
	}
	if a, b := w.inQueue("something new from the harbour"), w.inQueue(requested); a.Place != 1 || b.Place != 2 {
		t.Errorf("after a misspelt name the places are %d and %d", a.Place, b.Place)
	}
	w.must(204, "marit", "PUT", "/api/v1/queue/order", map[string]any{"subjects": []string{requested}}, "If-Match", tag)
	if a, b := w.inQueue("something new from the harbour"), w.inQueue(requested); a.Place != 2 || b.Place != 1 {
		t.Errorf("with one named the places are %d and %d", a.Place, b.Place)
	}
	_, tag = w.queue()
	w.must(204, "marit", "PUT", "/api/v1/queue/order", order, "If-Match", tag)
	if items, _ := w.queue(); items[0].Subject != "something new from the harbour" || items[1].Subject != requested {
		t.Errorf("the queue begins with %s, %s", items[0].Subject, items[1].Subject)
	}
	w.must(
		204,
		"marit",
		"PUT",
		"/api/v1/queue/left-out",
		map[string]any{"subject": requested, "why": "not before spring"},
	)
	if items, _ := w.queue(); items[len(items)-1].Subject != requested || items[len(items)-1].LeftOut == "" {
		t.Error("what is left out does not stand last")
	}
	w.must(204, "marit", "PUT", "/api/v1/queue/left-out", map[string]any{"subject": requested})

	// Planned, assigned, under way, accepted: the request is met.
	review := w.planned("ines", requested)
	tag = w.must(200, "marit", "GET", "/api/v1/reviews/"+review, nil).header.Get("ETag")
	w.must(
		422,
		"marit",
		"PUT",
		"/api/v1/reviews/"+review+"/assignment",
		map[string]any{"assigned": "perrin", "due": "soon"},
		"If-Match",
		tag,
	)
	w.must(
		200,
		"marit",
		"PUT",
		"/api/v1/reviews/"+review+"/assignment",
		map[string]any{"assigned": "tomas", "due": "2026-11-01"},
		"If-Match",
		tag,
	)
	w.record(200, "tomas", review, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 6}})
	if x := w.inQueue(requested); !x.Overdue || x.Progress <= 0 || x.Progress > 0.2 {
		t.Errorf("under way and late it stands as %+v", x)
	}
	w.move(200, "tomas", review, "submitted", "a first look")
	w.move(200, "marit", review, "accepted", "")
	if x := w.inQueue(requested); x != nil {
		t.Errorf("what was reviewed is still asked for: %+v", x)
	}
	free := w.inQueue("something new from the harbour")
	w.must(
		422,
		"marit",
		"PATCH",
		"/api/v1/requests/"+free.Request.ID,
		map[string]any{"state": "declined", "decision": ""},
		"If-Match",
		"1",
	)
	w.must(
		204,
		"marit",
		"PATCH",
		"/api/v1/requests/"+free.Request.ID,
		map[string]any{"state": "declined", "decision": "nobody knows what it is"},
		"If-Match",
		"1",
	)
	if w.inQueue("something new from the harbour") != nil {
		t.Error("a declined request is in the queue")
	}
}

// TestQueueKnowsWhatIsStale: releases that make reviews stale, rolling releases that are due again, and final releases
// of pre-releases.
func TestQueueKnowsWhatIsStale(t *testing.T) {
	w := newWorld(t, true)
	why := func(subject, sort string) bool {
		x := w.inQueue(subject)
		if x == nil {
			return false
		}
		for _, y := range x.Why {
			if y.Sort == sort {
				return true
			}
		}
		return false
	}
	add := func(path string, body map[string]any) { w.must(201, "ines", "POST", path, body) }
	add(
		"/api/v1/releases",
		map[string]any{
			"distribution": "mossgate",
			"version":      "13",
			"date":         "2026-11-20",
			"replaces":     []string{"12"},
			"stage":        "pre-release",
		},
	)
	add("/api/v1/editions", map[string]any{"distribution": "mossgate", "release": "13", "key": "hearthside"})
	if !why("mossgate/13/hearthside", "newer") {
		t.Error("a newer release does not make the review stale")
	}
	review := w.planned("ines", "mossgate/13/hearthside")
	w.record(200, "ines", review, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 6}})
	w.move(200, "ines", review, "submitted", "a first look")
	w.move(200, "marit", review, "accepted", "")
	add(
		"/api/v1/releases",
		map[string]any{
			"distribution": "mossgate",
			"version":      "13.1",
			"date":         "2026-11-22",
			"replaces":     []string{"13"},
			"stage":        "final",
		},
	)
	add("/api/v1/editions", map[string]any{"distribution": "mossgate", "release": "13.1", "key": "hearthside"})
	if !why("mossgate/13.1/hearthside", "final") {
		t.Error("the final release does not ask for a second look")
	}
	var r struct {
		PreRelease bool
		Final      string
	}
	if w.must(200, "", "GET", "/api/v1/reviews/"+review, nil).into(t, &r); !r.PreRelease ||
		r.Final != "mossgate/13.1/hearthside" {
		t.Errorf("the review of the pre-release says %+v", r)
	}
	add("/api/v1/releases", map[string]any{"distribution": "mossgate", "version": "14", "date": "2027-05-01"})
	add("/api/v1/editions", map[string]any{"distribution": "mossgate", "release": "14", "key": "hearthside"})
	if w.inQueue("mossgate/14/hearthside") != nil {
		t.Error("a release that is not out yet is due")
	}
	items, _ := w.queue()
	retests := 0
	for _, x := range items {
		for _, y := range x.Why {
			if y.Sort == "retest" {
				retests++
			}
		}
	}
	if retests == 0 {
		t.Error("no rolling release wants a new look")
	}
}

func TestSuggestions(t *testing.T) {
	w := newWorld(t, true)
	send := map[string]any{
		"sort":    "review",
		"subject": "ivybeck/5.4/hearthside",
		"text":    "please",
		"contact": "a reader",
	}
	w.must(202, "", "POST", "/api/v1/suggestions", send)
	w.must(422, "", "POST", "/api/v1/suggestions", map[string]any{"sort": "review", "subject": "", "text": " "})
	if x := w.inQueue("ivybeck/5.4/hearthside"); x != nil && x.Request != nil {
		t.Error("a suggestion stands in the queue before a lead has looked")
	}
	w.must(401, "", "GET", "/api/v1/suggestions", nil)
	var list struct {
		Suggestions []struct{ ID, State, Became, Contact string }
	}
	w.must(200, "marit", "GET", "/api/v1/suggestions", nil).into(t, &list)
	at := "/api/v1/suggestions/" + list.Suggestions[0].ID
	w.must(403, "ines", "PATCH", at, map[string]any{"state": "accepted"}, "If-Match", "1")
	w.must(422, "marit", "PATCH", at, map[string]any{"state": "declined"}, "If-Match", "1")
	w.must(204, "marit", "PATCH", at, map[string]any{"state": "accepted"}, "If-Match", "1")
	w.must(409, "marit", "PATCH", at, map[string]any{"state": "declined", "decision": "no"}, "If-Match", "2")
	if x := w.inQueue("ivybeck/5.4/hearthside"); x.Request == nil || len(x.Request.RequestedBy) != 1 ||
		x.Request.RequestedBy[0].Person != "" {
		t.Errorf("accepted, it is as %+v", x)
	}
	refused := 0
	for range 20 {
		if w.call("", "POST", "/api/v1/suggestions", send).status == http.StatusTooManyRequests {
			refused++
		}
	}
	if refused < 10 {
		t.Errorf("of 20 suggestions at once %d were refused", refused)
	}
}

func TestCalendar(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("tomas", "ivybeck/5.4/hearthside")
	tag := w.must(200, "marit", "GET", "/api/v1/reviews/"+review, nil).header.Get("ETag")
	w.must(
		200,
		"marit",
		"PUT",
		"/api/v1/reviews/"+review+"/assignment",
		map[string]any{"assigned": "tomas", "due": "2026-12-24"},
		"If-Match",
		tag,
	)
	public := string(w.must(200, "", "GET", "/calendar.ics", nil).body)
	if !strings.Contains(public, "Mossgate 12 is released") || strings.Contains(public, "20261224") {
		t.Errorf("the public calendar: %.400s", public)
	}
	w.must(401, "", "POST", "/api/v1/me/calendar", nil)
	var made struct{ Path string }
	w.must(201, "tomas", "POST", "/api/v1/me/calendar", nil).into(t, &made)
	mine := string(w.must(200, "", "GET", made.Path, nil).body)
	for _, want := range []string{"BEGIN:VCALENDAR", "DTSTART;VALUE=DATE:20261224", "yours"} {
		if !strings.Contains(mine, want) {
			t.Errorf("my calendar has no %s", want)
		}
	}
	for line := range strings.SplitSeq(mine, "\r\n") {
		if len(line) > 75 {
			t.Errorf("a line of %d bytes is not folded: %s", len(line), line)
		}
	}
	w.must(204, "tomas", "DELETE", "/api/v1/me/calendar", nil)
	w.must(404, "", "GET", made.Path, nil)
}

// TestEvents follows the stream while somebody records, and ends with the session.
func TestEvents(t *testing.T) {
	w := newWorld(t, true)
	follow := func(who string) (lines chan string, stop func()) {
		ctx, cancel := context.WithCancel(t.Context())
		req, err := http.NewRequestWithContext(ctx, "GET", w.server.URL+"/api/v1/events", nil)
		if err != nil {
			t.Fatal(err)
		}
		if who != "" {
			req.Header.Set("Authorization", "Bearer "+w.tokens[who])
		}
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		lines = make(chan string, 100)
		go func() {
			defer close(lines)
			for scan := bufio.NewScanner(resp.Body); scan.Scan(); {
				if strings.HasPrefix(scan.Text(), "data: ") {
					lines <- scan.Text()
				}
			}
		}()
		return lines, func() { cancel(); resp.Body.Close() }
	}
	team, stopTeam := follow("odile")
	defer stopTeam()
	reader, stopReader := follow("")
	defer stopReader()
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	w.record(200, "ines", review, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 7.3129}})
	next := func(lines chan string) string {
		select {
		case l := <-lines:
			return l
		case <-time.After(5 * time.Second):
			t.Fatal("nothing is told")
			return ""
		}
	}
	if l := next(team); !strings.Contains(l, review) || !strings.Contains(l, "planned") {
		t.Errorf("the team is told %s", l)
	}
	if l := next(team); !strings.Contains(l, "recorded") || strings.Contains(l, "7.31") {
		t.Errorf("the team is told %s", l)
	}
	// Readers get events about what readers see, and none of earlier ones.
	w.must(
		201,
		"ines",
		"POST",
		"/api/v1/rigs",
		map[string]any{"key": "bench-tiny", "name": "Tiny", "class": "low-power"},
	)
	if l := next(reader); l != `data: {"sort":"rig"}` {
		t.Errorf("a reader is told %s", l)
	}
	w.must(200, "perrin", "PUT", "/api/v1/people/odile/disabled", map[string]any{"disabled": true})
	last := ""
	for l := range team {
		last = l
	}
	if last != "data: {}" {
		t.Errorf("who is disabled is told last %s", last)
	}
}

func TestPlansAndBench(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	plan := map[string]any{
		"title": "Old laptops for the school", "question": "Which base starts fastest on the old laptop?", "asks": "base",
		"contenders": []map[string]any{
			{"edition": "ivybeck/5.4/hearthside", "why": "most asked for"},
			{"edition": "mossgate/12/hearthside"},
			{"edition": "oakshott/1.8/awning"},
		},
		"equal": []string{
			"desktop",
		}, "criteria": []string{"cold-start", "printing", "adapting"}, "rigs": []string{"bench-old"}, "runs": 2,
	}
	w.must(401, "", "POST", "/api/v1/plans", plan)
	bad := map[string]any{
		"title":      " ",
		"question":   "x",
		"contenders": []map[string]any{{"edition": "a/b/c"}},
		"criteria":   []string{"nonsense"},
		"rigs":       []string{"bench-x"},
		"asks":       "base",
		"equal":      []string{"base"},
	}
	r := w.must(422, "ines", "POST", "/api/v1/plans", bad)
	for _, want := range []string{"/title", "/contenders", "/contenders/0/edition", "/criteria/0", "/rigs/0", "/equal/0"} {
		if !strings.Contains(string(r.body), `"`+want+`"`) {
			t.Errorf("no fault at %s: %s", want, r.body)
		}
	}
	r = w.must(200, "ines", "POST", "/api/v1/plans/trial", plan)
	for _, want := range []string{"the desktop should be equal", "only the common ground compares: ivybeck/5.4/hearthside on workshop@1", "expects 5 runs; 2 are planned"} {
		if !strings.Contains(string(r.body), want) {
			t.Errorf("the trial does not warn %q: %s", want, r.body)
		}
	}
	var made struct {
		ID     string
		Matrix []struct{ Edition, Criterion, Rig, State string }
	}
	w.must(201, "ines", "POST", "/api/v1/plans", plan).into(t, &made)
	state := map[string]string{}
	for _, c := range made.Matrix {
		state[c.Edition+" "+c.Criterion] = c.State
	}
	if len(made.Matrix) != 9 || state["mossgate/12/hearthside cold-start"] != "done" ||
		state["ivybeck/5.4/hearthside cold-start"] != "open" {
		t.Errorf("the matrix says %v", state)
	}

	review := w.planned("ines", "ivybeck/5.4/hearthside")
	w.must(422, "ines", "POST", "/api/v1/plans/"+made.ID+"/sessions", map[string]any{"rig": "bench-new"})
	w.must(403, "marit", "POST", "/api/v1/plans/"+made.ID+"/sessions", map[string]any{"rig": "bench-old"})
	var bench, again struct {
		Session struct{ ID string }
		Lots    map[string][][]string
	}
	w.must(201, "ines", "POST", "/api/v1/plans/"+made.ID+"/sessions", map[string]any{"rig": "bench-old", "seed": 7}).
		into(t, &bench)
	w.must(201, "tomas", "POST", "/api/v1/plans/"+made.ID+"/sessions", map[string]any{"rig": "bench-old", "seed": 7}).
		into(t, &again)
	if len(bench.Lots["cold-start"]) != 2 ||
		strings.Join(bench.Lots["cold-start"][0], " ") != strings.Join(again.Lots["cold-start"][0], " ") {
		t.Errorf("the same seed draws %v and %v", bench.Lots, again.Lots)
	}

	at := "/api/v1/sessions/" + bench.Session.ID
	w.record(
		200,
		"ines",
		review,
		map[string]any{
			"criterion": "cold-start",
			"rig":       "bench-old",
			"context":   map[string]any{"method": "stopwatch", "setup": "default", "phase": "updated"},
			"answer":    map[string]any{"runs": []float64{90, 91, 90}},
		},
	)
	var sheet struct {
		Baseline string
		Lines    []struct {
			Edition string
			Points  *float64
			Row     *struct {
				Verdict string
				Percent *float64
			}
		}
	}
	w.must(200, "ines", "GET", at+"/criteria/cold-start?baseline=mossgate/12/hearthside", nil).into(t, &sheet)
	if row := sheet.Lines[0].Row; sheet.Baseline != "mossgate/12/hearthside" || row == nil || row.Verdict != "worse" ||
		*row.Percent < 100 ||
		sheet.Lines[0].Points == nil {
		t.Errorf("the sheet says %+v", sheet)
	}
	w.must(404, "ines", "GET", at+"/criteria/memory-idle", nil)

	place := func(status int, id string, body map[string]any) {
		w.must(status, "ines", "PUT", at+"/placings/"+id, body)
	}
	id := store.NewID()
	tied := map[string]any{
		"question": "Which feels quicker?",
		"order":    [][]string{{"mossgate/12/hearthside", "oakshott/1.8/awning"}, {"ivybeck/5.4/hearthside"}},
	}
	place(200, id, tied)
	place(409, id, tied)
	place(
		422,
		store.NewID(),
		map[string]any{"question": "x", "order": [][]string{{"mossgate/12/hearthside"}, {"mossgate/12/hearthside"}}},
	)
	place(422, store.NewID(), map[string]any{"order": [][]string{{"mossgate/12/hearthside"}, {"oakshott/1.8/awning"}}})
	tied["replaces"] = id
	place(200, store.NewID(), tied)
	place(409, store.NewID(), tied)
	if r := w.must(200, "ines", "GET", at, nil); strings.Count(string(r.body), "Which feels quicker?") != 1 {
		t.Errorf("a replaced placing still stands: %s", r.body)
	}
	tag := w.must(200, "ines", "GET", at, nil).header.Get("ETag")
	w.must(200, "ines", "PATCH", at, map[string]any{"closed": true}, "If-Match", tag)
	place(
		409,
		store.NewID(),
		map[string]any{"question": "x", "order": [][]string{{"mossgate/12/hearthside"}, {"oakshott/1.8/awning"}}},
	)
}
