package api_test

import (
	"encoding/json"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"dappertally/internal/store"
)

// form posts a form as a machine does and returns the answer.
func (w *world) form(path string, values url.Values) (status int, answer map[string]any) {
	w.t.Helper()
	resp, err := w.client.PostForm(w.server.URL+path, values)
	if err != nil {
		w.t.Fatal(err)
	}
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	if err != nil {
		w.t.Fatal(err)
	}
	if err := json.Unmarshal(body, &answer); err != nil {
		w.t.Fatalf("%s answers %s", path, body)
	}
	return resp.StatusCode, answer
}

// TestMachineSignsIn: a machine that shows a code gets a token that can record in one review and nothing else.
func TestMachineSignsIn(t *testing.T) {
	t.Parallel()
	const found, decided = "/api/v1/machines/found", "/api/v1/machines/decided"
	w := newWorld(t, true)
	at := time.Now()
	w.svc.People.Clock = func() time.Time { return at }
	mine, other := w.planned("ines", "ivybeck/5.4/hearthside"), w.planned("ines", "mossgate/12/hearthside")
	ines := w.signedIn(t, "ines", "seven-blue-buckets")
	wait := func() (device, code string) {
		status, a := w.form(
			"/oauth/device",
			url.Values{"client_id": {"dtally"}, "machine": {"bench\x1b[2J-7"}, "scope": {"review:" + mine}},
		)
		if status != 200 || a["interval"] != 5.0 ||
			!strings.HasSuffix(a["verification_uri_complete"].(string), "#"+a["user_code"].(string)) {
			t.Fatalf("%d %v", status, a)
		}
		return a["device_code"].(string), a["user_code"].(string)
	}
	ask := func(device string) (int, map[string]any) {
		return w.form(
			"/oauth/token",
			url.Values{"grant_type": {"urn:ietf:params:oauth:grant-type:device_code"}, "device_code": {device}},
		)
	}
	fault := func(device, name string) {
		t.Helper()
		if status, a := ask(device); status != 400 || a["error"] != name {
			t.Errorf("%d %v, want %s", status, a, name)
		}
	}
	device, code := wait()
	fault(device, "authorization_pending")
	fault(device, "slow_down")
	at = at.Add(6 * time.Second)
	fault(device, "authorization_pending")
	fault("no-such-device", "expired_token")
	// A code is seen and decided on by reviewers with a session, once.
	show := func(code string) map[string]any { return map[string]any{"code": code} }
	decide := func(code, review string) map[string]any { return map[string]any{"code": code, "review": review} }
	w.must(401, "", "POST", found, show(code))
	w.must(401, "ines", "POST", found, show(code+"x"), "Authorization", "Bearer "+w.tokens["tomas"]+"x")
	var m struct{ Name, Requested string }
	ines(200, "POST", found, show(strings.ToLower(code))).into(t, &m)
	if m.Name != "bench[2J-7" || m.Requested != mine {
		t.Errorf("the machine is told as %+v", m)
	}
	ines(404, "POST", found, show("BBBB-BBBB"))
	ines(404, "POST", decided, decide(code, "01a22639-d721-71ab-bb33-143989c477b3"))
	ines(204, "POST", decided, decide(code, mine))
	ines(404, "POST", decided, decide(code, other))
	status, got := ask(device)
	if status != 200 || got["scope"] != "review:"+mine || got["expires_in"].(float64) > 24*3600 {
		t.Fatalf("%d %v", status, got)
	}
	fault(device, "expired_token") // it is returned once
	w.tokens["machine"] = got["access_token"].(string)
	w.boundToOneReview(mine, other)
	// A code that was refused, and one that has expired.
	refused, code := wait()
	ines(204, "POST", decided, show(code))
	fault(refused, "access_denied")
	late, code := wait()
	at = at.Add(16 * time.Minute)
	ines(404, "POST", found, show(code))
	fault(late, "expired_token")
	// It is listed, and ends after a day, or when it is ended.
	var tokens struct{ Tokens []struct{ Id, Review string } }
	ines(200, "GET", "/api/v1/people/ines/tokens", nil).into(t, &tokens)
	last := tokens.Tokens[len(tokens.Tokens)-1]
	if last.Review != mine {
		t.Errorf("the list says %+v", tokens)
	}
	at = at.Add(24 * time.Hour)
	w.must(401, "machine", "GET", "/api/v1/session", nil)
}

// boundToOneReview checks what the machine's token can do.
func (w *world) boundToOneReview(mine, other string) {
	w.t.Helper()
	grade := map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 7}}
	id, _ := w.record(200, "machine", mine, grade)
	w.must(200, "machine", "GET", "/api/v1/reviews/"+mine, nil)
	w.must(200, "machine", "GET", "/api/v1/reviews/"+mine+"/readings", nil)
	w.must(200, "machine", "POST", "/api/v1/reviews/"+mine+"/undo", map[string]any{"id": id})
	w.must(200, "machine", "GET", "/api/v1/ranking", nil)
	var list struct{ Reviews []struct{ Id, State string } }
	w.must(200, "machine", "GET", "/api/v1/reviews?state=planned&state=underway", nil).into(w.t, &list)
	if len(list.Reviews) != 1 || list.Reviews[0].Id != mine {
		w.t.Errorf("it sees %+v", list)
	}
	for _, c := range []struct {
		status       int
		method, path string
		body         any
	}{
		{403, "GET", "/reviews/" + other, nil}, {403, "PUT", "/reviews/" + other + "/readings/" + store.NewID(), grade},
		{403, "PATCH", "/reviews/" + mine, map[string]any{"state": "submitted"}}, {403, "POST", "/reviews", map[string]any{"edition": "ivybeck/5.4/hearthside"}},
		{403, "POST", "/tokens", map[string]any{"label": "more"}}, {401, "GET", "/people", nil}, {401, "GET", "/quality", nil},
		{403, "PUT", "/reviews/" + mine + "/assignment", map[string]any{}}, {403, "POST", "/reports", map[string]any{}},
		{403, "DELETE", "/tokens/" + store.NewID(), nil}, {403, "POST", "/session/proof", map[string]any{"password": "x"}},
		{401, "GET", "/archive", nil}, {401, "GET", "/queue", nil}, {401, "GET", "/me/notices", nil},
	} {
		w.must(c.status, "machine", c.method, "/api/v1"+c.path, c.body)
	}
}

// signedIn sends requests as somebody who is signed in by a session.
type signedIn func(status int, method, path string, body any, headers ...string) *reply

// signedIn signs somebody in by password and returns what sends requests in that session.
func (w *world) signedIn(t *testing.T, name, password string) signedIn {
	t.Helper()
	in := w.must(200, "", "POST", "/api/v1/session", map[string]any{"name": name, "password": password})
	cookie, err := http.ParseSetCookie(in.header.Get("Set-Cookie"))
	if err != nil {
		t.Fatal(err)
	}
	return func(status int, method, path string, body any, headers ...string) *reply {
		t.Helper()
		return w.must(status, "", method, path, body, append(headers, "Cookie", cookie.Name+"="+cookie.Value)...)
	}
}

// TestMachinesWaiting: one network does not fill the list of those that wait.
func TestMachinesWaiting(t *testing.T) {
	t.Parallel()
	w := newWorld(t, false)
	got := map[int]int{}
	for range 25 {
		status, _ := w.form("/oauth/device", url.Values{"client_id": {"dtally"}})
		got[status]++
	}
	if got[200] != 20 || got[429] != 5 {
		t.Errorf("25 machines of one network: %v", got)
	}
}
