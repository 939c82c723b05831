package api_test

import (
	"encoding/json"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strings"
	"testing"
	"time"

	"dappertally/internal/demo"
)

// browser is somebody who signs in with a name and a password, as the console does.
type browser struct{ *world }

func (w *world) browser() *browser {
	jar, err := cookiejar.New(nil)
	if err != nil {
		w.t.Fatal(err)
	}
	own := *w
	own.client = http.Client{Jar: jar}
	return &browser{&own}
}

// ask sends a request with the browser's cookies and checks the status.
func (b *browser) ask(status int, method, path string, body any) []byte {
	b.t.Helper()
	return b.must(status, "", method, "/api/v1"+path, body).body
}

func (b *browser) signIn(status int, name, password string) {
	b.t.Helper()
	b.ask(status, "POST", "/session", map[string]any{"name": name, "password": password})
}

// by opens the link of an invitation and chooses a password.
func (b *browser) by(status int, address, password string) {
	b.t.Helper()
	at, err := url.Parse(address)
	if err != nil {
		b.t.Fatal(err)
	}
	b.ask(status, "POST", "/links/use", map[string]any{"secret": at.Fragment, "password": password})
}

// linkFor makes a link for somebody, as the administrator.
func (w *world) linkFor(status int, name string) (address string) {
	w.t.Helper()
	var made struct{ Address string }
	w.must(status, "perrin", "POST", "/api/v1/people/"+name+"/link", map[string]any{}).into(w.t, &made)
	return made.Address
}

func state(w *world, name string) string {
	var p struct{ State string }
	w.must(200, "perrin", "GET", "/api/v1/people/"+name, nil).into(w.t, &p)
	return p.State
}

const good, better = "nine grey otters hum", "lamps under the long pier"

// TestLifeOfAnAccount goes from an invitation to the day when somebody leaves.
func TestLifeOfAnAccount(t *testing.T) {
	w := newWorld(t, false)
	w.must(
		201,
		"perrin",
		"POST",
		"/api/v1/people",
		map[string]any{"name": "sunniva", "title": "Sunniva", "roles": []string{"reviewer"}},
	)
	if got := state(w, "sunniva"); got != "without-password" {
		t.Errorf("a new account is %s", got)
	}
	first := w.linkFor(201, "sunniva")
	link := w.linkFor(201, "sunniva")
	if got := state(w, "sunniva"); got != "invited" {
		t.Errorf("an account with a link is %s", got)
	}
	sunniva := w.browser()
	sunniva.by(404, first, good) // the newer link ended it
	sunniva.by(422, link, "sunniva")
	sunniva.by(422, link, "password1234")
	sunniva.by(200, link, good)
	sunniva.ask(200, "GET", "/me/notices", nil)
	w.browser().by(404, link, better) // it works once
	// A second browser, a token, a changed password.
	second := w.browser()
	second.signIn(200, "sunniva", good)
	var token struct{ ID, Secret string }
	if err := json.Unmarshal(sunniva.ask(201, "POST", "/tokens", map[string]any{"label": "bench"}), &token); err != nil {
		t.Fatal(err)
	}
	w.tokens["sunniva"] = token.Secret
	w.must(200, "sunniva", "GET", "/api/v1/people/sunniva/sessions", nil)
	sunniva.ask(422, "PUT", "/session/password", map[string]any{"before": "wrong", "password": better})
	sunniva.ask(422, "PUT", "/session/password", map[string]any{"before": good, "password": good})
	sunniva.ask(204, "PUT", "/session/password", map[string]any{"before": good, "password": better})
	sunniva.ask(200, "GET", "/me/notices", nil)
	second.ask(401, "GET", "/me/notices", nil)
	second.signIn(401, "sunniva", good)
	second.signIn(200, "sunniva", better)
	// An administrator gives her another role and another name; her session and tokens stay valid.
	tag := w.must(200, "perrin", "GET", "/api/v1/people/sunniva", nil).header.Get("ETag")
	changed := map[string]any{"name": "sunnivamf", "title": "Sunniva M.", "roles": []string{"lead", "reviewer"}}
	w.must(428, "perrin", "PUT", "/api/v1/people/sunniva", changed)
	w.must(200, "perrin", "PUT", "/api/v1/people/sunniva", changed, "If-Match", tag)
	w.must(404, "perrin", "PUT", "/api/v1/people/sunniva", changed, "If-Match", tag)
	w.must(412, "perrin", "PUT", "/api/v1/people/sunnivamf", changed, "If-Match", tag)
	var now struct{ Person struct{ Name string } }
	if err := json.Unmarshal(sunniva.ask(200, "GET", "/session", nil), &now); err != nil ||
		now.Person.Name != "sunnivamf" {
		t.Errorf("her session is %q's, %v", now.Person.Name, err)
	}
	// A disabled account: everything ends at once.
	w.must(200, "perrin", "PUT", "/api/v1/people/sunnivamf/disabled", map[string]any{"disabled": true})
	sunniva.ask(401, "GET", "/me/notices", nil)
	w.must(401, "sunniva", "GET", "/api/v1/people", nil)
	w.browser().signIn(401, "sunnivamf", better)
	w.linkFor(409, "sunnivamf")
	w.must(200, "perrin", "PUT", "/api/v1/people/sunnivamf/disabled", map[string]any{"disabled": false})
	sunniva.ask(401, "GET", "/me/notices", nil) // ended sessions do not come back
	sunniva.signIn(200, "sunnivamf", better)
	// A lost password: the link ends every session and token of the account.
	link = w.linkFor(201, "sunnivamf")
	again := w.browser()
	again.by(200, link, "seven quiet harbours east")
	sunniva.ask(401, "GET", "/me/notices", nil)
	w.must(401, "sunniva", "GET", "/api/v1/people", nil)
}

// TestWhoMayChangeAccounts: administrators change everything, all others only parts of their own account; the last
// administrator stays.
func TestWhoMayChangeAccounts(t *testing.T) {
	w := newWorld(t, false)
	edit := func(status int, who, name string, body map[string]any) {
		t.Helper()
		tag := w.must(200, "perrin", "GET", "/api/v1/people/"+name, nil).header.Get("ETag")
		w.must(status, who, "PUT", "/api/v1/people/"+name, body, "If-Match", tag)
	}
	edit(200, "tomas", "tomas", map[string]any{"name": "tomas", "title": "Tomas, at last", "roles": []string{"reviewer"}})
	edit(403, "tomas", "tomas", map[string]any{"name": "tomas", "title": "Tomas", "roles": []string{"reviewer", "lead"}})
	edit(403, "tomas", "tomas", map[string]any{"name": "boss", "title": "Tomas", "roles": []string{"reviewer"}})
	edit(403, "marit", "tomas", map[string]any{"name": "tomas", "title": "Somebody", "roles": []string{"reviewer"}})
	edit(409, "perrin", "tomas", map[string]any{"name": "ines", "title": "Tomas", "roles": []string{"reviewer"}})
	edit(422, "perrin", "tomas", map[string]any{"name": "tomas", "title": "  ", "roles": []string{"reviewer"}})
	for _, path := range []string{"/sessions", "/tokens"} {
		w.must(200, "tomas", "GET", "/api/v1/people/tomas"+path, nil)
		w.must(200, "perrin", "GET", "/api/v1/people/tomas"+path, nil)
		w.must(403, "marit", "GET", "/api/v1/people/tomas"+path, nil)
		w.must(401, "", "GET", "/api/v1/people/tomas"+path, nil)
	}
	w.must(403, "marit", "POST", "/api/v1/people/tomas/link", map[string]any{})
	w.must(403, "marit", "PUT", "/api/v1/people/tomas/disabled", map[string]any{"disabled": true})
	w.must(409, "perrin", "PUT", "/api/v1/people/perrin/disabled", map[string]any{"disabled": true})
	// Perrin has a password now, and is the one administrator who can sign in.
	perrin := w.browser()
	perrin.by(200, w.linkFor(201, "perrin"), good)
	w.tokens["perrin"] = ""
	var token struct{ Secret string }
	if err := json.Unmarshal(perrin.ask(201, "POST", "/tokens", map[string]any{"label": "again"}), &token); err != nil {
		t.Fatal(err)
	}
	w.tokens["perrin"] = token.Secret
	edit(409, "perrin", "perrin", map[string]any{"name": "perrin", "title": "Perrin", "roles": []string{"lead"}})
	machine := w.svc.People.OnTheMachine()
	if err := machine.SetRoles(t.Context(), "perrin", []string{"lead"}); err == nil {
		t.Error("the last administrator was taken away at the machine")
	}
	if err := machine.SetRoles(t.Context(), "ines", []string{"reviewer", "administrator"}); err != nil {
		t.Error(err)
	}
	edit(200, "perrin", "perrin", map[string]any{"name": "perrin", "title": "Perrin", "roles": []string{"lead"}})
}

// TestTokensAreMadeByPassword: a token cannot make another, the password must have been given recently, and a token
// always has an end.
func TestTokensAreMadeByPassword(t *testing.T) {
	w := newWorld(t, false)
	label := map[string]any{"label": "bench"}
	w.must(403, "ines", "POST", "/api/v1/tokens", label)
	ines := w.browser()
	ines.signIn(200, "ines", secretOf("ines"))
	ines.ask(422, "POST", "/tokens", map[string]any{"label": "   "})
	ines.ask(422, "POST", "/tokens", map[string]any{"label": "more", "roles": []string{"administrator"}})
	w.svc.People.Clock = func() time.Time { return time.Now().Add(11 * time.Minute) }
	if got := string(ines.ask(403, "POST", "/tokens", label)); !strings.Contains(got, "/problems/unproved") {
		t.Errorf("long after the password: %s", got)
	}
	ines.ask(422, "POST", "/session/proof", map[string]any{"password": "wrong"})
	ines.ask(204, "POST", "/session/proof", map[string]any{"password": secretOf("ines")})
	for range 19 { // and the one that the test has
		ines.ask(201, "POST", "/tokens", label)
	}
	ines.ask(409, "POST", "/tokens", label)
}

func secretOf(name string) string {
	for _, a := range demo.Accounts {
		if a.Name == name {
			return a.Secret
		}
	}
	return ""
}
