package client

import (
	"errors"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"dappertally/internal/contract"
)

// memory keeps keys as long as it lives.
type memory map[string]string

func (m memory) Key(request string) string { return m[request] }
func (m memory) Keep(request, key string)  { m[request] = key }
func (m memory) Drop(request string)       { delete(m, request) }

// breaking is a service that breaks off so many times and then answers; keys are those it received.
func breaking(t *testing.T, times int, broken http.HandlerFunc) (c *Client, keys *[]string) {
	t.Helper()
	keys = &[]string{}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		*keys = append(*keys, r.Header.Get(contract.KeyHeader))
		if len(*keys) <= times {
			broken(w, r)
			return
		}
		w.WriteHeader(http.StatusCreated)
		_, _ = w.Write([]byte(`{"id": "r1"}`))
	}))
	t.Cleanup(server.Close)
	return Connect(server.URL, "dt_secret"), keys
}

// TestAskedAgain: a write with an unknown outcome is sent again with the same key, also by a later command; one with a
// known outcome is not.
func TestAskedAgain(t *testing.T) {
	standard := pauses
	pauses = []time.Duration{time.Millisecond, time.Millisecond}
	t.Cleanup(func() { pauses = standard })
	body := contract.NewReview{Edition: "a/1/b"}
	for name, broken := range map[string]http.HandlerFunc{
		"cut":     func(http.ResponseWriter, *http.Request) { panic(http.ErrAbortHandler) },
		"a proxy": func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusBadGateway) },
		"unsettled": func(w http.ResponseWriter, _ *http.Request) {
			w.WriteHeader(http.StatusServiceUnavailable)
			_, _ = w.Write([]byte(`{"type":"/problems/unsettled","title":"x","status":503,"detail":"Nobody knows"}`))
		},
	} {
		c, keys := breaking(t, 2, broken)
		if got, err := c.AddReview(t.Context(), body); err != nil || got.Value.Id != "r1" {
			t.Errorf("%s: %+v, %v", name, got, err)
		}
		if k := *keys; len(k) != 3 || k[0] == "" || k[1] != k[0] || k[2] != k[0] {
			t.Errorf("%s: asked with the keys %q", name, k)
		}
		// An unknown outcome is known to the next command.
		kept := memory{}
		c, keys = breaking(t, 3, broken)
		if _, err := c.Remembering(kept).AddReview(t.Context(), body); err == nil || len(kept) != 1 {
			t.Errorf("%s: %v, %d keys kept", name, err, len(kept))
		}
		if _, err := c.Remembering(kept).AddReview(t.Context(), body); err != nil || len(kept) != 0 {
			t.Errorf("%s, the next command: %v, %d keys kept", name, err, len(kept))
		}
		if k := *keys; len(k) != 4 || k[3] != k[0] {
			t.Errorf("%s: asked with the keys %q", name, k)
		}
		_, err := c.AddReview(t.Context(), body)
		if k := *keys; err != nil || k[4] == k[0] {
			t.Errorf("%s: another request has the key of the one before: %v", name, err)
		}
	}
	c, keys := breaking(t, 9, func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(http.StatusConflict)
		_, _ = w.Write([]byte(`{"type":"/problems/conflict","title":"x","status":409,"detail":"There already"}`))
	})
	if _, err := c.AddReview(t.Context(), body); err == nil || len(*keys) != 1 {
		t.Errorf("refused: %v after %d tries", err, len(*keys))
	}
	nobody := Connect("http://127.0.0.1:1", "")
	_, err := nobody.AddReview(t.Context(), body)
	if !errors.Is(err, ErrUnreachable) || strings.Contains(err.Error(), "carried out") {
		t.Errorf("nobody listens: %v", err)
	}
}
