package api_test

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"

	"dappertally/core/checklist"
)

type carried struct {
	Carried []struct {
		From, Review, Edition         string
		Kept, AskedAgain, New, Unread []string
	}
}

// third puts a third version in force, in which one criterion asks something else, one is scored in another way, and
// one is new.
func (w *world) third() {
	w.t.Helper()
	list, _ := w.list("workshop@2")
	list.Version = 3
	memory, _ := list.Criterion("memory-idle")
	memory.Context.Phase = "fresh"
	start, _ := list.Criterion("cold-start")
	start.Curve.Poor = 80
	list.Sections[0].Criteria = append(
		list.Sections[0].Criteria,
		checklist.Criterion{Key: "rescue", Kind: checklist.Check, Weight: 1, Guidance: "Start the rescue mode."},
	)
	w.must(201, "marit", "POST", "/api/v1/checklists", list)
}

func TestCarryOver(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	w.third()
	var reviews struct {
		Reviews []struct{ ID, Edition, Checklist, CarriedFrom, State string }
	}
	w.must(200, "", "GET", "/api/v1/reviews?edition=mossgate/12/hearthside", nil).into(t, &reviews)
	old := reviews.Reviews[0].ID
	body := map[string]any{"to": "workshop@3", "reviews": []string{old}}
	w.must(401, "", "POST", "/api/v1/carried-reviews", body)
	w.must(403, "perrin", "POST", "/api/v1/carried-reviews", body)
	w.must(404, "ines", "POST", "/api/v1/carried-reviews", map[string]any{"to": "workshop@9"})
	w.must(409, "ines", "POST", "/api/v1/carried-reviews", map[string]any{"to": "workshop@1"})

	var trial, done carried
	w.must(200, "ines", "POST", "/api/v1/carried-reviews", map[string]any{"to": "workshop@3", "reviews": []string{old}, "trial": true}).
		into(t, &trial)
	w.must(200, "ines", "POST", "/api/v1/carried-reviews", body).into(t, &done)
	if trial.Carried[0].Review != "" || done.Carried[0].Review == "" ||
		!slices.Equal(trial.Carried[0].Kept, done.Carried[0].Kept) {
		t.Errorf("trial %+v, done %+v", trial.Carried[0], done.Carried[0])
	}
	c := done.Carried[0]
	if !slices.Equal(c.New, []string{"rescue"}) || !slices.Equal(c.AskedAgain, []string{"memory-idle"}) ||
		!slices.Contains(c.Kept, "cold-start") {
		t.Errorf("kept %v, asked again %v, new %v", c.Kept, c.AskedAgain, c.New)
	}
	var before, after struct {
		Readings []struct{ ID, Criterion string }
	}
	w.must(200, "ines", "GET", "/api/v1/reviews/"+old+"/readings", nil).into(t, &before)
	w.must(200, "ines", "GET", "/api/v1/reviews/"+c.Review+"/readings", nil).into(t, &after)
	asked := 0
	for _, x := range before.Readings {
		if x.Criterion != "memory-idle" {
			asked++
		}
	}
	if len(after.Readings) != asked || asked == len(before.Readings) {
		t.Errorf("%d readings were carried over, want %d of %d", len(after.Readings), asked, len(before.Readings))
	}
	var review struct{ State, CarriedFrom, Checklist string }
	w.must(200, "ines", "GET", "/api/v1/reviews/"+c.Review, nil).into(t, &review)
	if review.State != "underway" || review.CarriedFrom != old || review.Checklist != "workshop@3" {
		t.Errorf("the new review: %+v", review)
	}
	r := w.must(422, "ines", "POST", "/api/v1/carried-reviews", body)
	if !strings.Contains(string(r.body), "already carried over") {
		t.Errorf("a second time: %s", r.body)
	}

	// All the others in one step; an accepted review of the first version is only carried over if there is no newer
	// one.
	w.must(200, "ines", "POST", "/api/v1/carried-reviews", map[string]any{"to": "workshop@3"}).into(t, &done)
	editions := map[string]int{}
	for _, c := range done.Carried {
		editions[c.Edition]++
	}
	for edition, n := range editions {
		if n != 1 {
			t.Errorf("%s was carried over %d times", edition, n)
		}
	}
	w.must(409, "ines", "POST", "/api/v1/carried-reviews", map[string]any{"to": "workshop@3"})

	w.move(200, "marit", c.Review, "submitted", "the new questions wait for the next install")
	w.move(200, "marit", c.Review, "accepted", "")
	var card struct {
		Scorecard struct {
			Coverage float64
			Criteria []struct{ Key, State string }
		}
	}
	w.must(200, "", "GET", "/api/v1/scorecards/mossgate/12/hearthside?checklist=workshop@3", nil).into(t, &card)
	for _, x := range card.Scorecard.Criteria {
		want := map[string]string{"memory-idle": "not-tested", "rescue": "not-tested", "cold-start": "answered", "week-of-use": "answered"}[x.Key]
		if want != "" && x.State != want {
			t.Errorf("%s is %s, want %s", x.Key, x.State, want)
		}
	}
}

func TestFiles(t *testing.T) {
	t.Parallel()
	w := newWorld(t, false)
	content := bytes.Repeat([]byte("the school folder "), 150_000) // several pieces
	sum := fmt.Sprintf("%x", sha256.Sum256(content))
	at := "/api/v1/files/" + sum
	w.must(401, "", "PUT", at, string(content))
	w.must(403, "perrin", "PUT", at, string(content))
	w.must(422, "marit", "PUT", "/api/v1/files/abc", string(content))
	if r := w.must(422, "marit", "PUT", at, "something else"); !strings.Contains(string(r.body), "damaged") {
		t.Errorf("another content: %s", r.body)
	}
	w.must(404, "", "GET", at, nil)
	w.must(200, "marit", "PUT", at, string(content))
	w.must(200, "marit", "PUT", at, string(content))
	w.must(404, "", "GET", at, nil) // no checklist and no accepted review refers to it
	r := w.must(200, "ines", "GET", at, nil)
	if !bytes.Equal(r.body, content) {
		t.Errorf("%d bytes came back of %d", len(r.body), len(content))
	}
	if h := r.header; h.Get("Content-Disposition") != "attachment" ||
		h.Get("Content-Type") != "application/octet-stream" ||
		h.Get("X-Content-Type-Options") != "nosniff" {
		t.Errorf("it is not served inertly: %v", h)
	}
	if r := w.must(200, "ines", "HEAD", at, nil); r.header.Get("Content-Length") != fmt.Sprint(len(content)) ||
		len(r.body) != 0 {
		t.Errorf("HEAD: %v", r.header)
	}
}

// TestLargestFile sends more than is accepted; the service does not hold it in memory.
func TestLargestFile(t *testing.T) {
	w := newWorld(t, false)
	req, err := http.NewRequest(
		"PUT", w.server.URL+"/api/v1/files/"+strings.Repeat("0", 64), io.LimitReader(zeros{}, 65<<20),
	)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+w.tokens["marit"])
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	body, _ := io.ReadAll(resp.Body)
	if resp.StatusCode != 413 && resp.StatusCode != 422 {
		t.Errorf("%d: %s", resp.StatusCode, body)
	}
	if !strings.Contains(string(body), "64 MiB") {
		t.Errorf("the answer does not say how much is taken: %s", body)
	}
}

type zeros struct{}

func (zeros) Read(p []byte) (int, error) { clear(p); return len(p), nil }

// TestGroundOfThree ranks an edition on a third version together with editions on the two before it, by the criteria
// that all three ask and score in the same way.
func TestGroundOfThree(t *testing.T) {
	w := newWorld(t, true)
	w.third()
	var reviews struct{ Reviews []struct{ ID string } }
	w.must(200, "", "GET", "/api/v1/reviews?edition=mossgate/12/hearthside", nil).into(t, &reviews)
	var done carried
	w.must(200, "ines", "POST", "/api/v1/carried-reviews", map[string]any{"to": "workshop@3", "reviews": []string{reviews.Reviews[0].ID}}).
		into(t, &done)
	w.move(200, "ines", done.Carried[0].Review, "submitted", "carried over")
	w.move(200, "marit", done.Carried[0].Review, "accepted", "")

	type ranking struct {
		Heading struct {
			Checklist                string
			Ground                   []string
			GroundCriteria, GroundOf int
		}
		Ranking, Provisional, Barred []struct{ Edition, Checklist string }
		Elsewhere                    []struct{ Edition, Checklist string }
	}
	ask := func(query string) (r ranking) {
		w.must(200, "", "GET", "/api/v1/ranking?"+query, nil).into(t, &r)
		return r
	}
	alone, together, before := ask("checklist=workshop@3"), ask("checklist=workshop@3&ground=true"), ask(
		"checklist=workshop@2&ground=true",
	)
	if n := len(alone.Ranking) + len(alone.Provisional) + len(alone.Barred); n != 1 || len(alone.Elsewhere) < 20 {
		t.Fatalf("%d stand on the third version, %d elsewhere", n, len(alone.Elsewhere))
	}
	h := together.Heading
	if strings.Join(h.Ground, " ") != "workshop@3 workshop@2 workshop@1" || h.Checklist != "workshop@3" {
		t.Errorf("the ground is of %v, on %s", h.Ground, h.Checklist)
	}
	// The third version changes two questions of the second and adds one.
	for _, other := range []string{"memory-idle", "cold-start", "rescue"} {
		w.must(404, "", "GET", "/api/v1/ranking?checklist=workshop@3&ground=true&criterionWeight="+other+"%3D2", nil)
	}
	if h.GroundCriteria > before.Heading.GroundCriteria || h.GroundOf != before.Heading.GroundOf+1 {
		t.Errorf(
			"%d of %d criteria are common to three, %d of %d to two",
			h.GroundCriteria,
			h.GroundOf,
			before.Heading.GroundCriteria,
			before.Heading.GroundOf,
		)
	}
	on := map[string]int{}
	for _, e := range slices.Concat(together.Ranking, together.Provisional, together.Barred) {
		on[e.Checklist]++
		if (e.Edition == "mossgate/12/hearthside") != (e.Checklist == "") {
			t.Errorf("%s stands on %q", e.Edition, e.Checklist)
		}
	}
	if on[""] != 1 || on["workshop@2"] < 15 || on["workshop@1"] < 5 || len(together.Elsewhere) != 0 {
		t.Errorf("joined are %v, and %d not", on, len(together.Elsewhere))
	}
}
