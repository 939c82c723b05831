// Package signontest is a small provider of single sign-on (OpenID Connect) on loopback, for tests. It asks for no
// password: visitors choose who they are.
package signontest

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"html"
	"net/http"
	"net/http/httptest"
	"net/url"
	"sync"
	"testing"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/go-jose/go-jose/v4/jwt"
)

// The service's credentials at the provider.
const (
	ClientID = "dapper-tally"
	Secret   = "a secret of the test"
)

// Provider runs until the test ends.
type Provider struct {
	URL    string
	People map[string]map[string]any // claims, by subject
	// Alter changes the claims of an ID token before it is signed, as a broken or hostile provider would.
	Alter func(claims map[string]any)

	key    *rsa.PrivateKey
	mu     sync.Mutex
	issued map[string]grant // by code
}

// grant is an issued code with its data.
type grant struct{ subject, nonce, challenge, back string }

// New starts a provider.
func New(t testing.TB) *Provider {
	t.Helper()
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	if err != nil {
		t.Fatal(err)
	}
	p := &Provider{People: map[string]map[string]any{}, key: key, issued: map[string]grant{}}
	mux := http.NewServeMux()
	mux.HandleFunc("GET /.well-known/openid-configuration", p.discovery)
	mux.HandleFunc("GET /keys", p.keys)
	mux.HandleFunc("GET /authorize", p.authorize)
	mux.HandleFunc("POST /token", p.token)
	server := httptest.NewServer(mux)
	t.Cleanup(server.Close)
	p.URL = server.URL
	return p
}

func answer(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v) // the caller may have left
}

func (p *Provider) discovery(w http.ResponseWriter, _ *http.Request) {
	answer(w, http.StatusOK, map[string]any{
		"issuer": p.URL, "authorization_endpoint": p.URL + "/authorize", "token_endpoint": p.URL + "/token",
		"jwks_uri": p.URL + "/keys", "response_types_supported": []string{"code"},
		"subject_types_supported": []string{"public"}, "id_token_signing_alg_values_supported": []string{"RS256"},
	})
}

func (p *Provider) keys(w http.ResponseWriter, _ *http.Request) {
	answer(w, http.StatusOK, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{
		{Key: &p.key.PublicKey, KeyID: "one", Algorithm: "RS256", Use: "sig"},
	}})
}

// authorize shows the possible identities as links; with as, it selects one at once.
func (p *Provider) authorize(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	if q.Get("client_id") != ClientID || q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256" {
		http.Error(w, "not what a client asks with PKCE", http.StatusBadRequest)
		return
	}
	back := q.Get("redirect_uri")
	as := q.Get("as")
	if as == "" {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		fmt.Fprint(w, "<!doctype html><title>Who are you?</title><h1>Who are you?</h1>")
		for subject := range p.People {
			q.Set("as", subject)
			fmt.Fprintf(w, "<p><a href=\"/authorize?%s\">%s</a>", html.EscapeString(q.Encode()), html.EscapeString(subject))
		}
		return
	}
	code := rand.Text()
	p.mu.Lock()
	p.issued[code] = grant{as, q.Get("nonce"), q.Get("code_challenge"), back}
	p.mu.Unlock()
	http.Redirect(w, r, back+"?"+url.Values{"code": {code}, "state": {q.Get("state")}}.Encode(), http.StatusSeeOther)
}

// token issues an ID token for a code, once, to the client for which the code is.
func (p *Provider) token(w http.ResponseWriter, r *http.Request) {
	id, secret, basic := r.BasicAuth()
	if !basic {
		id, secret = r.PostFormValue("client_id"), r.PostFormValue("client_secret")
	}
	p.mu.Lock()
	g, ok := p.issued[r.PostFormValue("code")]
	delete(p.issued, r.PostFormValue("code"))
	p.mu.Unlock()
	challenge := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
	switch {
	case id != ClientID || unescaped(secret) != Secret:
		answer(w, http.StatusUnauthorized, map[string]string{"error": "invalid_client"})
		return
	case !ok || g.challenge != base64.RawURLEncoding.EncodeToString(challenge[:]),
		g.back != r.PostFormValue("redirect_uri"):
		answer(w, http.StatusBadRequest, map[string]string{"error": "invalid_grant"})
		return
	}
	now := time.Now()
	claims := map[string]any{
		"iss": p.URL, "sub": g.subject, "aud": ClientID, "nonce": g.nonce,
		"iat": now.Unix(), "exp": now.Add(time.Minute).Unix(),
	}
	for name, value := range p.People[g.subject] {
		claims[name] = value
	}
	if p.Alter != nil {
		p.Alter(claims)
	}
	signer, err := jose.NewSigner(
		jose.SigningKey{Algorithm: jose.RS256, Key: jose.JSONWebKey{Key: p.key, KeyID: "one"}},
		nil,
	)
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	text, err := jwt.Signed(signer).Claims(claims).Serialize()
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	answer(w, http.StatusOK, map[string]any{"access_token": rand.Text(), "token_type": "Bearer", "id_token": text})
}

// unescaped decodes a secret in a header (RFC 6749, 2.3.1).
func unescaped(secret string) string {
	if plain, err := url.QueryUnescape(secret); err == nil {
		return plain
	}
	return secret
}

// File returns a settings file for this provider, with additional lines.
func (p *Provider) File(more string) string {
	return fmt.Sprintf(
		"providers:\n  - key: house\n    title: House accounts\n    issuer: %s\n    client-id: %s\n    client-secret: %s\n%s",
		p.URL,
		ClientID,
		Secret,
		more,
	)
}
