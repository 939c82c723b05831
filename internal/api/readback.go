package api

import (
	"bytes"
	"encoding/json"
	"net/http"
	"path"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"dappertally/internal/contract"
	"dappertally/internal/ledger"
)

// shownAt are the addresses that show the object of a write, by operation.
var shownAt = map[string]string{
	"POST /distributions":          "/distributions/%s",
	"POST /releases":               "/releases/%s",
	"POST /editions":               "/editions/%s",
	"POST /rigs":                   "/rigs/%s",
	"POST /checklists":             "/checklists/%s",
	"POST /proposals":              "/proposals/%s",
	"POST /proposals/:id/comments": "/proposals/%s",
	"POST /reviews":                "/reviews/%s",
	"POST /known-issues":           "/known-issues/%s",
	"POST /reports":                "/reports/%s",
	"POST /plans":                  "/plans/%s",
	"POST /people":                 "/people/%s",
}

// readBack returns the answer to a completed write whose own answer is missing: the object as it is now or, if that
// cannot be read, its identification.
func (h *handlers) readBack(c *gin.Context, made *ledger.Made) *keptAnswer {
	a := &keptAnswer{Status: succeeds(c.Request)}
	if whoAsks(c).SignedIn() {
		a.Change = strconv.FormatInt(made.Number, 10)
	}
	if a.Status == http.StatusNoContent {
		return a
	}
	a.Type = "application/json"
	at := shownAt[c.Request.Method+" "+strings.TrimPrefix(c.FullPath(), base)]
	if c.Request.Method == http.MethodPut || c.Request.Method == http.MethodPatch {
		at = strings.TrimPrefix(c.Request.URL.Path, base)
	}
	if at != "" {
		if shown := h.shown(c, at, made); shown != nil {
			a.Revision, a.Body = shown.revision(), shown.body.Bytes()
			return a
		}
	}
	// Its identification, for a program to request it later.
	text, err := json.Marshal(map[string]any{
		"id": made.Subject, "key": path.Base(made.Subject), "change": a.Change,
	})
	if err != nil {
		panic(err) // it can always be encoded
	}
	a.Body = append(text, '\n')
	return a
}

// shown reads an address for the caller; nil if it cannot be read.
func (h *handlers) shown(c *gin.Context, at string, made *ledger.Made) *taken {
	at = strings.Replace(at, "%s", strings.ReplaceAll(made.Subject, "@", "/"), 1)
	r := c.Request.Clone(c.Request.Context())
	u := *r.URL
	u.Path, u.RawPath, u.RawQuery = base+at, "", ""
	r.Method, r.URL, r.Body, r.ContentLength = http.MethodGet, &u, http.NoBody, 0
	for _, name := range []string{"If-Match", "If-None-Match", "Accept-Encoding", "Content-Type", contract.KeyHeader} {
		r.Header.Del(name)
	}
	if whoAsks(c).SignedIn() {
		r.Header.Set("Dtally-After", strconv.FormatInt(made.Number, 10))
	}
	w := &taken{header: http.Header{}, status: http.StatusOK}
	h.all.ServeHTTP(w, r)
	if w.status != http.StatusOK {
		return nil
	}
	return w
}

// taken captures an answer instead of sending it.
type taken struct {
	header http.Header
	status int
	body   bytes.Buffer
}

func (w *taken) Header() http.Header { return w.header }

func (w *taken) WriteHeader(status int) { w.status = status }

func (w *taken) Write(b []byte) (int, error) { return w.body.Write(b) }

// revision returns the revision that an edit of the shown object must name.
func (w *taken) revision() int { return int(version(w.header.Get("ETag"))) }

// succeeds returns the status with which an operation of the contract reports success.
func succeeds(r *http.Request) int {
	router, err := routes()
	if err != nil {
		return http.StatusOK
	}
	route, _, err := router.FindRoute(r)
	if err != nil {
		return http.StatusOK
	}
	var all []int
	for text := range route.Operation.Responses.Map() {
		if n, err := strconv.Atoi(text); err == nil && n < http.StatusMultipleChoices {
			all = append(all, n)
		}
	}
	if len(all) == 0 {
		return http.StatusOK
	}
	return slices.Min(all)
}
