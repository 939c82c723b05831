package api

import (
	"context"
	"net/http"
	"slices"
	"time"

	"github.com/gin-gonic/gin"

	"dappertally/internal/reviewing"
)

// Files are uploaded and downloaded by hash, outside the contract's strict handlers, which keep whole bodies in
// memory.
const (
	filePath = base + "/files/:sha256"
	fileTime = 10 * time.Minute // for 64 MiB over a slow connection
)

func (h *handlers) files(r gin.IRouter) {
	r.PUT(filePath, limitFile, h.identify, h.putFile)
	r.POST(base+"/files", limitFile, h.identify, h.putFile) // for clients that cannot compute the hash
	r.GET(filePath, limitFile, h.identify, h.getFile)
	r.HEAD(filePath, limitFile, h.identify, h.getFile)
}

func limitFile(c *gin.Context) {
	ctx, cancel := context.WithTimeout(c.Request.Context(), fileTime)
	defer cancel()
	c.Request = c.Request.WithContext(ctx)
	if c.Request.Body != nil {
		c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, reviewing.LargestFile+1)
	}
	c.Next()
}

func (h *handlers) putFile(c *gin.Context) {
	kept, err := h.reviewing.PutFile(c.Request.Context(), whoAsks(c), c.Param("sha256"), c.Request.Body)
	if err != nil {
		refuse(c, err)
		return
	}
	if kept.Change > 0 {
		h.changed(c, kept.Change)
	}
	c.JSON(http.StatusOK, gin.H{"sha256": kept.Name, "size": kept.Size})
}

// getFile answers so that nothing runs: a browser shows pictures, by their content, and saves everything else.
func (h *handlers) getFile(c *gin.Context) {
	name := c.Param("sha256")
	size, mediaType, public, err := h.reviewing.OpenFile(c.Request.Context(), whoAsks(c), name)
	if err != nil {
		refuse(c, err)
		return
	}
	c.Header("Content-Type", "application/octet-stream")
	c.Header("Content-Disposition", "attachment")
	if slices.Contains(reviewing.Pictures, mediaType) {
		c.Header("Content-Type", mediaType)
		c.Header("Content-Disposition", "inline")
	}
	c.Header("Content-Security-Policy", "default-src 'none'; sandbox")
	c.Header("Cache-Control", "private, no-store")
	if public {
		c.Header("Cache-Control", "public, max-age=31536000, immutable")
	}
	c.Header("Content-Length", itoa(size))
	c.Status(http.StatusOK)
	if c.Request.Method == http.MethodHead {
		return
	}
	if err := h.reviewing.WriteFile(c.Request.Context(), name, c.Writer); err != nil {
		c.Error(err) //nolint:errcheck // the answer has begun; the short body shows the error
		c.Abort()
	}
}
