package e2e

import (
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"sync"
	"testing"
)

// between is a proxy between a browser and a service that can answer requests itself.
type between struct {
	address string
	through http.Handler

	mu     sync.Mutex
	answer func(w http.ResponseWriter, r *http.Request) bool
}

// stand starts a proxy in front of a service; it first forwards everything.
func stand(t *testing.T, service string) *between {
	t.Helper()
	to, err := url.Parse(service)
	if err != nil {
		t.Fatal(err)
	}
	through := &httputil.ReverseProxy{
		Rewrite:       func(r *httputil.ProxyRequest) { r.SetURL(to); r.Out.Host = r.In.Host },
		FlushInterval: -1,
		ErrorHandler:  func(w http.ResponseWriter, _ *http.Request, _ error) { w.WriteHeader(http.StatusBadGateway) },
	}
	b := &between{through: through}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		b.mu.Lock()
		answer := b.answer
		b.mu.Unlock()
		if answer == nil || !answer(w, r) {
			through.ServeHTTP(w, r)
		}
	}))
	b.address = server.URL
	t.Cleanup(func() { server.CloseClientConnections(); server.Close() })
	return b
}

// answers sets a function that answers requests from now on; it returns whether it has done so. nil forwards
// everything.
func (b *between) answers(answer func(w http.ResponseWriter, r *http.Request) bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.answer = answer
}
