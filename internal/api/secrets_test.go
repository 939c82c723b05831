package api_test

import (
	"bytes"
	"encoding/json"
	"log/slog"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"testing"

	"dappertally/internal/api"
	"dappertally/internal/ledger"
	"dappertally/internal/service"
)

// shared is a log that several write to at once.
type shared struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (s *shared) Write(b []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.text.Write(b)
}

// TestNoSecretInTheLog does everything that involves secrets, with the most detailed log, and looks for them there and
// in the audit trail.
func TestNoSecretInTheLog(t *testing.T) {
	st := peopled.Open(t)
	w := newWorldOn(t, st)
	var out shared
	log := slog.New(ledger.Traced(slog.NewTextHandler(&out, &slog.HandlerOptions{Level: slog.LevelDebug})))
	svc := service.New(st, log, w.svc.Now)
	face, err := api.New(svc, api.Options{Log: log})
	if err != nil {
		t.Fatal(err)
	}
	go svc.Follow(t.Context())
	w.server, w.svc = httptest.NewServer(face), svc
	t.Cleanup(w.server.Close)
	const wrong, next = "a mistyped password of mine", "seven quiet harbours east"
	ines := w.browser()
	ines.signIn(401, "ines", wrong)
	ines.signIn(401, wrong, wrong) // typed into the wrong field
	ines.signIn(200, "ines", secretOf("ines"))
	at, err := url.Parse(w.server.URL)
	if err != nil {
		t.Fatal(err)
	}
	session := ines.client.Jar.Cookies(at)[0].Value
	var token struct{ ID, Secret string }
	if err := json.Unmarshal(ines.ask(201, "POST", "/tokens", map[string]any{"label": "bench"}), &token); err != nil {
		t.Fatal(err)
	}
	w.must(200, "", "GET", "/api/v1/people", nil, "Authorization", "Bearer "+token.Secret)
	w.must(401, "", "GET", "/api/v1/people", nil, "Authorization", "Bearer "+token.Secret+"x")
	ines.ask(422, "PUT", "/session/password", map[string]any{"before": wrong, "password": next})
	ines.ask(204, "PUT", "/session/password", map[string]any{"before": secretOf("ines"), "password": next})
	ines.ask(200, "POST", "/password-strength", map[string]any{"password": wrong})
	link := w.linkFor(201, "tomas")
	_, secret, _ := strings.Cut(link, "#")
	w.browser().by(422, link, "tomas")
	w.browser().by(200, link, better)
	var hook struct{ Secret string }
	w.must(201, "marit", "POST", "/api/v1/hooks", map[string]any{"url": "https://example.org/changes"}).into(t, &hook)
	var calendar struct{ Path string }
	w.must(201, "marit", "POST", "/api/v1/me/calendar", nil).into(t, &calendar)
	key := calendar.Path[strings.LastIndex(calendar.Path, "=")+1:]
	w.must(200, "", "GET", calendar.Path, nil)

	trail, err := json.Marshal(w.entries(200, "perrin", "limit=1000"))
	if err != nil {
		t.Fatal(err)
	}
	out.mu.Lock()
	defer out.mu.Unlock()
	if n := strings.Count(out.text.String(), "\n"); n < 20 {
		t.Errorf("the log has %d lines, which is too few to tell", n)
	}
	for name, secret := range map[string]string{
		"a wrong password": wrong, "a password": secretOf("ines"), "a new password": next, "one by link": better,
		"a session": session, "a token": token.Secret, "a link": secret, "a hook's secret": hook.Secret, "a calendar": key,
	} {
		for place, text := range map[string]string{"the log": out.text.String(), "the audit trail": string(trail)} {
			if strings.Contains(text, secret) {
				t.Errorf("%s tells %s", place, name)
			}
		}
	}
}
