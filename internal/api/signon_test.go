package api_test

import (
	"encoding/json"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"dappertally/internal/people"
	"dappertally/internal/signon"
	"dappertally/internal/signon/signontest"
)

const makesAccounts = `    accounts: make
    scopes: [profile, groups]
    roles-claim: groups
    roles:
      testers: [reviewer]
      editors: [reviewer, lead]
      keepers: [administrator]
`

// signOnWorld is a service whose people sign in by a provider.
func signOnWorld(t *testing.T, more string) (*world, *signontest.Provider) {
	t.Helper()
	w, p := newWorld(t, false), signontest.New(t)
	file := filepath.Join(t.TempDir(), "sso.yaml")
	if err := os.WriteFile(file, []byte(p.File(more)), 0o600); err != nil {
		t.Fatal(err)
	}
	providers, err := signon.Read(file)
	if err != nil {
		t.Fatal(err)
	}
	w.svc.People.Ways = people.Ways{Providers: providers}
	return w, p
}

// signOn has somebody sign in by the provider in a browser of their own, and returns who they are then, or the message
// they get.
func (w *world) signOn(as string, cookies ...*http.Cookie) (name, roles, said string) {
	w.t.Helper()
	jar, err := cookiejar.New(nil)
	if err != nil {
		w.t.Fatal(err)
	}
	at, err := url.Parse(w.server.URL)
	if err != nil {
		w.t.Fatal(err)
	}
	jar.SetCookies(at, cookies)
	browser := http.Client{Jar: jar, CheckRedirect: func(r *http.Request, _ []*http.Request) error {
		if r.URL.Path == "/authorize" {
			q := r.URL.Query()
			q.Set("as", as)
			r.URL.RawQuery = q.Encode()
		}
		return nil
	}}
	link := ""
	if len(cookies) > 0 {
		link = "&link=true"
	}
	resp, err := browser.Get(w.server.URL + "/sign-on/house?to=/work" + link)
	if err != nil {
		w.t.Fatal(err)
	}
	resp.Body.Close()
	for _, c := range jar.Cookies(at) {
		if c.Name == "dtally_said" {
			said, _ = url.PathUnescape(c.Value)
		}
	}
	resp, err = browser.Get(w.server.URL + "/api/v1/session")
	if err != nil {
		w.t.Fatal(err)
	}
	defer resp.Body.Close()
	var session struct {
		Person struct {
			Name  string
			Roles []string
		}
	}
	if err := json.NewDecoder(resp.Body).Decode(&session); err != nil {
		w.t.Fatal(err)
	}
	return session.Person.Name, strings.Join(session.Person.Roles, " "), said
}

// TestSignOn: a provider says who somebody is; accounts are made, linked and given roles as the settings say.
func TestSignOn(t *testing.T) {
	t.Parallel()
	w, p := signOnWorld(t, makesAccounts)
	p.People["s-1"] = map[string]any{
		"preferred_username": "Zoë Hartwell",
		"name":               "Zoë Hartwell",
		"groups":             []string{"testers", "others"},
	}
	p.People["s-2"] = map[string]any{"email": "ines@elsewhere.example", "groups": "editors"}
	p.People["s-3"] = map[string]any{"nickname": "../\u202e", "groups": []string{"keepers"}}
	is := func(as, name, roles, said string, cookies ...*http.Cookie) {
		t.Helper()
		gotName, gotRoles, gotSaid := w.signOn(as, cookies...)
		if gotName != name || gotRoles != roles || !strings.Contains(gotSaid, said) {
			t.Errorf("%s is %q (%s), told %q; want %q (%s), told %q", as, gotName, gotRoles, gotSaid, name, roles, said)
		}
	}
	is("s-1", "zoe-hartwell", "reviewer", "")
	p.People["s-1"]["groups"] = []string{"editors"}
	is("s-1", "zoe-hartwell", "reviewer lead", "") // roles follow
	// An account that exists already is not taken over: its owner links it.
	is("s-2", "", "", `An account "ines" exists here already`)
	in := w.must(200, "", "POST", "/api/v1/session", map[string]any{"name": "ines", "password": "seven-blue-buckets"})
	cookie, err := http.ParseSetCookie(in.header.Get("Set-Cookie"))
	if err != nil {
		t.Fatal(err)
	}
	is("s-2", "ines", "reviewer lead", "", cookie)
	is("s-2", "ines", "reviewer lead", "")
	is("s-1", "ines", "reviewer lead", "linked to another account", cookie)
	is("s-3", "", "", "no name that can be used for an account")
	// A disabled person stays out, whatever the provider says.
	w.must(200, "perrin", "PUT", "/api/v1/people/zoe-hartwell/disabled", map[string]any{"disabled": true})
	is("s-1", "", "", "disabled")
	// A faulty ID token lets nobody in.
	for name, alter := range map[string]func(map[string]any){
		"another audience": func(c map[string]any) { c["aud"] = "somebody else" },
		"another nonce":    func(c map[string]any) { c["nonce"] = "replayed" },
		"ended":            func(c map[string]any) { c["exp"] = time.Now().Add(-time.Hour).Unix() },
		"another issuer":   func(c map[string]any) { c["iss"] = "https://elsewhere.example" },
		"nobody":           func(c map[string]any) { c["sub"] = "" },
	} {
		p.Alter = alter
		if who, _, said := w.signOn("s-2"); who != "" || !strings.Contains(said, "did not identify you") {
			t.Errorf("%s: %q, told %q", name, who, said)
		}
	}
	p.Alter = nil
	// Unlinked, it signs in no more.
	w.must(204, "perrin", "DELETE", "/api/v1/people/ines/identities/house", nil)
	is("s-2", "", "", "already")
}

// TestSignOnState: an answer of a provider is accepted once, in the browser that asked.
func TestSignOnState(t *testing.T) {
	t.Parallel()
	w, p := signOnWorld(t, "    accounts: link\n")
	p.People["s-1"] = map[string]any{"preferred_username": "zoe"}
	still := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	get := func(address string, cookie *http.Cookie) *http.Response {
		t.Helper()
		r, err := http.NewRequest(http.MethodGet, address, nil)
		if err != nil {
			t.Fatal(err)
		}
		if cookie != nil {
			r.AddCookie(cookie)
		}
		resp, err := still.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		resp.Body.Close()
		return resp
	}
	away := get(w.server.URL+"/sign-on/house?to=//elsewhere.example", nil)
	state := away.Cookies()[0]
	if !state.HttpOnly || state.Path != "/sign-on/" || state.SameSite != http.SameSiteLaxMode {
		t.Errorf("the state's cookie is %v", state)
	}
	there := get(away.Header.Get("Location")+"&as=s-1", nil)
	back := there.Header.Get("Location")
	ends := func(resp *http.Response, said string) {
		t.Helper()
		told := ""
		for _, c := range resp.Cookies() {
			if c.Name == "dtally_said" {
				told, _ = url.PathUnescape(c.Value)
			}
			if c.Name == "dtally_session" {
				t.Errorf("a session was opened: %v", c)
			}
		}
		if resp.Header.Get("Location") != "/sign-in" || !strings.Contains(told, said) {
			t.Errorf("led to %s, told %q, want %q", resp.Header.Get("Location"), told, said)
		}
	}
	ends(get(back, nil), "not started in this browser")
	ends(get(back, &http.Cookie{Name: state.Name, Value: "another"}), "not started in this browser")
	ends(get(back, state), "No account here is linked")
	ends(get(back, state), "already answered")
	ends(get(w.server.URL+"/sign-on/house/back?error=access_denied&state="+state.Value, state), "rejected the sign-in")
	ends(get(w.server.URL+"/sign-on/elsewhere", nil), "not a way to sign in")
	if w.must(200, "", "GET", "/api/v1/about", nil); strings.Contains(away.Header.Get("Location"), signontest.Secret) {
		t.Error("the secret goes through the browser")
	}
	// If passwords are switched off, they open nothing.
	w.svc.People.Ways.NoWords = true
	w.must(403, "", "POST", "/api/v1/session", map[string]any{"name": "ines", "password": "seven-blue-buckets"})
}
