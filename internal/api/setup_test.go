package api_test

import (
	"context"
	"strings"
	"sync"
	"testing"

	"dappertally/internal/dbtest"
	"dappertally/internal/store"
)

// bare is a service that nobody can sign in to.
var bare = dbtest.Filled{Name: "bare", Fill: func(context.Context, *store.Store) error { return nil }}

// TestSetUp: a person with the code sets the service up, once, completely or not at all.
func TestSetUp(t *testing.T) {
	t.Parallel()
	st := bare.Open(t)
	w := &world{t: t, tokens: map[string]string{}}
	w.svc, w.server, _ = start(t, st, still)
	awaits := func() bool {
		var about struct{ SetUp bool }
		w.must(200, "", "GET", "/api/v1/about", nil).into(t, &about)
		return about.SetUp
	}
	if !awaits() {
		t.Fatal("a service that nobody can sign in to does not say so")
	}
	code, err := w.svc.People.SetUpCode(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	with := func(change map[string]any) map[string]any {
		x := map[string]any{
			"code": code, "team": "House team", "name": "perrin", "title": "Perrin Askelow",
			"password": "keys-under-the-mat", "roles": []string{"lead"},
			"people": []map[string]any{{"name": "ines", "title": "Ines Callowmere", "roles": []string{"reviewer"}}},
		}
		for k, v := range change {
			x[k] = v
		}
		return x
	}
	for _, c := range []struct {
		change map[string]any
		status int
		says   string
	}{
		{map[string]any{"code": "AAAA-AAAA-AAAA-AAAA"}, 403, "This code is wrong"},
		{map[string]any{"password": "perrin askelow"}, 422, "guess"},
		{map[string]any{"password": "short"}, 422, "12 characters"},
		{map[string]any{"team": "  "}, 422, "team"},
		{map[string]any{"team": "a\u202eb"}, 422, "team"},
		{map[string]any{"name": "con"}, 422, "reserved"},
		{map[string]any{"name": "ines"}, 422, "duplicated"},
		{map[string]any{"people": []map[string]any{{"name": "x", "title": "", "roles": []string{}}}}, 422, "title"},
	} {
		r := w.must(c.status, "", "POST", "/api/v1/set-up", with(c.change))
		if !strings.Contains(string(r.body), c.says) {
			t.Errorf("%v: %s, want %q", c.change, r.body, c.says)
		}
	}
	if people, err := st.People(t.Context()); err != nil || len(people) != 0 {
		t.Errorf("after refusals there are %d accounts, %v", len(people), err)
	}
	// Of many at once, with the code typed in any way, one succeeds.
	var wait sync.WaitGroup
	replies := make([]*reply, 6)
	for i := range replies {
		wait.Go(func() {
			replies[i] = w.call("", "POST", "/api/v1/set-up", with(map[string]any{"code": " " + strings.ToLower(code)}))
		})
	}
	wait.Wait()
	got := map[int]int{}
	for _, r := range replies {
		got[r.status]++
		if r.status != 201 {
			continue
		}
		var begun struct {
			Session struct{ Person struct{ Roles []string } }
			Links   []struct{ Name, Address string }
		}
		r.into(t, &begun)
		roles := strings.Join(begun.Session.Person.Roles, " ")
		if roles != "lead administrator" || len(begun.Links) != 1 ||
			!strings.HasPrefix(begun.Links[0].Address, w.server.URL) ||
			!strings.Contains(r.header.Get("Set-Cookie"), "HttpOnly") {
			t.Errorf("set up: %s, %v", r.body, r.header)
		}
	}
	if got[201] != 1 || got[201]+got[403]+got[409]+got[429]+got[503] != len(replies) { // 503: no turn to hash in time
		t.Errorf("six at once: %v", got)
	}
	var about struct {
		Team  string
		SetUp bool
	}
	if w.must(200, "", "GET", "/api/v1/about", nil).into(t, &about); about.Team != "House team" || about.SetUp {
		t.Errorf("afterwards: %+v", about)
	}
	w.must(409, "", "POST", "/api/v1/set-up", with(nil))
	if second, err := w.svc.People.AwaitsSetUp(t.Context()); err != nil || second {
		t.Errorf("it still waits: %v %v", second, err)
	}
}
