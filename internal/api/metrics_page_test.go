package api_test

import (
	"fmt"
	"net/http/httptest"
	"os"
	"regexp"
	"strings"
	"testing"
)

const metricsPage = "../../docs/reference/metrics.md"

var aMetric = regexp.MustCompile(`(?m)^# HELP (dtally_\w+) (.*)\n# TYPE \w+ (\w+)\n\w+(?:\{([^}]*)\})?`)

// TestMetricsPage compares the page that lists the metrics with those of an instance. DTALLY_DOCS=write writes it.
func TestMetricsPage(t *testing.T) {
	w := newWorld(t, false)
	w.must(200, "", "GET", "/api/v1/distributions", nil)
	got := httptest.NewRecorder()
	w.face.Metrics.ServeHTTP(got, httptest.NewRequest("GET", "/metrics", nil))
	var page strings.Builder
	page.WriteString(
		"# Metrics\n\nWhat an instance reports about itself at `/metrics`, on the address of the setting `metrics`, in the " +
			"text format of Prometheus. The metrics of the Go runtime (`go_…`) and of the process (`process_…`) are " +
			"there too. " +
			"[Monitoring](../guides/administrators.md#monitoring) shows what to watch, with alert rules.\n\n" +
			"This page is generated from the " +
			"definitions in the program.\n\n| metric | type | labels | what it is |\n| --- | --- | --- | --- |\n",
	)
	found := aMetric.FindAllStringSubmatch(got.Body.String(), -1)
	for _, m := range found {
		var labels []string
		for _, pair := range regexp.MustCompile(`(\w+)="`).FindAllStringSubmatch(m[4], -1) {
			if pair[1] != "le" {
				labels = append(labels, pair[1])
			}
		}
		fmt.Fprintf(&page, "| `%s` | %s | %s | %s |\n", m[1], m[3], strings.Join(labels, ", "), m[2])
	}
	if len(found) < 15 {
		t.Errorf("an instance reports only %d metrics", len(found))
	}
	if os.Getenv("DTALLY_DOCS") == "write" {
		if err := os.WriteFile(metricsPage, []byte(page.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	shipped, err := os.ReadFile(metricsPage)
	if err != nil {
		t.Fatal(err)
	}
	if string(shipped) != page.String() {
		t.Errorf("%s is not what an instance reports; make docs writes it", metricsPage)
	}
}
