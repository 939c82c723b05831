package api

import (
	"fmt"
	"io/fs"
	"net/http"
	"path"
	"regexp"
	"strings"

	"github.com/gin-gonic/gin"
)

// console serves the built console: its assets by name, and its one page for
// every address that the console knows itself.
type console struct {
	files fs.FS
	index []byte
	build string // as its page names it
}

// buildOf finds the build that the console's page names.
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
			// Their names carry a hash of what is in them.
			c.Header("Cache-Control", "public, max-age=31536000, immutable")
		}
		if name == "sw.js" {
			c.Header("Cache-Control", "no-cache")
		}
		c.FileFromFS(name, http.FS(s.files))
		return
	}
	if strings.HasPrefix(name, "assets/") {
		fail(c, http.StatusNotFound, "not-found", "There is nothing at "+c.Request.URL.Path, nil)
		return
	}
	c.Header("Cache-Control", "no-cache")
	c.Data(http.StatusOK, "text/html; charset=utf-8", s.index)
}

// missing answers a reader with the console's page for what is not there.
func (s *console) missing(c *gin.Context) {
	if s.files == nil {
		fail(c, http.StatusNotFound, "not-found", "There is nothing at "+c.Request.URL.Path, nil)
		return
	}
	c.Data(http.StatusNotFound, "text/html; charset=utf-8", s.index)
}
