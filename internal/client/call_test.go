package client

import (
	"errors"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"dappertally/internal/contract"
)

// answering is a service that answers everything in the same way and keeps the
// last request.
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
		{404, `<html>another service</html>`, false, false, "no Dapper Tally service"},
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
