package api_test

import (
	"fmt"
	"testing"
)

// TestRankingFirst: the first editions are the first ones of the whole ranking with the same weights.
func TestRankingFirst(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	type standings struct {
		Counts  struct{ Ranked, Provisional, Barred, Elsewhere int }
		Ranking []struct {
			Edition            string
			Name               struct{ Distribution, Release, Edition string }
			Rank               int
			Overall, Low, High float64
			DeadHeat           bool
			DecidedBy          string
		}
	}
	for _, question := range []string{
		"", "&audience=pensioner", "&sectionWeight=performance=70", "&sectionWeight=performance=0&criterionWeight=wireless=9",
		"&newest=true", "&ground=true", "&rigWeight=bench-old=1&at=2026-06-01T00:00:00Z",
	} {
		for _, limit := range []int{1, 5, 200} {
			var first, whole standings
			w.must(200, "", "GET", fmt.Sprintf("/api/v1/ranking/first?limit=%d%s", limit, question), nil).
				into(t, &first)
			w.must(200, "", "GET", fmt.Sprintf("/api/v1/ranking?limit=%d%s", limit, question), nil).into(t, &whole)
			if got, want := fmt.Sprint(first), fmt.Sprint(whole); got != want {
				t.Errorf("%q, %d: %s, want %s", question, limit, got, want)
			}
		}
	}
	for _, bad := range []string{"limit=0", "limit=201", "sectionWeight=luck=3", "sectionWeight=performance=-1", "audience=nobody"} {
		if r := w.call("", "GET", "/api/v1/ranking/first?"+bad, nil); r.status < 400 || r.status > 422 {
			t.Errorf("%s: %d", bad, r.status)
		}
	}
}
