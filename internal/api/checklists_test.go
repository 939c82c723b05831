package api_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"dappertally/core/checklist"
)

// list reads a checklist version with its tag.
func (w *world) list(name string) (*checklist.Checklist, string) {
	w.t.Helper()
	r := w.must(200, "ines", "GET", "/api/v1/checklists/"+strings.Replace(name, "@", "/", 1), nil)
	var list checklist.Checklist
	r.into(w.t, &list)
	return &list, r.header.Get("ETag")
}

func path(list *checklist.Checklist) string {
	return fmt.Sprintf("/api/v1/checklists/%s/%d", list.Key, list.Version)
}

// draft adds the draft of the demo's third version.
func (w *world) draft() (*checklist.Checklist, string) {
	w.t.Helper()
	list, _ := w.list("workshop@2")
	list.Version, list.State = 3, checklist.Draft
	w.must(201, "marit", "POST", "/api/v1/checklists", list)
	return w.list("workshop@3")
}

func TestDraftOfTheNextVersion(t *testing.T) {
	w := newWorld(t, true)
	list, _ := w.list("workshop@2")
	list.State = checklist.Draft
	for version, status := range map[int]int{2: 409, 4: 422, 9: 422} {
		list.Version = version
		w.must(status, "marit", "POST", "/api/v1/checklists", list)
	}
	list.Version = 3
	w.must(403, "ines", "POST", "/api/v1/checklists", list)
	draft, tag := w.draft()
	list.Version = 4
	if r := w.must(409, "marit", "POST", "/api/v1/checklists", list); !strings.Contains(
		string(r.body), "draft workshop@3 exists already",
	) {
		t.Errorf("a second draft: %s", r.body)
	}

	// Two people edit at once: the second gets a conflict, and repeats the edit on the new version.
	draft.Title = "First of two"
	w.must(200, "marit", "PUT", path(draft), draft, "If-Match", tag)
	draft.Title = "Second of two"
	w.must(412, "marit", "PUT", path(draft), draft, "If-Match", tag)
	w.must(428, "marit", "PUT", path(draft), draft)
	draft, tag = w.list("workshop@3")
	if draft.Title != "First of two" {
		t.Errorf("the draft is called %q", draft.Title)
	}
	draft.Sections[0].Weight = -1
	w.must(422, "marit", "PUT", path(draft), draft, "If-Match", tag)
	draft.Sections[0].Weight, draft.State = 30, checklist.InForce
	w.must(200, "marit", "PUT", path(draft), draft, "If-Match", tag)
	draft, tag = w.list("workshop@3")
	w.must(409, "marit", "DELETE", path(draft), nil, "If-Match", tag)
	var d checklist.Difference
	w.must(200, "", "GET", path(draft)+"/difference/2", nil).into(t, &d)
	if len(d.Sections) != 4 || len(d.Criteria) != 0 || d.Sections[0].Sorts[0] != checklist.WeightChanged {
		t.Errorf("the difference: %+v", d)
	}
}

func TestRemoveDraft(t *testing.T) {
	w := newWorld(t, true)
	draft, tag := w.draft()
	w.must(403, "ines", "DELETE", path(draft), nil, "If-Match", tag)
	w.must(204, "marit", "DELETE", path(draft), nil, "If-Match", tag)
	w.must(404, "", "GET", path(draft), nil)
	w.draft()
}

// TestShownVersion: putting a version in force does not have to empty the ranking.
func TestShownVersion(t *testing.T) {
	w := newWorld(t, true)
	ranked := func() (string, int) {
		var r struct {
			Heading struct{ Checklist string }
			Ranking []any
		}
		w.must(200, "", "GET", "/api/v1/ranking", nil).into(t, &r)
		return r.Heading.Checklist, len(r.Ranking)
	}
	_, before := ranked()
	w.must(403, "ines", "PUT", "/api/v1/checklists/workshop/shown", map[string]int{"version": 2})
	w.must(200, "marit", "PUT", "/api/v1/checklists/workshop/shown", map[string]int{"version": 2})
	draft, tag := w.draft()
	w.must(409, "marit", "PUT", "/api/v1/checklists/workshop/shown", map[string]int{"version": 3})
	w.must(404, "marit", "PUT", "/api/v1/checklists/workshop/shown", map[string]int{"version": 7})
	draft.State = checklist.InForce
	w.must(200, "marit", "PUT", path(draft), draft, "If-Match", tag)
	if name, n := ranked(); name != "workshop@2" || n != before {
		t.Errorf("shown is %s with %d ranked, want workshop@2 with %d", name, n, before)
	}
	w.must(200, "marit", "PUT", "/api/v1/checklists/workshop/shown", map[string]int{"version": 0})
	if name, n := ranked(); name != "workshop@3" || n != 0 {
		t.Errorf("shown is %s with %d ranked, want workshop@3 with none", name, n)
	}
	// New reviews are made on the newest in force, whatever is shown.
	w.must(200, "marit", "PUT", "/api/v1/checklists/workshop/shown", map[string]int{"version": 2})
	var review struct{ Checklist string }
	w.must(201, "ines", "POST", "/api/v1/reviews", map[string]string{"edition": "ivybeck/5.4/hearthside"}).
		into(t, &review)
	if review.Checklist != "workshop@3" {
		t.Errorf("the review is made on %s", review.Checklist)
	}
}

func TestAudienceRevisions(t *testing.T) {
	w := newWorld(t, true)
	list, tag := w.list("workshop@2")
	at := path(list) + "/audiences/pensioner"
	change := func(sections map[string]float64) map[string]any {
		audience := map[string]any{"key": "pensioner", "title": "pensioners"}
		if sections != nil {
			audience["sections"] = sections
		}
		return map[string]any{"audience": audience, "reason": "asked for"}
	}
	first := func() string {
		var r struct{ Ranking []struct{ Edition string } }
		w.must(200, "", "GET", "/api/v1/ranking?audience=pensioner", nil).into(t, &r)
		return r.Ranking[0].Edition
	}
	before := first()
	w.must(403, "ines", "PUT", at, change(nil), "If-Match", tag)
	w.must(428, "marit", "PUT", at, change(nil))
	w.must(422, "marit", "PUT", at, change(map[string]float64{"luck": 1}), "If-Match", tag)
	w.must(422, "marit", "PUT", at, change(map[string]float64{"usability": -1}), "If-Match", tag)
	w.must(409, "marit", "PUT", path(list)+"/audiences/other", change(nil), "If-Match", tag)
	w.must(
		200,
		"marit",
		"PUT",
		at,
		change(map[string]float64{"performance": 100, "installation": 0, "software": 0, "usability": 0}),
		"If-Match",
		tag,
	)
	if after := first(); after == before {
		t.Errorf("%s leads with performance alone too", after)
	}
	w.must(412, "marit", "PUT", at, change(map[string]float64{"performance": 50}), "If-Match", tag)
	_, tag = w.list("workshop@2")
	w.must(204, "marit", "DELETE", at+"?reason=gone", nil, "If-Match", tag)
	w.must(404, "", "GET", "/api/v1/ranking?audience=pensioner", nil)
	var got struct {
		Revisions []struct {
			Revision int
			Dropped  bool
			Reason   string
			Person   string
			Audience checklist.Audience
		}
	}
	w.must(200, "", "GET", path(list)+"/audiences", nil).into(t, &got)
	own := slices.DeleteFunc(got.Revisions, func(r struct {
		Revision int
		Dropped  bool
		Reason   string
		Person   string
		Audience checklist.Audience
	}) bool {
		return r.Audience.Key != "pensioner"
	})
	if len(own) != 3 || own[0].Audience.Sections["usability"] != 45 || own[1].Person != "marit" || !own[2].Dropped ||
		own[2].Reason != "gone" {
		t.Errorf("revisions: %+v", own)
	}
}

func TestAdviceAndEffect(t *testing.T) {
	w := newWorld(t, true)
	list, _ := w.list("workshop@2")
	w.must(401, "", "POST", "/api/v1/checklists/advice", list)
	w.must(401, "", "POST", "/api/v1/checklists/effect", list)
	list.Sections[0].Criteria[1].Guidance, list.Sections[0].Criteria[1].Gate = "", number(100)
	var found struct {
		Advice []struct{ Pointer, Sort string }
	}
	w.must(200, "ines", "POST", "/api/v1/checklists/advice", list).into(t, &found)
	if !slices.ContainsFunc(
		found.Advice,
		func(a struct{ Pointer, Sort string }) bool { return a.Pointer == "/sections/0/criteria/1/guidance" },
	) {
		t.Errorf("missing guidance is not remarked on: %+v", found.Advice)
	}
	if !slices.ContainsFunc(found.Advice, func(a struct{ Pointer, Sort string }) bool { return a.Sort == "gate" }) {
		t.Error("the readings so far were not looked at")
	}
	// Sending the unchanged list changes nothing.
	var effect struct {
		TauB  float64
		Moves []struct{ Now, Then *int }
	}
	list, _ = w.list("workshop@2")
	w.must(200, "ines", "POST", "/api/v1/checklists/effect", list).into(t, &effect)
	if effect.TauB != 1 {
		t.Errorf("tau-b of the list with itself is %v", effect.TauB)
	}
	for _, m := range effect.Moves {
		if (m.Now == nil) != (m.Then == nil) || (m.Now != nil && *m.Now != *m.Then) {
			t.Errorf("an edition moves although nothing changes: %+v", m)
		}
	}
	list.Sections[0].Weight = -1
	w.must(422, "ines", "POST", "/api/v1/checklists/effect", list)
}

// TestDraftsAreTheTeams: readers cannot get a draft of a checklist by any request.
func TestDraftsAreTheTeams(t *testing.T) {
	w := newWorld(t, true)
	list, _ := w.list("workshop@2")
	list.Version, list.State = 3, checklist.Draft
	w.must(201, "marit", "POST", "/api/v1/checklists", list)
	name, version := list.Key, list.Version
	at := fmt.Sprintf("/api/v1/checklists/%s/%d", name, version)
	drafted := fmt.Sprintf("checklist=%s@%d", name, version)
	for _, path := range []string{
		at, at + "/rules", at + "/audiences", at + "/difference/1", "/api/v1/ranking?" + drafted,
		"/api/v1/exports/ranking?" + drafted, "/previews/ranking.png?" + drafted,
		"/report?edition=mossgate/12/hearthside&edition=gullhaven/5.2/hearthside&" + drafted,
	} {
		w.must(404, "", "GET", path, nil)
	}
	w.must(200, "ines", "GET", at, nil)
	if seen := string(w.must(200, "", "GET", "/api/v1/checklists", nil).body); strings.Contains(seen, `"draft"`) {
		t.Errorf("a reader is told of a draft: %s", seen)
	}
}
