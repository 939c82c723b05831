package api_test

import (
	"archive/tar"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"encoding/xml"
	"errors"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"dappertally/core/bundle"
	"dappertally/core/reporting"
	"dappertally/internal/access"
	"dappertally/internal/api"
	"dappertally/internal/dbtest"
	"dappertally/internal/people"
	"dappertally/internal/service"
)

// written is a report on three editions of the demo.
func written(text string) map[string]any {
	return map[string]any{
		"title": "Old laptops", "about": "Three editions on the old laptop.", "audiences": []string{"old-laptop", ""},
		"editions": []string{"gullhaven/5.2/hearthside", "bramblewick/7.0/hearthside", "kestrelby/3.1/pebbledash"},
		"parts": []map[string]any{
			{
				"id":   "summary",
				"kind": "summary",
				"text": text,
			}, {"id": "ranking", "kind": "ranking"}, {"id": "sureness", "kind": "sureness"},
			{
				"id":   "measures",
				"kind": "measures",
			}, {"id": "findings", "kind": "findings"}, {"id": "releases", "kind": "releases"}, {"id": "caveats", "kind": "caveats"},
		},
	}
}

type reportView struct {
	Key       string
	Number    int
	Drafted   bool
	Revisions []struct {
		Revision int
		Seal     string
		Erratum  *reporting.Erratum
		Files    []struct{ Name, Sha256, Address string }
	}
}

// file fetches a form of a revision by its address and checks its hash.
func (w *world) file(r *reportView, revision int, name string) []byte {
	w.t.Helper()
	for _, x := range r.Revisions {
		for _, f := range x.Files {
			if x.Revision == revision && f.Name == name {
				got := w.must(200, "", "GET", f.Address, nil)
				if sum := sha256.Sum256(got.body); hex.EncodeToString(sum[:]) != f.Sha256 ||
					!strings.Contains(got.header.Get("Cache-Control"), "immutable") {
					w.t.Errorf("%s is not what its address says, or may change: %v", f.Address, got.header)
				}
				return got.body
			}
		}
	}
	w.t.Fatalf("revision %d has no %s", revision, name)
	return nil
}

// The report that the steps below write, publish and correct.
const (
	at    = "/api/v1/reports/old-laptops"
	sound = "{leader} leads with {score gullhaven/5.2/hearthside} points."
)

// reported is a report from its first draft to its correction.
type reported struct {
	*world
	published *reportView
}

// TestReports takes the steps one by one; each needs those before.
func TestReports(t *testing.T) {
	t.Parallel()
	s := &reported{newWorld(t, true), &reportView{}}
	for _, step := range []struct {
		says string
		do   func(*testing.T)
	}{
		{"begin", s.begin},
		{"write", s.write},
		{"asks for what is there", s.asksForWhatIsThere},
		{"publish", s.publish},
		{"says no more than its page", s.saysNoMoreThanItsPage},
		{"the same as the ranking", s.theSameAsTheRanking},
		{"the data moves", s.theDataMoves},
		{"correct", s.correct},
		{"schema", s.schema},
		{"feed", s.feed},
		{"list", s.list},
		{"archive", func(t *testing.T) { archived(t, s.world) }},
	} {
		t.Run(step.says, step.do)
	}
}

func (s *reported) begin(t *testing.T) {
	w := s.world
	body := map[string]any{
		"key":         "old-laptops",
		"series":      "bench-notes",
		"seriesTitle": "Notes from the bench",
		"spec":        written("Almost {scor x} and 84.1 points."),
	}
	w.must(401, "", "POST", "/api/v1/reports", body)
	w.must(403, "perrin", "POST", "/api/v1/reports", body)
	var r reportView
	w.must(201, "ines", "POST", "/api/v1/reports", body).into(t, &r)
	if r.Number != 1 || !r.Drafted {
		t.Errorf("begun as %+v", r)
	}
	w.must(409, "marit", "POST", "/api/v1/reports", body)
	for _, key := range []string{"Old Laptops", "new", ""} {
		body["key"] = key
		w.must(422, "marit", "POST", "/api/v1/reports", body)
	}
	body["key"] = "second"
	w.must(201, "marit", "POST", "/api/v1/reports", body).into(t, &r)
	if r.Number != 2 {
		t.Errorf("the second of the series has number %d", r.Number)
	}
	w.must(404, "", "GET", at, nil)
	w.must(401, "", "GET", at+"/draft", nil)
	w.must(401, "", "GET", at+"/draft/page", nil)
}

func (s *reported) write(t *testing.T) {
	w := s.world
	tag := w.must(200, "ines", "GET", at+"/draft", nil).header.Get("ETag")
	w.must(428, "ines", "PUT", at+"/draft", map[string]any{"spec": written(sound)})
	for name, change := range map[string]func(map[string]any){
		"without caveats": func(s map[string]any) { s["parts"] = s["parts"].([]map[string]any)[:2] },
		"a part twice": func(s map[string]any) {
			p := s["parts"].([]map[string]any)
			s["parts"] = append(p, map[string]any{"id": "again", "kind": "ranking"})
		},
		"an unknown kind": func(s map[string]any) { s["parts"].([]map[string]any)[0]["kind"] = "appendix" },
		"without a title": func(s map[string]any) { s["title"] = " " },
		"editions twice": func(s map[string]any) {
			s["editions"] = []string{"gullhaven/5.2/hearthside", "gullhaven/5.2/hearthside"}
		},
		"listed and chosen": func(s map[string]any) { s["group"] = map[string]any{"newest": true} },
		"something unknown": func(s map[string]any) { s["colour"] = "red" },
	} {
		spec := written(sound)
		change(spec)
		if r := w.call("ines", "PUT", at+"/draft", map[string]any{"spec": spec}, "If-Match", tag); r.status != 422 &&
			r.status != 400 {
			t.Errorf("%s: %d %s", name, r.status, r.body)
		}
	}
	var check struct {
		Unfilled, Typed []struct{ Part, Text string }
	}
	w.must(200, "marit", "GET", at+"/draft/check", nil).into(t, &check)
	if len(check.Unfilled) != 1 || check.Unfilled[0].Text != "{scor x}" || len(check.Typed) != 1 ||
		check.Typed[0].Text != "84.1 points" {
		t.Errorf("to be seen to: %+v", check)
	}
	w.must(422, "marit", "POST", at+"/revisions", nil, "If-Match", tag)
	w.must(200, "marit", "PUT", at+"/draft", map[string]any{"spec": written(sound)}, "If-Match", tag)
	w.must(412, "ines", "PUT", at+"/draft", map[string]any{"spec": written("mine")}, "If-Match", tag)
	var versions struct {
		Versions []struct {
			Person string
			Spec   reporting.Spec
		}
	}
	w.must(200, "ines", "GET", at+"/draft/versions", nil).into(t, &versions)
	if len(versions.Versions) != 1 || versions.Versions[0].Person != "ines" ||
		!strings.Contains(versions.Versions[0].Spec.Parts[0].Text, "{scor x}") {
		t.Errorf("what ines wrote is not kept: %+v", versions)
	}
	if page := string(w.must(200, "ines", "GET", at+"/draft/page", nil).body); !strings.Contains(
		page, "nothing here is published yet",
	) ||
		!strings.Contains(page, "Gullhaven") {
		t.Error("the preview is not the draft's")
	}
}

func (s *reported) asksForWhatIsThere(t *testing.T) {
	w := s.world
	for name, change := range map[string]func(map[string]any){
		"an audience":     func(s map[string]any) { s["audiences"] = []string{"nobody"} },
		"an edition":      func(s map[string]any) { s["editions"] = []string{"nowhere/1/desk"} },
		"a rig":           func(s map[string]any) { s["rigs"] = []string{"bench-none"} },
		"another base":    func(s map[string]any) { s["baseline"] = "mossgate/12/hearthside" },
		"a checklist":     func(s map[string]any) { s["checklist"] = "workshop@99" },
		"nothing at all":  func(s map[string]any) { delete(s, "editions"); s["group"] = map[string]any{"desktops": 1} },
		"before the team": func(s map[string]any) { s["at"] = "2001-01-01T00:00:00Z" },
	} {
		spec := written(sound)
		change(spec)
		tag := w.must(200, "ines", "GET", at+"/draft", nil).header.Get("ETag")
		if r := w.call("ines", "PUT", at+"/draft", map[string]any{"spec": spec}, "If-Match", tag); r.status == 200 {
			if r := w.call("ines", "GET", at+"/draft/check", nil); r.status < 400 || r.status >= 500 {
				t.Errorf("%s that is not there: %d %s", name, r.status, r.body)
			}
		}
	}
	tag := w.must(200, "ines", "GET", at+"/draft", nil).header.Get("ETag")
	w.must(200, "ines", "PUT", at+"/draft", map[string]any{"spec": written(sound)}, "If-Match", tag)
}

func (s *reported) publish(t *testing.T) {
	w, published := s.world, s.published
	tag := w.must(200, "marit", "GET", at+"/draft", nil).header.Get("ETag")
	w.must(403, "ines", "POST", at+"/revisions", nil, "If-Match", tag)
	w.must(428, "marit", "POST", at+"/revisions", nil)
	w.must(201, "marit", "POST", at+"/revisions", nil, "If-Match", tag).into(t, published)
	w.must(404, "marit", "POST", at+"/revisions", nil, "If-Match", tag)
	if published.Drafted || len(published.Revisions) != 1 {
		t.Fatalf("published as %+v", published)
	}
	page := w.must(200, "", "GET", "/reports/old-laptops", nil)
	if !strings.Contains(string(page.body), published.Revisions[0].Seal) ||
		!strings.Contains(string(page.body), "og:image") ||
		page.header.Get("ETag") == "" {
		t.Error("the readable address is not the report, with a picture for previews")
	}
	w.must(304, "", "GET", "/reports/old-laptops", nil, "If-None-Match", page.header.Get("ETag"))
	for _, f := range published.Revisions[0].Files {
		w.file(published, 1, f.Name)
	}
	w.must(404, "", "GET", "/frozen/"+strings.Repeat("0", 64)+"/x", nil)
	w.must(404, "", "GET", "/frozen/x/x", nil)
	// The files that the Markdown refers to are beside it, and its links lead to parts of the report.
	markdown := w.file(published, 1, "report.md")
	for _, f := range published.Revisions[0].Files {
		if f.Name != "report.md" {
			continue
		}
		folder := strings.TrimSuffix(f.Address, "report.md")
		links := regexp.MustCompile(`\]\((figures/[^)]*)\)`).FindAllSubmatch(markdown, -1)
		for _, link := range links {
			beside := w.must(200, "", "GET", folder+string(link[1]), nil)
			if !bytes.Equal(beside.body, w.file(published, 1, string(link[1]))) ||
				beside.header.Get("ETag") == `"`+f.Sha256+`"` {
				t.Errorf("%s leads elsewhere", link[1])
			}
		}
		if len(links) < 4 {
			t.Errorf("the Markdown shows %d figures", len(links))
		}
		w.must(404, "", "GET", folder+"figures/of-another.svg", nil)
	}
}

func (s *reported) saysNoMoreThanItsPage(t *testing.T) {
	w, published := s.world, s.published
	text := w.file(published, 1, "bundle.json")
	b, err := bundle.Parse(bytes.NewReader(text), 1<<30)
	if err != nil {
		t.Fatal(err)
	}
	for i := range b.Reviews {
		r := &b.Reviews[i]
		if len(r.Journal)+len(r.Experience)+len(r.Verdicts)+len(r.Evidence) > 0 {
			t.Errorf("the review of %s brings what no part of the report shows", r.Edition)
		}
		for j := range r.Readings {
			if x := &r.Readings[j]; x.Note != "" || !strings.HasPrefix(x.Reviewer, "r") || len(x.Reviewer) > 2 {
				t.Errorf("a reading says who made it (%s) or what was noted (%q)", x.Reviewer, x.Note)
			}
		}
	}
	for _, name := range []string{"tomas", "odile", "ines"} {
		if bytes.Contains(text, []byte(`"`+name+`"`)) {
			t.Errorf("the bundle names %s", name)
		}
	}
}

func (s *reported) theSameAsTheRanking(t *testing.T) {
	w, published := s.world, s.published
	var live struct {
		Ranking []struct {
			Edition string
			Overall float64
		}
	}
	w.must(200, "", "GET", "/api/v1/ranking?audience=old-laptop&only=gullhaven/5.2/hearthside&only=bramblewick/7.0/hearthside&only=kestrelby/3.1/pebbledash", nil).
		into(t, &live)
	if then := rankingOf(t, w.file(published, 1, "report.json"), "old-laptop"); len(live.Ranking) != 3 ||
		!slices.EqualFunc(then, live.Ranking, func(a standing, b struct {
			Edition string
			Overall float64
		}) bool {
			return a.Edition == b.Edition && a.Overall == b.Overall
		}) {
		t.Errorf("published %+v, ranked %+v", then, live.Ranking)
	}
}

func (s *reported) theDataMoves(t *testing.T) {
	w, published := s.world, s.published
	before := w.file(published, 1, "report.html")
	var moved struct {
		Views []struct {
			Says  []string
			Moves []struct{ Edition string }
		}
		Gone []string
	}
	w.must(401, "", "GET", at+"/moved", nil)
	w.must(200, "marit", "GET", at+"/moved", nil).into(t, &moved)
	if len(moved.Views) != 2 || len(moved.Views[0].Says)+len(moved.Gone) > 0 {
		t.Errorf("nothing changed, and yet %+v", moved)
	}
	var reviews struct {
		Reviews []struct{ ID, Edition, State string }
	}
	w.must(200, "marit", "GET", "/api/v1/reviews?edition=kestrelby/3.1/pebbledash&state=accepted", nil).
		into(t, &reviews)
	for _, r := range reviews.Reviews {
		w.move(200, "marit", r.ID, "withdrawn", "it was another machine")
	}
	w.must(200, "marit", "GET", at+"/moved", nil).into(t, &moved)
	if !slices.Contains(moved.Gone, "kestrelby/3.1/pebbledash") {
		t.Errorf("a review was withdrawn, and yet %+v", moved)
	}
	if !bytes.Equal(before, w.file(published, 1, "report.html")) {
		t.Error("the published page changed with the data")
	}
}

func (s *reported) correct(t *testing.T) {
	w, published := s.world, s.published
	w.must(
		202,
		"",
		"POST",
		"/api/v1/suggestions",
		map[string]any{"sort": "correction", "subject": "report/old-laptops", "text": "That was another machine."},
	)
	var sent struct {
		Suggestions []struct{ ID, Subject, State, Became string }
	}
	w.must(200, "marit", "GET", "/api/v1/suggestions", nil).into(t, &sent)
	e := map[string]any{
		"what":       "Kestrelby 3.1 is no longer in it.",
		"why":        "It was measured on another machine.",
		"suggestion": sent.Suggestions[0].ID,
		"reader":     "A. Reader",
	}
	w.must(403, "ines", "POST", at+"/correction", e)
	w.must(201, "marit", "POST", at+"/correction", e)
	w.must(409, "marit", "POST", at+"/correction", e)
	tag := w.must(200, "marit", "GET", at+"/draft", nil).header.Get("ETag")
	w.must(
		422,
		"marit",
		"POST",
		at+"/revisions",
		nil,
		"If-Match",
		w.must(200, "marit", "PUT", at+"/draft", map[string]any{"spec": written(sound)}, "If-Match", tag).header.Get(
			"ETag",
		),
	)
	tag = w.must(200, "marit", "GET", at+"/draft", nil).header.Get("ETag")
	tag = w.must(
		200, "marit", "PUT", at+"/draft", map[string]any{"spec": written(sound), "erratum": e}, "If-Match", tag,
	).header.Get("ETag")
	old := w.file(published, 1, "report.html")
	w.must(201, "marit", "POST", at+"/revisions", nil, "If-Match", tag).into(t, published)
	newest := string(w.must(200, "", "GET", "/reports/old-laptops", nil).body)
	for _, want := range []string{"Kestrelby 3.1 is no longer in it.", "A. Reader", "revision 2", "no accepted review on workshop@2"} {
		if !strings.Contains(newest, want) {
			t.Errorf("the corrected page lacks %q", want)
		}
	}
	marked := string(w.must(200, "", "GET", "/reports/old-laptops/revision/1", nil).body)
	if !strings.Contains(marked, "This is revision 1, and it was corrected.") ||
		!bytes.Equal(old, w.file(published, 1, "report.html")) {
		t.Error("the old revision is not marked, or its frozen page changed")
	}
	w.must(404, "", "GET", "/reports/old-laptops/revision/3", nil)
	w.must(200, "marit", "GET", "/api/v1/suggestions", nil).into(t, &sent)
	if x := sent.Suggestions[0]; x.State != "accepted" || x.Became != "old-laptops, revision 2" {
		t.Errorf("the reader's correction is %+v", x)
	}
}

func (s *reported) schema(t *testing.T) {
	w := s.world
	for _, name := range []string{"bundle", "checklist"} {
		if r := w.must(200, "", "GET", "/api/"+name+".schema.json", nil); !json.Valid(r.body) ||
			r.header.Get("ETag") == "" {
			t.Errorf("the schema of a %s is %.100s", name, r.body)
		}
	}
}

func (s *reported) feed(t *testing.T) {
	w := s.world
	var feed struct {
		XMLName xml.Name `xml:"http://www.w3.org/2005/Atom feed"`
		ID      string   `xml:"id"`
		Updated string   `xml:"updated"`
		Entries []struct {
			ID      string `xml:"id"`
			Title   string `xml:"title"`
			Updated string `xml:"updated"`
			Summary string `xml:"summary"`
		} `xml:"entry"`
	}
	if err := xml.Unmarshal(w.must(200, "", "GET", "/reports.atom", nil).body, &feed); err != nil {
		t.Fatal(err)
	}
	if len(feed.Entries) != 1 || !strings.HasPrefix(feed.Entries[0].Summary, "Corrected: ") ||
		!strings.HasPrefix(feed.Entries[0].ID, "urn:uuid:") ||
		feed.Updated == "" {
		t.Errorf("the feed says %+v", feed)
	}
	if err := xml.Unmarshal(w.must(200, "", "GET", "/reports.atom?audience=tinkerer", nil).body, &feed); err != nil {
		t.Fatal(err)
	}
}

func (s *reported) list(t *testing.T) {
	w := s.world
	for query, want := range map[string]int{"": 1, "?audience=old-laptop": 1, "?audience=-": 1, "?audience=tinkerer": 0, "?series=bench-notes": 1, "?series=other": 0, "?edition=gullhaven/5.2/hearthside": 1,
		"?edition=mossgate/12/hearthside": 0, "?year=2026": 1, "?year=2025": 0} {
		var list struct{ Reports []struct{ Key string } }
		if w.must(200, "", "GET", "/api/v1/reports"+query, nil).into(t, &list); len(list.Reports) != want {
			t.Errorf("%q: %d reports, want %d", query, len(list.Reports), want)
		}
	}
}

type standing struct {
	Edition string
	Overall float64
}

// rankingOf returns a ranking as a published document states it.
func rankingOf(t *testing.T, document []byte, audience string) []standing {
	t.Helper()
	var d struct {
		Results []struct {
			What, Audience string
			Value          json.RawMessage
		}
	}
	if err := json.Unmarshal(document, &d); err != nil {
		t.Fatal(err)
	}
	for _, r := range d.Results {
		if r.What == "ranking" && r.Audience == audience {
			var v struct{ Ranking []standing }
			if err := json.Unmarshal(r.Value, &v); err != nil {
				t.Fatal(err)
			}
			return v.Ranking
		}
	}
	t.Fatal("the document states no ranking")
	return nil
}

// opened returns the files of an archive by name, its index without the head of the audit trail, and that head.
func opened(t *testing.T, archive []byte) (files map[string]string, head string) {
	t.Helper()
	files = map[string]string{}
	for in := tar.NewReader(bytes.NewReader(archive)); ; {
		entry, err := in.Next()
		if errors.Is(err, io.EOF) {
			return files, head
		}
		if err != nil {
			t.Fatal(err)
		}
		text, err := io.ReadAll(in)
		if err != nil {
			t.Fatal(err)
		}
		if entry.Name == "archive.json" {
			var index struct{ Audit struct{ Hash string } }
			var rest map[string]any
			if err := errors.Join(json.Unmarshal(text, &index), json.Unmarshal(text, &rest)); err != nil {
				t.Fatal(err)
			}
			head = index.Audit.Hash
			delete(rest, "audit")
			if text, err = json.Marshal(rest); err != nil {
				t.Fatal(err)
			}
		}
		files[entry.Name] = string(text)
	}
}

// archived exports everything, imports it elsewhere and back.
func archived(t *testing.T, w *world) {
	w.must(401, "", "GET", "/api/v1/archive", nil)
	w.must(403, "ines", "GET", "/api/v1/archive", nil)
	archive := w.must(200, "marit", "GET", "/api/v1/archive", nil).body
	if again := w.must(200, "marit", "GET", "/api/v1/archive", nil).body; !bytes.Equal(archive, again) {
		t.Error("the same records give other bytes")
	}
	w.must(409, "marit", "POST", "/api/v1/archive", string(archive))
	elsewhere := newWorld(t, false)
	elsewhere.must(403, "ines", "POST", "/api/v1/archive", string(archive))
	damaged := bytes.Clone(archive)
	damaged[len(damaged)-5000] ^= 1
	for name, file := range map[string][]byte{"damaged": damaged, "cut off": archive[:len(archive)/2], "nothing": nil, "something else": []byte("hello")} {
		if r := elsewhere.call("marit", "POST", "/api/v1/archive", string(file)); r.status != http.StatusUnprocessableEntity {
			t.Errorf("%s: %d %s", name, r.status, r.body)
		}
	}
	if n := elsewhere.must(200, "marit", "GET", "/api/v1/reports", nil); bytes.Contains(n.body, []byte("old-laptops")) {
		t.Error("something of a refused archive is there")
	}
	type taken struct {
		Reviews, Readings, Reports, Revisions, Files int
		Differing                                    []string
	}
	var would, did taken
	elsewhere.must(200, "marit", "POST", "/api/v1/archive?trial=true", string(archive)).into(t, &would)
	if n := elsewhere.must(200, "marit", "GET", "/api/v1/reports", nil); bytes.Contains(n.body, []byte("old-laptops")) {
		t.Error("something of a trial is there")
	}
	elsewhere.must(201, "marit", "POST", "/api/v1/archive", string(archive)).into(t, &did)
	if !reflect.DeepEqual(would, did) || did.Reports == 0 || did.Readings == 0 {
		t.Errorf("a trial said %+v, and it became %+v", would, did)
	}
	back := elsewhere.must(200, "marit", "GET", "/api/v1/archive", nil).body
	sent, head := opened(t, archive)
	came, other := opened(t, back)
	if !reflect.DeepEqual(sent, came) {
		t.Errorf("what came back has %d bytes, not the %d that were sent, or others", len(back), len(archive))
	}
	// Each service has its own audit trail, and an archive contains how far it had come.
	if len(head) != 64 || len(other) != 64 || head == other {
		t.Errorf("the heads of the audit trails are %q and %q", head, other)
	}
	if _, err := elsewhere.svc.State(context.Background(), 1); err != nil {
		t.Fatal(err)
	}
	elsewhere.must(200, "", "GET", "/reports/old-laptops", nil)
	forged(t, archive)
}

// If the administrator closes the service, nothing can be read without an account.
func TestClosed(t *testing.T) {
	st := dbtest.Open(t)
	log := slog.New(slog.NewTextHandler(io.Discard, nil))
	svc := service.New(st, log, func() time.Time { return today })
	ctx, cancel := context.WithCancel(context.Background())
	followed := make(chan struct{})
	go func() { svc.Follow(ctx); close(followed) }()
	defer func() { cancel(); <-followed }()
	if err := svc.People.FirstPerson(ctx, people.Account{Name: "marit", Title: "Marit", Roles: []string{access.Lead}}, "a long enough secret"); err != nil {
		t.Fatal(err)
	}
	p, err := st.Person(ctx, "marit")
	if err != nil {
		t.Fatal(err)
	}
	who := access.Actor{ID: p.ID, Name: p.Name, Roles: p.Roles, Session: "test", Proved: time.Now()}
	_, token, err := svc.People.CreateToken(ctx, &who, "test", nil, 1)
	if err != nil {
		t.Fatal(err)
	}
	handler, err := api.New(svc, api.Options{Log: log, Closed: true})
	if err != nil {
		t.Fatal(err)
	}
	server := httptest.NewServer(handler)
	defer server.Close()
	w := &world{t: t, server: server, svc: svc, tokens: map[string]string{"marit": token}}
	for _, path := range []string{"/api/v1/ranking", "/api/v1/distributions", "/api/v1/reports", "/reports.atom", "/reports/some", "/frozen/" + strings.Repeat("0", 64) + "/x", "/report", "/calendar.ics", "/api/v1/exports/bundle"} {
		w.must(401, "", "GET", path, nil)
	}
	w.must(401, "", "POST", "/api/v1/suggestions", map[string]any{"sort": "review", "subject": "x", "text": "y"})
	w.must(200, "", "GET", "/api/v1/about", nil)
	w.must(200, "", "GET", "/api/v1/session", nil)
	w.must(200, "", "GET", "/healthz", nil)
	w.must(200, "marit", "GET", "/api/v1/reports", nil)
	w.must(200, "marit", "GET", "/reports.atom", nil)
}
