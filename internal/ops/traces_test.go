package ops

import (
	"compress/gzip"
	"context"
	"encoding/hex"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	collector "go.opentelemetry.io/proto/otlp/collector/trace/v1"
	spans "go.opentelemetry.io/proto/otlp/trace/v1"
	"google.golang.org/protobuf/proto"

	"dappertally/internal/demo"
	"dappertally/internal/service"
	"dappertally/internal/servicetest"
	"dappertally/internal/store"
)

// receiver receives traces as a collector does.
type receiver struct {
	mu    sync.Mutex
	spans []*spans.Span
	of    []string // service names
}

func (r *receiver) ServeHTTP(w http.ResponseWriter, req *http.Request) {
	var body io.Reader = req.Body
	if req.Header.Get("Content-Encoding") == "gzip" {
		unzipped, err := gzip.NewReader(req.Body)
		if err != nil {
			http.Error(w, err.Error(), http.StatusBadRequest)
			return
		}
		body = unzipped
	}
	raw, err := io.ReadAll(body)
	var got collector.ExportTraceServiceRequest
	if err != nil || req.URL.Path != tracesPath || proto.Unmarshal(raw, &got) != nil {
		http.Error(w, "no traces", http.StatusBadRequest)
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, from := range got.ResourceSpans {
		for _, a := range from.Resource.Attributes {
			if a.Key == "service.name" {
				r.of = append(r.of, a.Value.GetStringValue())
			}
		}
		for _, scope := range from.ScopeSpans {
			r.spans = append(r.spans, scope.Spans...)
		}
	}
}

// TestTraces runs the service with a receiver of traces: a request is one trace with its statements, without the values
// in them; probes are not traced. A missing receiver delays nobody.
func TestTraces(t *testing.T) {
	got := &receiver{}
	collects := httptest.NewServer(got)
	defer collects.Close()
	at, stop := tracedService(t, collects.URL)
	res, err := http.Get(at + "/api/v1/distributions?limit=3")
	if err != nil || res.StatusCode != 200 {
		t.Fatal(res, err)
	}
	res.Body.Close()
	// A wrong sign-in looks up a person: statements with values in them.
	wrong, err := http.Post(at+"/api/v1/session", "application/json",
		strings.NewReader(`{"name":"hidden-visitor","password":"not-the-password"}`))
	if err != nil || wrong.StatusCode != 401 {
		t.Fatal(wrong, err)
	}
	wrong.Body.Close()
	if res, err = http.Get(at + "/healthz"); err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	stop()
	names := map[string]*spans.Span{}
	for _, s := range got.spans {
		if s.ParentSpanId == nil {
			names[s.Name] = s
		}
		if text := s.String(); strings.Contains(text, "hidden-visitor") || strings.Contains(text, "not-the-password") {
			t.Errorf("a trace holds what somebody typed: %s", text)
		}
	}
	if names["GET /api/v1/distributions"] == nil || names["GET /healthz"] != nil {
		t.Errorf("traced: %v", names)
	}
	signIn := names["POST /api/v1/session"]
	if signIn == nil {
		t.Fatalf("the sign-in is not traced: %v", names)
	}
	statements := 0
	for _, s := range got.spans {
		if hex.EncodeToString(s.TraceId) != hex.EncodeToString(signIn.TraceId) || s.ParentSpanId == nil {
			continue
		}
		statements++
		if hex.EncodeToString(s.ParentSpanId) != hex.EncodeToString(signIn.SpanId) ||
			s.EndTimeUnixNano < s.StartTimeUnixNano {
			t.Errorf("a statement is not part of its request: %v", s)
		}
	}
	if statements == 0 || len(got.of) == 0 || got.of[0] != "dtallyd" {
		t.Errorf("%d statements of the sign-in, from %v", statements, got.of)
	}
}

// TestTracesAway: without its receiver the service answers as usual and stops in time.
func TestTracesAway(t *testing.T) {
	gone := httptest.NewServer(http.NotFoundHandler())
	gone.Close()
	at, stop := tracedService(t, gone.URL)
	start := time.Now()
	res, err := http.Get(at + "/api/v1/distributions")
	if err != nil || res.StatusCode != 200 || time.Since(start) > 2*time.Second {
		t.Error(res, err, time.Since(start))
	}
	res.Body.Close()
	stop()
	if took := time.Since(start); took > lastTraces+3*time.Second {
		t.Errorf("it ended after %v", took)
	}
}

// tracedService runs the service on the demo's records; stop ends it.
func tracedService(t *testing.T, receiver string) (address string, stop func()) {
	t.Helper()
	st, err := store.Open(servicetest.Filled.DSN(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { st.Close() })
	to, err := url.Parse(receiver)
	if err != nil {
		t.Fatal(err)
	}
	log := slog.New(slog.DiscardHandler)
	ctx, cancel := context.WithCancel(t.Context())
	ready, ended := make(chan string, 1), make(chan error, 1)
	go func() {
		ended <- run(ctx, service.New(st, log, demo.Clock),
			&Settings{Listen: "127.0.0.1:0", Public: true, Traces: to, TracesShare: 1}, log,
			func(at string) { ready <- at })
	}()
	select {
	case address = <-ready:
	case err := <-ended:
		cancel()
		t.Fatalf("it ended: %v", err)
	}
	return address, func() {
		cancel()
		if err := <-ended; err != nil {
			t.Error(err)
		}
	}
}
