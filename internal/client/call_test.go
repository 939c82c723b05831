package client

import (
	"errors"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"dappertally/internal/contract"
)

// answering is a service that gives the same answer to everything and keeps the last request.
func answering(t *testing.T, status int, contentType, body string) (*Client, *http.Request) {
	t.Helper()
	last := new(http.Request)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		*last = *r
		w.Header().Set("Content-Type", contentType)
		w.Header().Set("ETag", `"3.abc"`)
		w.WriteHeader(status)
		_, _ = w.Write([]byte(body))
	}))
	t.Cleanup(server.Close)
	return Connect(server.URL+"/", "dt_secret"), last
}

func TestRead(t *testing.T) {
	c, last := answering(t, 200, "application/json", `{"rigs": [{"key": "bench-a"}]}`)
	got, err := c.ListRigs(t.Context(), contract.ListRigsParams{})
	if err != nil || len(got.Value.Rigs) != 1 || got.ETag != `"3.abc"` {
		t.Errorf("%+v, %v", got, err)
	}
	if last.Header.Get("Authorization") != "Bearer dt_secret" || last.URL.RawQuery != "" {
		t.Errorf("asked with %q and %q", last.Header.Get("Authorization"), last.URL.RawQuery)
	}
}

func TestReadRefusals(t *testing.T) {
	for _, c := range []struct {
		status      int
		body        string
		refusal     bool
		unreachable bool
		says        string
	}{
		{422, `{"type": "/problems/invalid", "title": "x", "status": 422, "detail": "Not taken", "errors": [{"pointer": "/key", "detail": "is odd"}]}`, true, false, "Not taken\n  /key: is odd"},
		{404, `{"type": "x", "title": "x", "status": 404, "detail": "There is no rig x"}`, true, false, "There is no rig x"},
		{503, `{"type": "x", "title": "x", "status": 503, "detail": "The database cannot be reached"}`, true, true, "database"},
		{404, `<html>another service</html>`, false, false, "not be a Dapper Tally service"},
		{200, `<html>another service</html>`, false, false, "same version"},
	} {
		api, _ := answering(t, c.status, "application/json", c.body)
		_, err := api.ListRigs(t.Context(), contract.ListRigsParams{})
		var refusal *Refusal
		if err == nil || errors.As(err, &refusal) != c.refusal || errors.Is(err, ErrUnreachable) != c.unreachable ||
			!strings.Contains(err.Error(), c.says) {
			t.Errorf("%d %.40s: %v", c.status, c.body, err)
		}
	}
}

// TestElsewhere sends a password only to the named service, and refuses an endless answer.
func TestElsewhere(t *testing.T) {
	heard := 0
	other := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { heard++ }))
	defer other.Close()
	here := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case base + "/session", base + "/files/abc":
			http.Redirect(w, r, other.URL+r.URL.Path, http.StatusTemporaryRedirect)
		case base + "/rigs":
			http.Redirect(w, r, base+"/people", http.StatusTemporaryRedirect)
		case base + "/people":
			_, _ = w.Write([]byte(`{"rigs": []}`))
		default:
			chunk := []byte(strings.Repeat(" ", 1<<20))
			for range mostAnswer>>20 + 2 {
				if _, err := w.Write(chunk); err != nil {
					return
				}
			}
		}
	}))
	defer here.Close()
	c := Connect(here.URL, "dt_secret")
	if _, err := c.SignIn(t.Context(), contract.Credentials{Name: "ines", Password: "secret"}); err == nil ||
		!strings.Contains(err.Error(), other.URL) {
		t.Errorf("led elsewhere: %v", err)
	}
	if _, err := Download(t.Context(), c, "abc"); err == nil {
		t.Error("a file was fetched elsewhere")
	}
	if heard > 0 {
		t.Errorf("another service was asked %d times", heard)
	}
	if _, err := c.ListRigs(t.Context(), contract.ListRigsParams{}); err != nil {
		t.Errorf("led on within the service: %v", err)
	}
	if _, err := c.ListChecklists(t.Context(), contract.ListChecklistsParams{}); err == nil ||
		!strings.Contains(err.Error(), "larger than") {
		t.Errorf("an endless answer: %v", err)
	}
}
