package api_test

import (
	"strings"
	"testing"
	"time"
)

// TestPasskeysRefused: an answer without a valid passkey opens nothing, and adding a passkey needs a session that was
// confirmed shortly before. A test with a real browser does the rest.
func TestPasskeysRefused(t *testing.T) {
	t.Parallel()
	w := newWorld(t, false)
	at := time.Now()
	w.svc.People.Clock = func() time.Time { return at }
	answer := map[string]any{"ceremony": "made-up", "credential": map[string]any{"id": "AA", "type": "public-key"}}
	w.must(401, "", "POST", "/api/v1/session/passkey", answer)
	w.must(401, "", "POST", "/api/v1/session/second", map[string]any{"pending": "made-up", "code": "AAAAA-AAAAA"})
	w.must(422, "", "POST", "/api/v1/session/second", map[string]any{"pending": "made-up"})
	w.must(409, "", "POST", "/api/v1/session/passkey/options", nil) // by a number
	byName := []string{"X-Forwarded-Proto", "https"}
	w.must(409, "", "POST", "/api/v1/session/passkey/options", nil, byName...)
	ines := w.signedIn(t, "ines", "seven-blue-buckets")
	for _, c := range []struct {
		status       int
		method, path string
		body         any
	}{
		{409, "POST", "/me/passkeys/options", nil},
		{409, "POST", "/me/passkeys", map[string]any{"ceremony": "x", "label": "phone", "credential": map[string]any{}}},
		{422, "POST", "/me/passkeys", map[string]any{"ceremony": "x", "label": " ", "credential": map[string]any{}}},
		{422, "POST", "/me/passkeys", map[string]any{"ceremony": "x", "label": "a\u202eb", "credential": map[string]any{}}},
		{409, "PUT", "/me/second-step", map[string]any{"wanted": true}},
		{409, "POST", "/me/recovery-codes", nil},
		{200, "GET", "/people/ines/passkeys", nil},
		{403, "GET", "/people/tomas/passkeys", nil},
		{404, "DELETE", "/people/ines/passkeys/01a22639-d721-71ab-bb33-143989c477b3", nil},
		{403, "GET", "/sign-in-rules", nil},
		{403, "PUT", "/sign-in-rules", map[string]any{"secondStep": "required"}},
	} {
		ines(c.status, c.method, "/api/v1"+c.path, c.body)
	}
	// A token cannot add one, and neither can an old session.
	w.must(403, "ines", "POST", "/api/v1/me/passkeys/options", nil)
	at = at.Add(11 * time.Minute)
	for _, path := range []string{"/me/passkeys/options", "/me/recovery-codes"} {
		if r := ines(403, "POST", "/api/v1"+path, nil); !strings.Contains(string(r.body), "/problems/unproved") {
			t.Errorf("%s: %s", path, r.body)
		}
	}
	// People cannot lock themselves out.
	if r := w.must(409, "perrin", "PUT", "/api/v1/sign-in-rules", map[string]any{"secondStep": "required"}); !strings.Contains(
		string(r.body),
		"own account first",
	) {
		t.Errorf("%s", r.body)
	}
}
