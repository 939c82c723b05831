package api_test

import (
	"strings"
	"testing"
)

func TestMetrics(t *testing.T) {
	w := newWorld(t, false)
	w.must(200, "", "GET", "/api/v1/distributions", nil)
	w.must(404, "", "GET", "/api/v1/some-address", nil)
	says := string(w.must(200, "", "GET", "/metrics", nil).body)
	for _, want := range []string{`dtally_request_seconds_count{method="GET",route="/api/v1/distributions",status="200"} 1`, "dtally_follows 1", "dtally_change ", "go_goroutines "} {
		if !strings.Contains(says, want) {
			t.Errorf("the metrics lack %q", want)
		}
	}
	if strings.Contains(says, "some-address") {
		t.Error("an address that somebody made up is counted on its own")
	}
}
