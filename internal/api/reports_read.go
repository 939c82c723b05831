package api

import (
	"bytes"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/gorilla/feeds"

	"dappertally/internal/access"
	"dappertally/internal/contract"
	"dappertally/internal/front"
	"dappertally/internal/problem"
	"dappertally/internal/report"
	"dappertally/internal/reports"
)

const (
	frozenPath = "/frozen/"
	feedPath   = "/reports.atom"
)

// reading answers readers' requests for published reports, outside the contract: pages, frozen files, the feed; and
// the preview of a draft.
func (h *handlers) reading(r *gin.Engine, console *console) {
	published := func(c *gin.Context) { h.publishedPage(c, console) }
	r.GET("/reports/:report", limitTime, h.tagged, published)
	r.GET("/reports/:report/revision/:revision", limitTime, h.tagged, published)
	r.GET("/reports/"+reports.NoReport, console.serve)
	r.GET(frozenPath+":sha256/*name", limitTime, h.frozen)
	r.GET(feedPath, limitTime, h.tagged, h.feed)
	r.GET(base+"/reports/:report/draft/page", limitTime, inPreview, h.identify, h.tagged, h.draftPage)
}

// publishedPage answers with the newest revision of a report, or with the requested one, which links to a newer one.
// The frozen page is not modified: additions are outside of it.
func (h *handlers) publishedPage(c *gin.Context, console *console) {
	asked := 0
	if text := c.Param("revision"); text != "" {
		var err error
		if asked, err = strconv.Atoi(text); err != nil || asked < 1 {
			console.missing(c)
			return
		}
	}
	x, revision, body, err := h.reports.PublishedPage(c.Request.Context(), c.Param("report"), asked)
	if problem.IsKind(err, problem.NotFound) {
		console.missing(c)
		return
	}
	if err != nil {
		refuse(c, err)
		return
	}
	newest := &x.Revisions[0]
	body = bytes.Replace(body, []byte("</head>"), []byte(h.preview(h.origin(c), &x, revision)+"</head>"), 1)
	if newest.Revision != revision.Revision {
		body = bytes.Replace(body, []byte("<body>"), []byte("<body>"+superseded(x.Key, revision, newest)), 1)
	}
	c.Header("Content-Security-Policy", pagePolicy)
	c.Data(http.StatusOK, "text/html; charset=utf-8", body)
}

// preview adds the tags for link previews with a picture, and describes the report to machines.
func (h *handlers) preview(origin string, x *reports.Report, r *reports.ReportRevision) string {
	at := origin + "/reports/" + x.Key
	address := template.HTMLEscapeString(at)
	out := `<link rel="canonical" href="` + address + `"><meta property="og:url" content="` + address + `">`
	picture := ""
	for _, f := range r.Files {
		if f.Name == report.PreviewFile {
			picture = origin + frozenPath + hex.EncodeToString(f.SHA256) + "/" + f.Name
			out += `<meta property="og:image" content="` + template.HTMLEscapeString(picture) +
				`"><meta name="twitter:card" content="summary_large_image">`
		}
	}
	data, err := json.Marshal(front.ArticleData(
		r.Title, r.About, at, h.ledger.Team(), picture, r.Authors, x.Revisions[len(x.Revisions)-1].Published, r.Published,
	))
	if err != nil {
		return out // people find the same on the page
	}
	return out + `<script type="application/ld+json">` + string(data) + `</script>`
}

// superseded marks a revision that was corrected.
func superseded(key string, r, newest *reports.ReportRevision) string {
	what := ""
	if newest.Erratum != nil {
		what = " " + template.HTMLEscapeString(newest.Erratum.What)
	}
	return fmt.Sprintf(
		`<p class="mark" role="note"><b>This is revision %d, and it was corrected.</b> <a href="/reports/%s">Revision %d</a> was published on %s.%s</p>`,
		r.Revision,
		template.HTMLEscapeString(key),
		newest.Revision,
		newest.Published.Format("2 January 2006"),
		what,
	)
}

// origin returns the public address of this service: from the settings, else from the request.
func (h *handlers) origin(c *gin.Context) string {
	switch {
	case h.address != "":
		return h.address
	case h.overTLS(c):
		return "https://" + c.Request.Host
	}
	return "http://" + c.Request.Host
}

// Opened alone, a frozen file runs nothing, whatever its origin. A published page also offers its files and related
// pages.
const (
	frozenPolicy = "default-src 'none'; style-src 'unsafe-inline'; img-src 'self' data:; font-src data:; sandbox"
	pagePolicy   = "default-src 'none'; style-src 'unsafe-inline'; img-src 'self' data:; font-src data:; base-uri 'none'; " +
		"form-action 'none'; frame-ancestors 'none'; sandbox allow-same-origin allow-downloads " +
		"allow-popups allow-popups-to-escape-sandbox"
)

// frozen answers with a file of a published report, which never changes.
func (h *handlers) frozen(c *gin.Context) {
	f, err := h.reports.FrozenFile(c.Request.Context(), c.Param("sha256"), strings.TrimPrefix(c.Param("name"), "/"))
	if err != nil {
		refuse(c, err)
		return
	}
	etag := `"` + hex.EncodeToString(f.SHA256) + `"`
	c.Header("Cache-Control", "public, max-age=31536000, immutable")
	c.Header("ETag", etag)
	c.Writer.Header().Add("Vary", "Accept-Encoding")
	if strings.Contains(c.GetHeader("If-None-Match"), etag) {
		c.Status(http.StatusNotModified)
		c.Writer.WriteHeaderNow()
		return
	}
	mediaType := "application/octet-stream" // imported before types were checked
	if report.HasType(f.Type) {
		mediaType = f.Type
	}
	c.Header("Content-Security-Policy", frozenPolicy)
	if f.Encoding != "" && accepts(c.GetHeader("Accept-Encoding"), f.Encoding) {
		c.Header("Content-Encoding", f.Encoding)
	} else if err := reports.Unpack(&f); err != nil {
		refuse(c, err)
		return
	}
	done, ok := h.untilRead(c, len(f.Body))
	if !ok {
		return
	}
	defer done()
	c.Data(http.StatusOK, mediaType, f.Body)
}

// draftPage answers with the page of a draft as it would be published now.
func (h *handlers) draftPage(c *gin.Context) {
	body, err := h.reports.PreviewReport(c.Request.Context(), whoAsks(c), c.Param("report"))
	if err != nil {
		refuse(c, err)
		return
	}
	c.Data(http.StatusOK, "text/html; charset=utf-8", body)
}

// inPreview lets the editor of a report show an answer, also an error, in a frame, and read its scroll position.
// Nothing runs in it.
func inPreview(c *gin.Context) {
	c.Header(
		"Content-Security-Policy",
		"default-src 'none'; style-src 'unsafe-inline'; img-src data:; font-src data:; base-uri 'none'; form-action 'none'; "+
			"frame-ancestors 'self'; sandbox allow-same-origin",
	)
	c.Next()
}

// feed answers with the published reports as an Atom feed (RFC 4287), newest first; a correction updates its report's
// entry.
func (h *handlers) feed(c *gin.Context) {
	all, err := h.reports.Reports(c.Request.Context(), &access.Actor{})
	if err != nil {
		refuse(c, err)
		return
	}
	at := h.origin(c)
	self := at + c.Request.URL.RequestURI() // the feed of one audience or series is a separate feed
	out := feeds.AtomFeed{
		Xmlns:   "http://www.w3.org/2005/Atom",
		Title:   h.ledger.Team() + ": comparison reports",
		Id:      self,
		Updated: h.lastPublished(all),
		Author:  &feeds.AtomAuthor{AtomPerson: feeds.AtomPerson{Name: h.ledger.Team()}},
		Link:    &feeds.AtomLink{Href: self, Rel: "self", Type: "application/atom+xml"},
	}
	params := contract.ListReportsParams{Audience: c.Query("audience"), Series: c.Query("series")}
	for i := range all {
		x := &all[i]
		if !about(x, &params) {
			continue
		}
		newest, first := &x.Revisions[0], &x.Revisions[len(x.Revisions)-1]
		summary := newest.About
		if newest.Erratum != nil {
			summary = strings.TrimSpace("Corrected: " + newest.Erratum.What + " " + summary)
		}
		entry := &feeds.AtomEntry{
			Title:     newest.Title,
			Id:        "urn:uuid:" + x.ID,
			Updated:   newest.Published.Format(atomTime),
			Published: first.Published.Format(atomTime),
			Links: []feeds.AtomLink{
				{Href: at + "/reports/" + x.Key, Rel: "alternate", Type: "text/html"},
			},
			Summary: &feeds.AtomSummary{Type: "text", Content: summary},
		}
		if len(newest.Authors) > 0 {
			entry.Author = &feeds.AtomAuthor{AtomPerson: feeds.AtomPerson{Name: strings.Join(newest.Authors, ", ")}}
		}
		out.Entries = append(out.Entries, entry)
	}
	body, err := feeds.ToXML(&out)
	if err != nil {
		refuse(c, problem.New(problem.Internal, "the feed could not be written: %s", err.Error()))
		return
	}
	c.Data(http.StatusOK, "application/atom+xml; charset=utf-8", []byte(body))
}

const atomTime = "2006-01-02T15:04:05Z"

// lastPublished returns when anything was last published.
func (h *handlers) lastPublished(all []reports.Report) string {
	last := h.ledger.Now()
	for i := range all {
		if at := all[i].Revisions[0].Published; i == 0 || at.After(last) {
			last = at
		}
	}
	return last.UTC().Format(atomTime)
}
