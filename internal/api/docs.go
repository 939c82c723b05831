package api

import (
	"bytes"
	"fmt"
	"io"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"

	"dappertally"
	"dappertally/deploy"
	"dappertally/internal/handbook"
	"dappertally/internal/report"
)

// docsPolicy lets pages of the documentation load their stylesheet with its typefaces, and pictures.
const docsPolicy = "default-src 'none'; style-src 'self'; font-src data:; img-src 'self'; form-action 'self'; " +
	"base-uri 'none'; frame-ancestors 'none'"

// openBook returns the documentation, which is read when it is first needed.
var openBook = sync.OnceValues(func() (*handbook.Book, error) {
	book, err := handbook.Open(dappertally.Documents)
	if err != nil {
		return nil, fmt.Errorf("the documentation: %w", err)
	}
	return book, nil
})

// docs answers with a page of the documentation, which is the same for everybody.
func (h *handlers) docs(r *gin.Engine) {
	page := func(c *gin.Context, status int, write func(io.Writer) error) {
		var out bytes.Buffer
		if err := write(&out); err != nil {
			refuse(c, err)
			return
		}
		c.Header("Content-Security-Policy", docsPolicy)
		fixed(c, status, "text/html; charset=utf-8", out.Bytes())
	}
	whole := func(c *gin.Context, book *handbook.Book) {
		p := book.Page(path.Clean(c.Request.URL.Path))
		if p == nil {
			h.docsFile(c, book, page)
			return
		}
		page(c, http.StatusOK, func(w io.Writer) error { return book.Write(w, p, h.ledger.Team()) })
	}
	answer := func(c *gin.Context) {
		book, err := openBook()
		if err != nil {
			refuse(c, err)
			return
		}
		switch of := c.Param("page"); {
		case of == "/style.css":
			fixed(c, http.StatusOK, "text/css; charset=utf-8", []byte(report.Look()+handbook.Style()))
		case of == "/search":
			asked := c.Query("q")
			page(c, http.StatusOK, func(w io.Writer) error { return book.WriteFound(w, asked, h.ledger.Team()) })
		case of == "/print":
			page(c, http.StatusOK, func(w io.Writer) error { return book.WriteAll(w, h.ledger.Team()) })
		case of == "/for" || strings.HasPrefix(of, "/for/"):
			c.Redirect(http.StatusFound, handbook.For(strings.TrimPrefix(of, "/for")))
		default:
			whole(c, book)
		}
	}
	r.GET(handbook.Root, limitTime, answer)
	r.GET(handbook.Root+"/*page", limitTime, answer)
}

// docsFile answers with a picture or another file of the documentation, or with a page that says that there is none.
func (h *handlers) docsFile(
	c *gin.Context, book *handbook.Book, page func(c *gin.Context, status int, write func(io.Writer) error),
) {
	name := strings.TrimPrefix(path.Clean(c.Request.URL.Path), handbook.Root+"/")
	data, err := fs.ReadFile(dappertally.Documents, "docs/"+name)
	if err == nil && !strings.HasSuffix(name, ".md") {
		fixed(c, http.StatusOK, mime.TypeByExtension(path.Ext(name)), data)
		return
	}
	if file, found := strings.CutPrefix(name, "deploy/"); found {
		if data, err := fs.ReadFile(deploy.Files, file); err == nil {
			fixed(c, http.StatusOK, "text/plain; charset=utf-8", data)
			return
		}
	}
	words := strings.NewReplacer("/", " ", "-", " ", ".", " ").Replace(name)
	page(c, http.StatusNotFound, func(w io.Writer) error { return book.WriteMissing(w, words, h.ledger.Team()) })
}

// fixed answers with content that changes only with the program.
func fixed(c *gin.Context, status int, kind string, data []byte) {
	etag := `"` + sum(data) + `"`
	c.Header("ETag", etag)
	c.Header("Cache-Control", "no-cache")
	if status == http.StatusOK && c.GetHeader("If-None-Match") == etag {
		c.Status(http.StatusNotModified)
		return
	}
	c.Header("Content-Type", kind)
	c.Data(status, kind, packed(c, data))
}
