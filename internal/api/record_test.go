package api_test

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"image"
	"image/png"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"

	"dappertally/internal/reviewing"
	"dappertally/internal/store"
)

// entry writes an entry and returns its id.
func (w *world) entry(
	status int,
	who, review string,
	part string,
	fields map[string]any,
	headers ...string,
) (string, *reply) {
	w.t.Helper()
	if fields["id"] == nil {
		fields["id"] = store.NewID()
	}
	id := fields["id"].(string)
	return id, w.must(
		status,
		who,
		"PUT",
		"/api/v1/reviews/"+review+"/entries/"+id,
		map[string]any{part: fields},
		headers...)
}

func TestRecordOfAReview(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	at := "/api/v1/reviews/" + review

	w.entry(401, "", review, "journal", map[string]any{"text": "day one"})
	w.entry(403, "perrin", review, "journal", map[string]any{"text": "day one"})
	finding := map[string]any{
		"sort":      "weakness",
		"title":     "The clock jumps after suspend",
		"severity":  "minor",
		"seen":      "sometimes",
		"sure":      "likely",
		"criterion": "suspend",
	}
	id, r := w.entry(200, "ines", review, "finding", finding)
	w.entry(200, "ines", review, "finding", finding) // again: no harm
	finding["severity"] = "major"
	w.entry(428, "ines", review, "finding", finding)
	w.entry(403, "tomas", review, "finding", finding, "If-Match", r.header.Get("ETag"))
	w.entry(200, "ines", review, "finding", finding, "If-Match", r.header.Get("ETag"))
	finding["severity"] = "blocking"
	w.entry(412, "ines", review, "finding", finding, "If-Match", r.header.Get("ETag"))
	w.entry(409, "ines", review, "journal", map[string]any{"id": id, "text": "under the finding's id"})

	for what, bad := range map[string]struct {
		part   string
		fields map[string]any
		says   string
	}{
		"severity missing":  {"finding", map[string]any{"sort": "weakness", "title": "x"}, "/finding/severity"},
		"strength severity": {"finding", map[string]any{"sort": "strength", "title": "x", "severity": "minor"}, "a strength has none"},
		"unknown criterion": {"finding", map[string]any{"sort": "quirk", "title": "x", "criterion": "nonsense"}, "no criterion"},
		"script as link":    {"finding", map[string]any{"sort": "quirk", "title": "x", "reported": []string{"javascript:alert(1)"}}, "/finding/reported/0"},
		"follows nothing":   {"finding", map[string]any{"sort": "quirk", "title": "x", "follows": store.NewID(), "fate": "fixed"}, "/finding/follows"},
		"claim unreasoned":  {"claim", map[string]any{"text": "fast", "by": "makers", "source": "their page", "state": "refuted"}, "/claim/reason"},
		"no such audience":  {"verdict", map[string]any{"audience": "pirates", "verdict": "recommended", "reason": "x"}, "/verdict/audience"},
		"no such edition":   {"verdict", map[string]any{"audience": "pensioner", "verdict": "recommended", "reason": "x", "alternatives": []string{"a/b/c"}}, "/verdict/alternatives/0"},
		"no such rig":       {"use", map[string]any{"days": 3, "rig": "bench-x"}, "/use/rig"},
		"no days":           {"use", map[string]any{"days": 0}, "/use/days"},
		"file not uploaded": {"evidence", map[string]any{"sha256": strings.Repeat("a", 64)}, "was uploaded"},
		"no such shot":      {"evidence", map[string]any{"link": "https://example.org/1", "shot": "moon"}, "/evidence/shot"},
		"time code":         {"evidence", map[string]any{"link": "https://example.org/1", "timeCode": "12:99"}, "/evidence/timeCode"},
		"future":            {"journal", map[string]any{"text": "x", "at": "2027-01-01T00:00:00Z"}, "/journal/at"},
		"empty change":      {"change", map[string]any{"component": "kernel", "source": "found", "effect": "better"}, "/change/is"},
	} {
		if _, r := w.entry(422, "ines", review, bad.part, bad.fields); !strings.Contains(string(r.body), bad.says) {
			t.Errorf("%s: the answer does not say %q: %s", what, bad.says, r.body)
		}
	}
	w.must(422, "ines", "PUT", at+"/entries/"+store.NewID(), map[string]any{})

	// A disclosure is there with the reviewer's first word, and readings name system states.
	w.entry(
		200,
		"ines",
		review,
		"system",
		map[string]any{"id": "s1", "rig": "bench-old", "installed": []string{"full disk encrypted"}},
	)
	w.record(
		422,
		"ines",
		review,
		map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 6}, "system": "s9"},
	)
	w.record(
		200,
		"ines",
		review,
		map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 6}, "system": "s1"},
	)
	state := w.must(200, "ines", "GET", at+"/entries", nil)
	for _, want := range []string{"Uses Kestrelby every day", "full disk encrypted", `"severity":"major"`} {
		if !strings.Contains(string(state.body), want) {
			t.Errorf("the record does not hold %s: %s", want, state.body)
		}
	}
	w.must(409, "ines", "DELETE", at+"/entries/s1", nil, "If-Match", "1")

	// Readers see the entries that an acceptance fixed, and none after it.
	w.must(404, "", "GET", at+"/entries", nil)
	w.move(200, "ines", review, "submitted", "a first look")
	w.move(200, "marit", review, "accepted", "")
	if r := w.must(200, "", "GET", at+"/entries", nil); !strings.Contains(string(r.body), `"severity":"major"`) {
		t.Errorf("readers do not see the finding: %s", r.body)
	}
	w.entry(200, "marit", review, "finding", finding, "If-Match", "2")
	if r := w.must(200, "", "GET", at+"/entries", nil); strings.Contains(string(r.body), "blocking") {
		t.Errorf("readers see what nobody accepted: %s", r.body)
	}
	w.must(204, "ines", "DELETE", at+"/entries/"+id, nil, "If-Match", "3")
	if r := w.must(200, "", "GET", at+"/entries", nil); !strings.Contains(string(r.body), "clock jumps") {
		t.Error("what was dropped after the acceptance is gone for readers at once")
	}
	w.move(200, "marit", review, "underway", "a finding was withdrawn")
	w.move(200, "ines", review, "submitted", "as before")
	w.move(200, "marit", review, "accepted", "")
	if r := w.must(200, "", "GET", at+"/entries", nil); strings.Contains(string(r.body), "clock jumps") {
		t.Error("what was dropped is still there after the next acceptance")
	}
}

func TestEvidence(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	put := func(status int, content string) string {
		sum := fmt.Sprintf("%x", sha256.Sum256([]byte(content)))
		w.must(status, "ines", "PUT", "/api/v1/files/"+sum, content)
		return sum
	}
	var drawn bytes.Buffer
	if err := png.Encode(&drawn, image.NewGray(image.Rect(0, 0, 40, 30))); err != nil {
		t.Fatal(err)
	}
	picture := put(200, drawn.String())
	for _, broken := range []string{put(200, drawn.String()[:drawn.Len()-20]), put(200, "\x89PNG\r\n\x1a\n and the rest of a picture")} {
		if _, r := w.entry(422, "ines", review, "evidence", map[string]any{"sha256": broken}); !strings.Contains(
			string(r.body), "the picture is damaged",
		) {
			t.Errorf("%s", r.body)
		}
	}
	page := put(200, "<html><script>alert(1)</script></html>")
	put(422, strings.Repeat("x", reviewing.LargestEvidence+1))
	for sum, want := range map[string]string{picture: "image/png", page: "text/plain"} {
		_, r := w.entry(
			200,
			"ines",
			review,
			"evidence",
			map[string]any{"sha256": sum, "type": "video/lies", "name": "what I say it is"},
		)
		if !strings.Contains(string(r.body), `"type":"`+want+`"`) {
			t.Errorf("the content is not told from itself: want %s in %s", want, r.body)
		}
		w.must(404, "", "GET", "/api/v1/files/"+sum, nil)
	}
	show := w.must(200, "ines", "GET", "/api/v1/files/"+picture, nil).header
	inert := w.must(200, "ines", "GET", "/api/v1/files/"+page, nil).header
	if show.Get("Content-Type") != "image/png" || show.Get("Content-Disposition") != "inline" ||
		!strings.Contains(show.Get("Content-Security-Policy"), "sandbox") {
		t.Errorf("a picture is served as %v", show)
	}
	if inert.Get("Content-Type") != "application/octet-stream" || inert.Get("Content-Disposition") != "attachment" {
		t.Errorf("a page is served as %v", inert)
	}
	w.move(200, "ines", review, "submitted", "a first look")
	w.move(200, "marit", review, "accepted", "")
	w.must(200, "", "GET", "/api/v1/files/"+picture, nil)
}

// TestHiddenGrades searches every answer of the service for a grade that a reviewer must not see yet.
func TestHiddenGrades(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	const telling = 7.3129 // a number that occurs nowhere else
	_, r := w.record(
		200,
		"ines",
		review,
		map[string]any{"criterion": "week-of-use", "note": "secretnote", "answer": map[string]any{"grade": telling}},
	)
	if !strings.Contains(string(r.body), "7.3129") {
		t.Fatal("the one who graded is not told")
	}
	w.record(
		200, "odile", review, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 2.2083}},
	)
	at := "/api/v1/reviews/" + review
	reads := w.everyRead(review)
	// The grade, its points, the mean of both, and the distance between them.
	secrets := []string{"7.3129", "73.129", "2.2083", "22.083", "47.606", "5.1046", "5.1 grades", "secretnote"}
	leaks := func(who string) (found []string) {
		for _, path := range reads {
			body := string(w.call(who, "GET", path, nil).body)
			for _, secret := range secrets {
				if says(body, secret) {
					found = append(found, path+" says "+secret)
				}
			}
		}
		return found
	}
	for _, who := range []string{"tomas", ""} {
		if found := leaks(who); len(found) > 0 {
			t.Errorf("%q sees grades of others: %v", who, found)
		}
	}
	var list struct {
		Readings []struct{ Criterion string }
		Hidden   []struct{ Criterion, Reviewer string }
	}
	w.must(200, "tomas", "GET", at+"/readings", nil).into(t, &list)
	if len(list.Readings) != 0 || len(list.Hidden) != 2 || list.Hidden[0].Reviewer != "ines" {
		t.Errorf("tomas is told %+v", list)
	}
	if found := leaks("marit"); len(found) == 0 {
		t.Error("the lead, who does not review, sees nothing")
	}
	// After giving their own grade a reviewer sees the other; a reason for giving none is not enough.
	w.record(
		200,
		"tomas",
		review,
		map[string]any{"criterion": "week-of-use", "answer": map[string]any{"notTested": "no time"}},
	)
	if found := leaks("tomas"); len(found) > 0 {
		t.Errorf("after saying not tested: %v", found)
	}
	w.record(200, "tomas", review, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 5}})
	if found := leaks("tomas"); len(found) == 0 {
		t.Error("tomas has graded and sees nothing")
	}
	if r := w.must(200, "tomas", "GET", at+"/open-items", nil); !strings.Contains(string(r.body), "differ by 5.1 grades") {
		t.Errorf("the distance is not told: %s", r.body)
	}
}

// says reports whether a text contains another that does not follow a digit.
func says(text, part string) bool {
	for {
		at := strings.Index(text, part)
		if at < 0 {
			return false
		}
		if at == 0 || text[at-1] < '0' || text[at-1] > '9' {
			return true
		}
		text = text[at+1:]
	}
}

// everyRead returns the addresses of all reads of the contract, filled in so that they answer, and of the reads outside
// it.
func (w *world) everyRead(review string) []string {
	w.t.Helper()
	doc, err := openapi3.NewLoader().LoadFromFile("../contract/openapi.yaml")
	if err != nil {
		w.t.Fatal(err)
	}
	var plan, bench struct {
		ID      string
		Session struct{ ID string }
	}
	w.must(201, "ines", "POST", "/api/v1/plans", map[string]any{
		"title": "All", "question": "Which?", "contenders": []map[string]any{{"edition": "ivybeck/5.4/hearthside"}, {"edition": "mossgate/12/hearthside"}}, "criteria": []string{"week-of-use"}, "rigs": []string{"bench-old"},
	}).into(w.t, &plan)
	w.must(201, "ines", "POST", "/api/v1/plans/"+plan.ID+"/sessions", map[string]any{"rig": "bench-old"}).
		into(w.t, &bench)
	w.must(201, "ines", "POST", "/api/v1/known-issues", map[string]any{"key": "some-issue", "title": "Some"})
	var proposal struct{ ID string }
	w.must(201, "ines", "POST", "/api/v1/proposals", map[string]any{"title": "Drop it", "reason": "why not", "edits": []map[string]any{{"drop": "price"}}}).
		into(w.t, &proposal)
	var hook struct{ ID string }
	w.must(201, "marit", "POST", "/api/v1/hooks", map[string]any{"url": "https://example.org/changes"}).into(w.t, &hook)
	ids := map[string]string{
		"hooks":     hook.ID,
		"reviews":   review,
		"plans":     plan.ID,
		"sessions":  bench.Session.ID,
		"proposals": proposal.ID,
	}
	values := map[string]string{
		"distribution": "mossgate", "release": "12", "edition": "hearthside", "rig": "bench-old", "checklist": "workshop", "version": "2", "older": "1",
		"criterion": "week-of-use", "issue": "some-issue", "audience": "pensioner", "mapping": "some-mapping", "line": "hearthside",
		"person": "marit",
	}
	values["report"] = "some-report"
	spec := map[string]any{
		"title":    "Some",
		"editions": []string{"mossgate/12/hearthside", "gullhaven/5.2/hearthside"},
		"parts": []map[string]any{
			{"id": "measures", "kind": "measures"},
			{"id": "findings", "kind": "findings"},
			{"id": "caveats", "kind": "caveats"},
		},
	}
	w.must(201, "marit", "POST", "/api/v1/reports", map[string]any{"key": "some-report", "spec": spec})
	w.must(201, "marit", "POST", "/api/v1/reports/some-report/revisions", nil, "If-Match", "1")
	w.must(
		201,
		"marit",
		"POST",
		"/api/v1/reports/some-report/correction",
		map[string]any{"what": "A word.", "why": "It was wrong."},
	)
	w.must(
		200,
		"ines",
		"PUT",
		"/api/v1/mappings/some-mapping",
		map[string]any{
			"name":   "some-mapping",
			"form":   "csv",
			"fields": map[string]any{"answer": map[string]any{"column": "x"}},
		},
	)
	paths := []string{
		"/report?edition=mossgate/12/hearthside&edition=gullhaven/5.2/hearthside",
		"/reports/some-report",
		"/reports.atom",
		"/api/v1/reports/some-report/draft/page",
		"/api/v1/archive",
		"/calendar.ics",
		"/api/v1/reviews?limit=1000",
	}
	for _, what := range []string{"readings", "reviews", "scorecards", "points", "ranking", "bundle"} {
		paths = append(paths, "/api/v1/exports/"+what+"?form=json", "/api/v1/exports/"+what+"?form=csv")
	}
	for path, item := range doc.Paths.Map() {
		if item.Get == nil {
			continue
		}
		at := path
		for name := strings.Index(at, "{"); name >= 0; name = strings.Index(at, "{") {
			end := strings.Index(at, "}")
			value := values[at[name+1:end]]
			if at[name+1:end] == "id" {
				value = ids[strings.Split(at, "/")[1]]
			}
			if value == "" {
				w.t.Fatalf("%s: nothing to fill in for %s", path, at[name:end+1])
			}
			at = at[:name] + value + at[end+1:]
		}
		switch at {
		case "/audit":
			at += "?sort=review&subject=" + review // which a lead may see
		case "/comparison":
			at += "?edition=mossgate/12/hearthside&edition=gullhaven/5.2/hearthside"
		case "/groups":
			at += "?attribute=desktop&a=Hearthside&b=Pebbledash"
		case "/search":
			at += "?find=mossgate"
		case "/measurements":
			at += "?review=" + review
		}
		paths = append(paths, "/api/v1"+at)
		// The lead sees everything, a reviewer their own drafts: without an answer the look would see nothing.
		who := "marit"
		switch {
		case strings.HasSuffix(at, "/drafts"):
			who = "tomas"
		case at == "/sign-in-rules", at == "/operations":
			who = "perrin"
		}
		w.must(200, who, "GET", "/api/v1"+at, nil)
	}
	if len(paths) < 35 {
		w.t.Errorf("only %d reads were found", len(paths))
	}
	return paths
}

func TestSecondPairOfEyes(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	w.must(
		403,
		"ines",
		"PUT",
		"/api/v1/policy",
		map[string]any{"secondReviewer": "required", "retestDays": 90},
		"If-Match",
		"1",
	)
	w.must(428, "marit", "PUT", "/api/v1/policy", map[string]any{"secondReviewer": "required", "retestDays": 90})
	w.must(
		422,
		"marit",
		"PUT",
		"/api/v1/policy",
		map[string]any{"secondReviewer": "perhaps", "retestDays": 0},
		"If-Match",
		"1",
	)

	// odile reviews and leads here.
	both := w.promote("odile")
	alone := func(edition string, status int) {
		review := w.planned(both, edition)
		w.record(200, both, review, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 6}})
		w.move(200, both, review, "submitted", "a first look")
		w.move(status, both, review, "accepted", "")
		var got struct {
			Alone bool
			State string
		}
		w.must(200, "marit", "GET", "/api/v1/reviews/"+review, nil).into(t, &got)
		if got.Alone != (status == 200) {
			t.Errorf("%s: %+v", edition, got)
		}
		if status == 200 {
			return
		}
		w.move(200, "marit", review, "accepted", "")
		w.must(200, "", "GET", "/api/v1/reviews/"+review, nil).into(t, &got)
		if got.Alone {
			t.Error("somebody else accepted it, and it is called alone")
		}
	}
	alone("ivybeck/5.4/hearthside", 200) // advised: said in public
	w.must(
		200,
		"marit",
		"PUT",
		"/api/v1/policy",
		map[string]any{"secondReviewer": "required", "retestDays": 90},
		"If-Match",
		"1",
	)
	alone("mossgate/12/hearthside", 409)
}

func TestKnownIssues(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	w.must(
		201,
		"ines",
		"POST",
		"/api/v1/known-issues",
		map[string]any{
			"key":       "wifi-sleep",
			"title":     "Wireless is gone after suspend",
			"origin":    "driver",
			"component": "brine wireless driver",
		},
	)
	w.must(409, "ines", "POST", "/api/v1/known-issues", map[string]any{"key": "wifi-sleep", "title": "Again"})
	w.entry(
		422,
		"ines",
		review,
		"finding",
		map[string]any{"sort": "weakness", "title": "Wireless lost", "severity": "major", "trouble": "no-such"},
	)
	w.entry(
		200,
		"ines",
		review,
		"finding",
		map[string]any{"sort": "weakness", "title": "Wireless lost", "severity": "major", "trouble": "wifi-sleep"},
	)
	r := w.must(200, "tomas", "GET", "/api/v1/known-issues/wifi-sleep", nil)
	if !strings.Contains(string(r.body), "Wireless lost") {
		t.Errorf("the knownIssue does not know its case: %s", r.body)
	}
	w.must(
		200,
		"tomas",
		"PUT",
		"/api/v1/known-issues/wifi-sleep",
		map[string]any{
			"key":        "wifi-sleep",
			"title":      "Wireless is gone after suspend",
			"workaround": "reload the driver",
		},
		"If-Match",
		r.header.Get("ETag"),
	)
	w.must(
		412,
		"ines",
		"PUT",
		"/api/v1/known-issues/wifi-sleep",
		map[string]any{"key": "wifi-sleep", "title": "x"},
		"If-Match",
		r.header.Get("ETag"),
	)
	w.must(404, "", "GET", "/api/v1/known-issues/wifi-sleep", nil) // its only case is not accepted
}
