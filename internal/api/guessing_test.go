package api_test

import (
	"log/slog"
	"net/http/httptest"
	"net/netip"
	"strings"
	"testing"
	"time"

	"dappertally/internal/api"
)

// behind returns the same service behind a proxy on loopback, which it trusts.
func (w *world) behind(trusted ...string) *world {
	w.t.Helper()
	o := api.Options{Log: slog.New(slog.DiscardHandler)}
	for _, x := range trusted {
		o.Trusted = append(o.Trusted, netip.MustParsePrefix(x))
	}
	handler, err := api.New(w.svc, o)
	if err != nil {
		w.t.Fatal(err)
	}
	own := *w
	own.server = httptest.NewServer(handler)
	w.t.Cleanup(own.server.Close)
	return &own
}

// TestGuessing: only failures count, for one name from one network, and nobody else is kept out.
func TestGuessing(t *testing.T) {
	w := newWorld(t, false).behind("127.0.0.0/8")
	moment := time.Now()
	w.svc.People.Clock = func() time.Time { return moment }
	try := func(status int, from, name, password string) *reply {
		t.Helper()
		return w.must(status, "", "POST", "/api/v1/session", map[string]any{"name": name, "password": password},
			"X-Forwarded-For", from)
	}
	const attacker, victim = "203.0.113.9", "198.51.100.4"
	right := secretOf("ines")
	for range 6 { // who knows the password may sign in as often as they like
		try(200, victim, "ines", right)
	}
	for range 5 {
		try(401, attacker, "ines", "guess")
	}
	if got := try(429, attacker, "ines", "guess").header.Get("Retry-After"); got != "3" && got != "2" {
		t.Errorf("after 5 failures one waits %s s", got)
	}
	try(429, attacker, "ines", right)             // a right guess is not recognizable
	try(200, victim, "ines", right)               // elsewhere she signs in
	try(401, attacker, "tomas", "guess")          // other names are still free there
	try(429, "::ffff:"+attacker, "ines", "guess") // the same network, written differently
	// Each failure doubles the wait.
	wait := 2 * time.Second
	for range 2 {
		moment = moment.Add(wait)
		try(401, attacker, "ines", "guess")
		wait *= 2
		moment = moment.Add(wait - time.Second)
		try(429, attacker, "ines", "guess")
		moment = moment.Add(time.Second - wait)
	}
	moment = moment.Add(wait)
	try(200, attacker, "ines", right) // and success forgets them
	try(401, attacker, "ines", "guess")
	try(401, attacker, "ines", "guess")
	// One customer with IPv6 has 2⁶⁴ addresses.
	for i := range 5 {
		try(401, "2001:db8:1:2::"+string(rune('1'+i)), "ines", "guess")
	}
	try(429, "2001:db8:1:2:ffff::1", "ines", "guess")
	try(401, "2001:db8:1:3::1", "ines", "guess")
	// The counts are in the database: another instance knows them, and many names do not displace them.
	other := w.behind("127.0.0.0/8")
	other.must(429, "", "POST", "/api/v1/session", map[string]any{"name": "ines", "password": "x"},
		"X-Forwarded-For", "2001:db8:1:2::9")
}

// TestProxies: the address that a stranger claims for a request is ignored; a trusted proxy's is used.
func TestProxies(t *testing.T) {
	plain := newWorld(t, false)
	body := map[string]any{"name": "ines", "password": secretOf("ines")}
	forwarded := []string{"X-Forwarded-For", "203.0.113.9", "X-Forwarded-Proto", "https"}
	seen := func(w *world) (address, cookie, transport string) {
		t.Helper()
		r := w.must(200, "", "POST", "/api/v1/session", body, forwarded...)
		var list struct{ Sessions []struct{ Address string } }
		w.must(200, "perrin", "GET", "/api/v1/people/ines/sessions", nil).into(t, &list)
		return list.Sessions[0].Address, r.header.Get("Set-Cookie"), r.header.Get("Strict-Transport-Security")
	}
	for _, trusted := range []string{"", "192.0.2.0/24"} {
		w := plain
		if trusted != "" {
			w = plain.behind(trusted)
		}
		if at, cookie, transport := seen(w); at != "127.0.0.1" || strings.Contains(cookie, "Secure") || transport != "" {
			t.Errorf("trusting %q: from %s, %s, %s", trusted, at, cookie, transport)
		}
	}
	at, cookie, transport := seen(plain.behind("127.0.0.1/32"))
	if at != "203.0.113.9" || !strings.HasPrefix(cookie, "__Host-dtally_session=") ||
		!strings.Contains(cookie, "Secure") ||
		transport == "" {
		t.Errorf("behind a trusted proxy: from %s, %s, %s", at, cookie, transport)
	}
}
