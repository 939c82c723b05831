package api_test

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
)

// TestDocs: the service serves its documentation, also if readers need an account.
func TestDocs(t *testing.T) {
	w := newWorld(t, true)
	for path, want := range map[string]struct {
		status int
		has    string
	}{
		"/docs":                                      {200, "<h1>Documentation</h1>"},
		"/docs/":                                     {200, "<h1>Documentation</h1>"},
		"/docs/guides/leads":                         {200, `href="/docs/reference/checklist-file"`},
		"/docs/changelog":                            {200, "<h1>Changelog</h1>"},
		"/docs/search?q=dead+heat":                   {200, "<mark>dead</mark> <mark>heat</mark>"},
		"/docs/search?q=%22%3E%3Cscript%3E":          {200, "No section has all of these words"},
		"/docs/search":                               {200, "Type what you want to know about"},
		"/docs/print":                                {200, "<article><h1>For leads"},
		"/docs/style.css":                            {200, "--paper"},
		"/docs/screenshots/desk.png":                 {200, "PNG"},
		"/docs/explanation/worked.bundle.json":       {200, "dapper-tally/bundle"},
		"/docs/deploy/cluster/dtally.yaml":           {200, "database"},
		"/docs/deploy/deploy.go":                     {404, "There is no such page"},
		"/docs/backup/restore":                       {404, "Restore to a point in time"},
		"/docs/guides/../../../../etc/passwd":        {404, "There is no such page"},
		"/docs/guides/leads.md":                      {404, "There is no such page"},
		"/docs/screenshots":                          {404, "There is no such page"},
		"/docs/%00":                                  {404, "There is no such page"},
		"/docs/" + strings.Repeat("long/", 100):      {404, "There is no such page"},
		"/docs/search?q=" + strings.Repeat("x", 9e3): {200, "No section has all of these words"},
	} {
		r := w.must(want.status, "", "GET", path, nil, "Accept", "text/html")
		if !strings.Contains(string(r.body), want.has) || strings.Contains(string(r.body), "<script") {
			t.Errorf("%.60s lacks %q", path, want.has)
		}
		if strings.HasPrefix(r.header.Get("Content-Type"), "text/html") &&
			!strings.Contains(r.header.Get("Content-Security-Policy"), "default-src 'none'") {
			t.Errorf("%.60s has the policy %q", path, r.header.Get("Content-Security-Policy"))
		}
	}
	for page, want := range map[string]string{
		"": "/docs/guides/readers#read-the-ranking", "/desk/some-id": "/docs/guides/reviewers#the-desk",
		"/known-issues": "/docs/reference/glossary#reviews", "//evil.example": "/docs/guides/readers#read-the-ranking",
	} {
		request := httptest.NewRequest("GET", "/docs/for"+page, nil)
		got := httptest.NewRecorder()
		w.face.ServeHTTP(got, request)
		if to := got.Header().Get("Location"); got.Code != http.StatusFound || to != want {
			t.Errorf("help for %q: %d, %s; want %s", page, got.Code, to, want)
		}
	}
	tag := w.must(200, "", "GET", "/docs", nil).header.Get("ETag")
	w.must(304, "", "GET", "/docs", nil, "If-None-Match", tag)
	w.must(405, "", "POST", "/docs", nil)
}
