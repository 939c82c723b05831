package api_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"

	"dappertally/deploy"
)

func TestMetrics(t *testing.T) {
	w := newWorld(t, false)
	w.must(200, "", "GET", "/api/v1/distributions", nil)
	w.must(404, "", "GET", "/api/v1/some-address", nil)
	for i := range 50 {
		r, err := http.NewRequestWithContext(t.Context(), fmt.Sprintf("INVENTED%d", i),
			w.server.URL+"/api/v1/distributions", nil)
		if err != nil {
			t.Fatal(err)
		}
		res, err := http.DefaultClient.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
	}
	w.must(404, "", "GET", "/metrics", nil, "Accept", "text/plain") // not in public
	got := httptest.NewRecorder()
	w.face.Metrics.ServeHTTP(got, httptest.NewRequest("GET", "/metrics", nil))
	says := got.Body.String()
	for _, want := range []string{`dtally_request_seconds_count{method="GET",route="/api/v1/distributions",status="200"} 1`, "dtally_follows 1", "dtally_change ", "go_goroutines ",
		"dtally_changes_behind 0\n", "dtally_database_away 0\n", "dtally_database_connections_most 32\n", "dtally_streams 0\n",
		"dtally_last_backup_timestamp_seconds 0\n", `dtally_build_info{`,
	} {
		if !strings.Contains(says, want) {
			t.Errorf("the metrics lack %q", want)
		}
	}
	alerts, err := deploy.Files.ReadFile("alerts.yaml")
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range regexp.MustCompile(`dtally_\w+`).FindAllString(string(alerts), -1) {
		if !strings.Contains(says, "\n"+name) {
			t.Errorf("an alert asks for %s, which is not shown", name)
		}
	}
	if strings.Contains(says, "INVENTED") || !strings.Contains(says, `method="other"`) {
		t.Error("methods that somebody made up are counted on their own")
	}
	if strings.Contains(says, "some-address") {
		t.Error("an address that somebody made up is counted on its own")
	}
}
