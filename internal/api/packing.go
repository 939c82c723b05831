package api

import (
	"bytes"
	"compress/gzip"
	"io"
	"runtime"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"
)

// worthPacking is the size in bytes from which on an answer is compressed.
const worthPacking = 1 << 10

// A compressor takes most of a megabyte. They are reused, and no more than can work at once exist, so that many or
// slow callers take no memory: an answer is compressed as a whole before it is sent.
var (
	packers = sync.Pool{New: func() any { return gzip.NewWriter(io.Discard) }}
	packing = make(chan struct{}, 2*runtime.GOMAXPROCS(0))
)

// packed returns an answer's body as it is sent: compressed if the caller accepts that and it is worth it.
func packed(c *gin.Context, body []byte) []byte {
	header := c.Writer.Header()
	kind := header.Get("Content-Type")
	if len(body) < worthPacking || strings.HasPrefix(kind, "image/png") || header.Get("Content-Encoding") != "" {
		return body
	}
	header.Add("Vary", "Accept-Encoding")
	if !accepts(c.GetHeader("Accept-Encoding"), "gzip") {
		return body
	}
	packing <- struct{}{}
	defer func() { <-packing }()
	w := packers.Get().(*gzip.Writer)
	defer packers.Put(w)
	var out bytes.Buffer
	w.Reset(&out)
	if _, err := w.Write(body); err != nil {
		return body
	}
	if err := w.Close(); err != nil {
		return body
	}
	header.Set("Content-Encoding", "gzip")
	return out.Bytes()
}
