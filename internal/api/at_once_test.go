package api_test

import (
	"crypto/sha256"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"

	"dappertally/internal/store"
)

// atOnce runs n calls together and counts their statuses.
func atOnce(n int, call func(i int) int) map[int]int {
	var wg sync.WaitGroup
	var mu sync.Mutex
	statuses := map[int]int{}
	for i := range n {
		wg.Go(func() {
			s := call(i)
			mu.Lock()
			statuses[s]++
			mu.Unlock()
		})
	}
	wg.Wait()
	return statuses
}

// TestManyAtOnce has many clients do the same at the same moment: one succeeds, the others get a clear answer, and
// nothing exists twice.
func TestManyAtOnce(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	at := "/api/v1/reviews/" + review
	id, _ := w.entry(200, "ines", review, "journal", map[string]any{"text": "day one"})
	got := atOnce(6, func(i int) int {
		return w.call(
			"ines",
			"PUT",
			at+"/entries/"+id,
			map[string]any{"journal": map[string]any{"id": id, "text": fmt.Sprint("in other words ", i)}},
			"If-Match",
			"1",
		).status
	})
	if got[200] != 1 || got[412] != 5 {
		t.Errorf("six corrections at once: %v", got)
	}
	same := store.NewID()
	got = atOnce(6, func(int) int {
		return w.call(
			"ines",
			"PUT",
			at+"/entries/"+same,
			map[string]any{"journal": map[string]any{"id": same, "text": "day two", "at": "2026-11-20T09:00:00Z"}},
		).status
	})
	if got[200] != 6 {
		t.Errorf("the same entry sent six times: %v", got)
	}
	var entries struct{ Entries []struct{ Revision int } }
	w.must(200, "ines", "GET", at+"/entries", nil).into(t, &entries)
	if len(entries.Entries) != 3 { // two, and the disclosure
		t.Errorf("%d entries are there", len(entries.Entries))
	}

	// A disclosure is written once, however many first words there are at once.
	other := w.planned("tomas", "mossgate/12/hearthside")
	atOnce(6, func(i int) int {
		return w.call(
			"ines",
			"PUT",
			"/api/v1/reviews/"+other+"/readings/"+store.NewID(),
			map[string]any{"criterion": "firewall", "answer": map[string]any{"level": "on"}},
		).status
	})
	if r := w.must(200, "ines", "GET", "/api/v1/reviews/"+other+"/entries", nil); strings.Count(
		string(r.body), "Uses Kestrelby",
	) != 1 {
		t.Errorf("the disclosure stands there %d times", strings.Count(string(r.body), "Uses Kestrelby"))
	}

	// The same request of many people at once is one request with as many requesters.
	people := []string{"ines", "tomas", "odile", "marit", "perrin"}
	got = atOnce(len(people), func(i int) int {
		return w.call(
			people[i], "POST", "/api/v1/requests", map[string]any{"subject": "gullhaven/5.2/pebbledash"},
		).status
	})
	x := w.inQueue("gullhaven/5.2/pebbledash")
	if got[201] != len(people) || x == nil || x.Request == nil || len(x.Request.RequestedBy) != len(people) {
		t.Errorf("%v; the request is %+v", got, x)
	}

	// Two leads put the queue in order at once.
	items, tag := w.queue()
	got = atOnce(4, func(i int) int {
		return w.call(
			"marit",
			"PUT",
			"/api/v1/queue/order",
			map[string]any{"subjects": []string{"gullhaven/5.2/pebbledash", items[len(items)-1-i].Subject}},
			"If-Match",
			tag,
		).status
	})
	if got[204] != 1 || got[412] != 3 {
		t.Errorf("four orders at once: %v", got)
	}

	// The same file from many at once is kept once.
	content := strings.Repeat("a log ", 100_000)
	sum := fmt.Sprintf("%x", sha256.Sum256([]byte(content)))
	got = atOnce(4, func(int) int { return w.call("ines", "PUT", "/api/v1/files/"+sum, content).status })
	if got[200] != 4 {
		t.Errorf("the same file four times: %v", got)
	}

	// A rename and readings at once: nothing is lost.
	got = atOnce(8, func(i int) int {
		if i == 3 {
			return w.call(
				"marit",
				"POST",
				"/api/v1/renamed",
				map[string]any{"sort": "rig", "key": "bench-old", "to": "bench-oldest"},
			).status
		}
		return w.call(
			"tomas",
			"PUT",
			"/api/v1/reviews/"+other+"/readings/"+store.NewID(),
			map[string]any{
				"criterion": "cold-start",
				"rig":       "bench-old",
				"answer":    map[string]any{"runs": []int{20 + i}},
			},
		).status
	})
	if got[200] != 8 {
		t.Errorf("readings and a rename at once: %v", got)
	}
	if r := w.must(200, "tomas", "GET", "/api/v1/reviews/"+other+"/readings", nil); strings.Count(
		string(r.body),
		`"bench-oldest"`,
	) != 7 {
		t.Errorf("%d readings are on the rig", strings.Count(string(r.body), `"bench-oldest"`))
	}
}

// TestFilesWithoutHash accepts a file from a client that cannot compute its hash.
func TestFilesWithoutHash(t *testing.T) {
	w := newWorld(t, false)
	var kept struct {
		SHA256 string
		Size   int
	}
	w.must(200, "ines", "POST", "/api/v1/files", "a log").into(t, &kept)
	if kept.SHA256 != fmt.Sprintf("%x", sha256.Sum256([]byte("a log"))) || kept.Size != 5 {
		t.Errorf("kept as %+v", kept)
	}
	w.must(200, "ines", "POST", "/api/v1/files", "a log")
	w.must(401, "", "POST", "/api/v1/files", "a log")
	w.must(403, "perrin", "POST", "/api/v1/files", "a log")
	if r := w.must(200, "tomas", "GET", "/api/v1/files/"+kept.SHA256, nil); string(r.body) != "a log" ||
		!strings.HasPrefix(r.header.Get("Cache-Control"), "private") {
		t.Errorf("%q, %v", r.body, r.header)
	}
	w.must(http.StatusNotFound, "", "HEAD", "/api/v1/files/"+kept.SHA256, nil)
}

// TestRevisits continues an accepted review: its readings count until the revisit replaces them, and the system states
// can be named.
func TestRevisits(t *testing.T) {
	w := newWorld(t, true)
	first := w.planned("ines", "ivybeck/5.4/hearthside")
	w.entry(200, "ines", first, "system", map[string]any{"id": "s1", "note": "fresh"})
	id, _ := w.record(
		200, "ines", first, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 4}},
	)
	w.move(200, "ines", first, "submitted", "a first look")
	w.move(200, "marit", first, "accepted", "")
	w.must(
		422, "ines", "POST", "/api/v1/reviews", map[string]any{"edition": "mossgate/12/hearthside", "continues": first},
	)
	var again struct{ ID string }
	w.must(201, "ines", "POST", "/api/v1/reviews", map[string]any{"edition": "ivybeck/5.4/hearthside", "continues": first}).
		into(t, &again)
	w.record(
		422,
		"ines",
		again.ID,
		map[string]any{"criterion": "firewall", "answer": map[string]any{"level": "on"}, "system": "s7"},
	)
	w.record(
		200,
		"ines",
		again.ID,
		map[string]any{"criterion": "firewall", "answer": map[string]any{"level": "on"}, "system": "s1"},
	)
	r := w.must(200, "ines", "GET", "/api/v1/reviews/"+again.ID+"/open-items", nil)
	if strings.Contains(string(r.body), "A week of daily use") || !strings.Contains(string(r.body), "Telemetry") {
		t.Errorf("what the review before says is asked again: %s", r.body)
	}
	w.record(
		200,
		"ines",
		again.ID,
		map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 8}, "replaces": id},
	)
	var card struct {
		Scorecard struct {
			Criteria []struct {
				Key    string
				Points *float64
			}
		}
	}
	w.must(200, "ines", "GET", "/api/v1/reviews/"+again.ID+"/scorecard", nil).into(t, &card)
	for _, c := range card.Scorecard.Criteria {
		if c.Key == "week-of-use" && (c.Points == nil || *c.Points != 80) {
			t.Errorf("after the revisit: %+v", c)
		}
	}
}

// TestFates follows a finding through later releases.
func TestFates(t *testing.T) {
	w := newWorld(t, true)
	var older string
	var list struct {
		Reviews []struct{ ID, Edition, Checklist string }
	}
	w.must(200, "ines", "GET", "/api/v1/reviews?limit=1000", nil).into(t, &list)
	for _, r := range list.Reviews {
		if r.Edition == "quaymark/22.0/latchwork" && r.Checklist == "workshop@2" {
			older = r.ID
		}
	}
	var underway string
	for _, r := range list.Reviews {
		if r.Edition == "quaymark/22.1/latchwork" {
			underway = r.ID
		}
	}
	var beside struct {
		Edition  string
		Readings []struct{ Criterion string }
		Records  []struct{ Criterion string }
		Findings []struct {
			Finding    struct{ ID, Title string }
			FollowedBy string
		}
	}
	w.must(200, "tomas", "GET", "/api/v1/reviews/"+underway+"/beside", nil).into(t, &beside)
	if beside.Edition != "quaymark/22.0/latchwork" || len(beside.Findings) != 3 || len(beside.Readings) == 0 ||
		len(beside.Records) == 0 {
		t.Fatalf(
			"beside the desk stand %s, %d findings, %d readings, %d records",
			beside.Edition,
			len(beside.Findings),
			len(beside.Readings),
			len(beside.Records),
		)
	}
	was := beside.Findings[0].Finding
	w.entry(
		200,
		"tomas",
		underway,
		"finding",
		map[string]any{"sort": "strength", "title": was.Title + ", no more", "follows": was.ID, "fate": "fixed"},
	)
	w.must(200, "tomas", "GET", "/api/v1/reviews/"+underway+"/beside", nil).into(t, &beside)
	if beside.Findings[0].FollowedBy == "" {
		t.Error("the finding still waits")
	}
	if r := w.must(200, "", "GET", "/api/v1/reviews/"+older+"/entries", nil); strings.Contains(
		string(r.body),
		`"fate":"fixed"`,
	) {
		t.Error("readers are told a fate that nobody accepted")
	}
	w.move(200, "tomas", underway, "submitted", "the rest follows")
	w.move(200, "marit", underway, "accepted", "")
	if r := w.must(200, "", "GET", "/api/v1/reviews/"+older+"/entries", nil); !strings.Contains(
		string(r.body),
		`"edition":"quaymark/22.1/latchwork","fate":"fixed"`,
	) {
		t.Errorf("the fate is not told: %s", r.body)
	}
}
