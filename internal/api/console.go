package api

import (
	"fmt"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"regexp"
	"strings"

	"github.com/gin-gonic/gin"
)

// console serves the built console: its assets by name, and its one page for every address that the console handles.
type console struct {
	files fs.FS
	index []byte
	build string // as its page names it
	// firstView adds to its page what can be read before its code is loaded; nil: nothing.
	firstView func(c *gin.Context, index []byte) []byte
}

// buildOf returns the build that the console's page names.
var buildOf = regexp.MustCompile(`<meta name="console" content="([0-9a-f]+)"`)

func newConsole(files fs.FS) (*console, error) {
	if files == nil {
		return &console{}, nil
	}
	index, err := fs.ReadFile(files, "index.html")
	if err != nil {
		return nil, fmt.Errorf("the console is not built into this program; build it with make build (%w)", err)
	}
	c := &console{files: files, index: index}
	if found := buildOf.FindSubmatch(index); found != nil {
		c.build = string(found[1])
	}
	return c, nil
}

func (s *console) serve(c *gin.Context) {
	if s.files == nil || c.Request.Method != http.MethodGet {
		fail(c, http.StatusNotFound, "not-found", "There is nothing at "+c.Request.URL.Path, nil)
		return
	}
	name := strings.TrimPrefix(path.Clean(c.Request.URL.Path), "/")
	if info, err := fs.Stat(s.files, name); err == nil && !info.IsDir() && name != "index.html" {
		if strings.HasPrefix(name, "assets/") {
			// Their names contain a hash of their content.
			c.Header("Cache-Control", "public, max-age=31536000, immutable")
		}
		if name == "sw.js" {
			c.Header("Cache-Control", "no-cache")
		}
		s.file(c, name)
		return
	}
	if strings.HasPrefix(name, "assets/") {
		fail(c, http.StatusNotFound, "not-found", "There is nothing at "+c.Request.URL.Path, nil)
		return
	}
	page := s.index
	if s.firstView != nil {
		page = s.firstView(c, page)
	}
	fixed(c, http.StatusOK, "text/html; charset=utf-8", page)
}

// file answers with a file of the console, in the compressed form made when the console was built if the browser
// accepts that.
func (s *console) file(c *gin.Context, name string) {
	for _, form := range []struct{ encoding, ending string }{{"br", ".br"}, {"gzip", ".gz"}} {
		body, err := fs.ReadFile(s.files, name+form.ending)
		if err != nil {
			continue
		}
		c.Header("Vary", "Accept-Encoding")
		if accepts(c.GetHeader("Accept-Encoding"), form.encoding) {
			c.Header("Content-Encoding", form.encoding)
			c.Data(http.StatusOK, mime.TypeByExtension(path.Ext(name)), body)
			return
		}
	}
	c.FileFromFS(name, http.FS(s.files))
}

// accepts reports whether an Accept-Encoding header names an encoding and does not refuse it (RFC 9110, 12.5.3).
func accepts(header, encoding string) bool {
	for part := range strings.SplitSeq(header, ",") {
		name, quality, _ := strings.Cut(strings.TrimSpace(part), ";")
		if strings.EqualFold(strings.TrimSpace(name), encoding) {
			q := strings.ReplaceAll(quality, " ", "")
			return q != "q=0" && !strings.HasPrefix(q, "q=0.000")
		}
	}
	return false
}

// missing answers a reader's request for an unknown address with the console's page.
func (s *console) missing(c *gin.Context) {
	if s.files == nil {
		fail(c, http.StatusNotFound, "not-found", "There is nothing at "+c.Request.URL.Path, nil)
		return
	}
	c.Data(http.StatusNotFound, "text/html; charset=utf-8", s.index)
}
