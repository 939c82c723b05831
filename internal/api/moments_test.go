package api_test

import (
	"net/url"
	"strings"
	"testing"
	"time"

	"dappertally/internal/store"
)

// A point in time that does not exist is refused by every operation. A day that no calendar has once caused an internal
// error, and the zero time of programs was taken as now.
func TestMomentsThatDoNotExist(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	before := string(w.must(200, "ines", "GET", "/api/v1/reviews/"+review+"/readings", nil).body)
	for _, at := range []string{
		"2026-02-29T10:00:00Z", "2026-04-31T10:00:00Z", "2026-04-30T10:00:60Z", "2026-04-30T24:00:00Z", "0001-01-01T00:00:00Z", "0001-01-01T00:00:00+14:00", "1969-12-31T23:59:59Z",
		"2026-04-30", "2026-04-30 10:00", "yesterday", "",
	} {
		r := w.must(
			422,
			"ines",
			"PUT",
			"/api/v1/reviews/"+review+"/readings/"+store.NewID(),
			map[string]any{"criterion": "week-of-use", "at": at, "answer": map[string]any{"grade": 7}},
		)
		if text := string(r.body); !strings.Contains(text, "is not a time such as 2026-04-30T09:00:00Z") ||
			strings.Contains(text, "pattern") {
			t.Errorf("%q: %s", at, text)
		}
		w.entry(422, "ines", review, "journal", map[string]any{"text": "day one", "at": at})
		if at != "" { // left out
			w.must(422, "", "GET", "/api/v1/ranking?at="+url.QueryEscape(at), nil)
		}
	}
	if after := string(w.must(200, "ines", "GET", "/api/v1/reviews/"+review+"/readings", nil).body); after != before {
		t.Errorf("something was recorded: %s", after)
	}
	for _, at := range []string{"2024-02-29T10:00:00Z", "2026-04-30T10:00:00.123456+05:30"} {
		w.record(
			200,
			"ines",
			review,
			map[string]any{"criterion": "week-of-use", "at": at, "answer": map[string]any{"grade": 7}},
		)
	}
}

// Messages about values that do not fit the contract name the value and what is accepted.
func TestWording(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	at := "/api/v1/reviews/" + review + "/readings/" + store.NewID()
	for _, c := range []struct {
		method, path string
		body         any
		says         string
	}{
		{"PUT", at, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": "x"}}, `answer.grade must be a number, not \"x\"`},
		{"PUT", at, map[string]any{"criterion": "wireless", "answer": map[string]any{"check": "perhaps"}}, `must be works, workaround or fails, not \"perhaps\"`},
		{"PUT", at, map[string]any{"answer": map[string]any{"grade": 7}}, "criterion is missing"},
		{"PUT", at, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 11}}, "grade must be between 0 and 10, not 11"},
		{"PUT", at, `{"criterion"`, "is not valid JSON"},
		{"GET", "/api/v1/ranking?rigWeight=bench-old:2", nil, "such as KEY=2"},
		{"GET", "/api/v1/ranking?desktpo=Awning", nil, "desktpo is an unknown parameter"},
		{"GET", "/api/v1/rankings", nil, "/api/v1/rankings"},
	} {
		r := w.call("ines", c.method, c.path, c.body)
		text := string(r.body)
		if r.status < 400 || r.status >= 500 || !strings.Contains(text, c.says) {
			t.Errorf("%s %s %v: %d %s", c.method, c.path, c.body, r.status, text)
		}
		for _, machinery := range []string{"schema", "regexp", "json:", "allowed values", "doesn't match"} {
			if strings.Contains(text, machinery) {
				t.Errorf("%s %s %v shows machinery: %s", c.method, c.path, c.body, text)
			}
		}
	}
}

// TestStandingClock: the demo's clock stands still, while machines measure by the real one. A time that is later than
// both is refused.
func TestStandingClock(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	record := func(status int, at time.Time) {
		t.Helper()
		text := at.UTC().Format(time.RFC3339)
		_, r := w.record(status, "ines", review,
			map[string]any{"criterion": "week-of-use", "at": text, "answer": map[string]any{"grade": 7}})
		w.entry(status, "ines", review, "journal", map[string]any{"text": "day one", "at": text})
		if status == 422 && !strings.Contains(string(r.body), "is in the future") {
			t.Errorf("%s: %s", text, r.body)
		}
	}
	record(422, later(today, time.Now()).Add(time.Hour))
	record(200, later(today, time.Now()))
}

func later(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}
