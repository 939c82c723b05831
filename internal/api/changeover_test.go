package api_test

import (
	"slices"
	"strings"
	"testing"

	"dappertally/core/checklist"
)

type changeover struct {
	Newer         string
	Ranked, Moved int
	Share         float64
}

type rankingNow struct {
	Heading struct {
		Checklist  string
		Changeover changeover
	}
	Ranking, Provisional []struct{ Edition string }
	Nobody               string
}

func (w *world) rankingNow(query string) (r rankingNow) {
	w.t.Helper()
	w.must(200, "", "GET", "/api/v1/ranking"+query, nil).into(w.t, &r)
	return r
}

// reweighted puts a third version in force that asks everything as the second does, with other weights of two sections,
// another curve, and one criterion less.
func (w *world) reweighted() {
	w.t.Helper()
	list, _ := w.list("workshop@2")
	list.Version = 3
	list.Sections[0].Weight, list.Sections[1].Weight = 25, 20
	start, _ := list.Criterion("cold-start")
	start.Curve.Poor = 80
	last := &list.Sections[3]
	last.Criteria = slices.DeleteFunc(last.Criteria, func(c checklist.Criterion) bool { return c.Key == "week-of-use" })
	for i := range list.Audiences {
		delete(list.Audiences[i].Criteria, "week-of-use")
		delete(list.Audiences[i].Gates, "week-of-use")
	}
	w.must(201, "marit", "POST", "/api/v1/checklists", list)
}

// carriedOver is the answer to carrying reviews over.
type carriedOver struct {
	Carried []struct {
		Edition, Review     string
		Unchanged, Accepted bool
		Dropped, New        []string
		Was, Is             struct{ Overall, Coverage float64 }
	}
}

// check checks a preview: unchanged reviews come first, each with what it loses.
func (m *carriedOver) check(t *testing.T) {
	t.Helper()
	changed := false
	for i, c := range m.Carried {
		changed = changed || !c.Unchanged
		if c.Unchanged && changed {
			t.Errorf("%s is unchanged and stands below one that is not", c.Edition)
		}
		if c.Review != "" || c.Accepted != c.Unchanged {
			t.Errorf("%d %+v", i, c)
		}
		if c.Unchanged && (c.Is.Coverage == 0 || c.Is.Overall == c.Was.Overall) {
			t.Errorf("%s: was %+v, is %+v", c.Edition, c.Was, c.Is)
		}
		if c.Edition == "gullhaven/5.2/hearthside" && !slices.Contains(c.Dropped, "week-of-use") {
			t.Errorf("it loses %v", c.Dropped)
		}
	}
	if len(m.Carried) < 25 || !changed {
		t.Fatalf("%d reviews; some change: %v", len(m.Carried), changed)
	}
}

// A version that was put in force once moved the public ranking to itself at once, although no review used it yet, and
// every review had to be submitted and accepted one by one.
func TestChangeover(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	before := w.rankingNow("")
	w.reweighted()
	now := w.rankingNow("")
	if now.Heading.Checklist != "workshop@2" || len(now.Ranking) != len(before.Ranking) || len(now.Ranking) < 15 {
		t.Fatalf("shown is %s with %d ranked, %d before", now.Heading.Checklist, len(now.Ranking), len(before.Ranking))
	}
	if c := now.Heading.Changeover; c.Newer != "workshop@3" || c.Ranked != len(now.Ranking) || c.Moved != 0 ||
		c.Share != 0 {
		t.Errorf("changeover %+v", c)
	}
	if r := w.rankingNow("?checklist=workshop@3"); len(r.Ranking) != 0 ||
		!strings.Contains(r.Nobody, "no review on workshop@3 is accepted yet") {
		t.Errorf("on the new version: %d, %q", len(r.Ranking), r.Nobody)
	}
	if r := w.must(200, "", "GET", "/api/v1/exports/ranking?checklist=workshop@3", nil); !strings.Contains(
		r.header.Get("Dtally-Note"), "No edition is ranked",
	) {
		t.Errorf("an empty export says %q", r.header.Get("Dtally-Note"))
	}
	if r := w.rankingNow("?desktop=Awning&distribution=gullhaven"); !strings.Contains(r.Nobody, "matches the filter") {
		t.Errorf("an empty group: %q", r.Nobody)
	}

	// Half of them are enough for it to be shown.
	w.must(422, "marit", "PUT", "/api/v1/checklists/workshop/shown", map[string]any{"version": 2, "share": 1.5})
	w.must(403, "ines", "PUT", "/api/v1/checklists/workshop/shown", map[string]any{"version": 2, "share": 0.5})
	w.must(200, "marit", "PUT", "/api/v1/checklists/workshop/shown", map[string]any{"version": 2, "share": 0.5})
	if c := w.rankingNow("").Heading.Changeover; c.Share != 0.5 {
		t.Errorf("changeover %+v", c)
	}

	all := map[string]any{"to": "workshop@3", "accept": true}
	w.must(403, "ines", "POST", "/api/v1/carried-reviews", all)
	var trial, done carriedOver
	w.must(200, "marit", "POST", "/api/v1/carried-reviews", map[string]any{"to": "workshop@3", "accept": true, "trial": true}).
		into(t, &trial)
	trial.check(t)
	if w.rankingNow("").Heading.Changeover.Moved != 0 {
		t.Error("a trial carried something over")
	}

	// One review is carried over by hand before, and is accepted with the others.
	one := w.standing("gullhaven/5.2/hearthside")
	w.must(200, "ines", "POST", "/api/v1/carried-reviews", map[string]any{"to": "workshop@3", "reviews": []string{one}}).
		into(t, &done)
	waiting := done.Carried[0].Review
	w.must(200, "marit", "POST", "/api/v1/carried-reviews", map[string]any{"to": "workshop@3", "accept": true, "unchanged": true}).
		into(t, &done)
	accepted := 0
	for _, c := range done.Carried {
		if !c.Accepted || c.Review == "" {
			t.Errorf("%+v", c)
		}
		if c.Edition == "gullhaven/5.2/hearthside" && c.Review != waiting {
			t.Errorf("the one that waited became another: %s", c.Review)
		}
		accepted++
	}
	after := w.rankingNow("")
	if after.Heading.Checklist != "workshop@3" || len(after.Ranking) < len(before.Ranking)/2 ||
		after.Heading.Changeover.Newer != "" {
		t.Errorf(
			"shown is %s with %d ranked of %d accepted, changeover %+v",
			after.Heading.Checklist,
			len(after.Ranking),
			accepted,
			after.Heading.Changeover,
		)
	}
	// Earlier moments still show what was shown then.
	if r := w.must(200, "", "GET", "/api/v1/ranking?at=2026-06-01T00:00:00Z", nil); !strings.Contains(
		string(r.body),
		`"checklist":"workshop@2"`,
	) {
		t.Errorf("on 1 June: %.300s", r.body)
	}
}

// standing is the id of the current review of an edition.
func (w *world) standing(edition string) string {
	w.t.Helper()
	var all struct {
		Reviews []struct{ ID, Checklist, State string }
	}
	w.must(200, "marit", "GET", "/api/v1/reviews?edition="+edition, nil).into(w.t, &all)
	for _, r := range all.Reviews {
		if r.State == "accepted" && r.Checklist == "workshop@2" {
			return r.ID
		}
	}
	w.t.Fatalf("no review of %s stands", edition)
	return ""
}
