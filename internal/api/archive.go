package api

import (
	"errors"
	"io"
	"net/http"
	"os"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"dappertally/internal/intake"
	"dappertally/internal/problem"
)

// Archives are streams of any length and are not part of the contract's handlers.
const (
	archivePath = base + "/archive"
	archiveTime = time.Hour
	// largestArchive is the largest archive that is written to the disk before it is checked.
	largestArchive = 64 << 30
)

// archive streams everything that is kept permanently.
func (h *handlers) archive(c *gin.Context) {
	if err := http.NewResponseController(c.Writer).SetWriteDeadline(time.Now().Add(archiveTime)); err != nil {
		refuse(c, err)
		return
	}
	a, err := h.intake.Archive(c.Request.Context(), whoAsks(c))
	if err != nil {
		refuse(c, err)
		return
	}
	defer a.Close()
	if err := h.ledger.Note(c.Request.Context(), whoAsks(c), "exported", "export", "archive", ""); err != nil {
		refuse(c, err)
		return
	}
	c.Header("Content-Type", "application/x-tar")
	c.Header("Content-Length", strconv.FormatInt(a.Size, 10))
	c.Header("Content-Disposition", `attachment; filename="archive.tar"`)
	c.Header("Cache-Control", "no-store")
	c.Status(http.StatusOK)
	if err := a.Write(c.Request.Context(), c.Writer); err != nil {
		// The length shows the receiver if the end is missing.
		_ = c.Error(err)
		panic(http.ErrAbortHandler)
	}
}

// restored is what was imported from an archive.
type restored struct {
	Reviews   int `json:"reviews"`
	Readings  int `json:"readings"`
	Reports   int `json:"reports"`
	Revisions int `json:"revisions"`
	Files     int `json:"files"`
	// Revisions of reports whose page differs from a page drawn now from their data.
	Differing []string `json:"differing,omitempty"`
	Change    int64    `json:"change"`
}

// takeArchive imports an archive into a service without records.
func (h *handlers) takeArchive(c *gin.Context) {
	control := http.NewResponseController(c.Writer)
	until := time.Now().Add(archiveTime)
	if err := errors.Join(control.SetWriteDeadline(until), control.SetReadDeadline(until)); err != nil {
		refuse(c, err)
		return
	}
	who := whoAsks(c)
	if !who.May(intake.KeepArchive) { // before anything is written to the disk
		_, err := h.intake.TakeArchive(c.Request.Context(), who, nil, true)
		refuse(c, err)
		return
	}
	if err := h.roomToTake(c); err != nil {
		refuse(c, err)
		return
	}
	spool, err := os.CreateTemp("", "dtally-archive-*")
	if err != nil {
		refuse(c, problem.Unkept("the archive", err))
		return
	}
	defer os.Remove(spool.Name())
	defer spool.Close()
	if _, err := io.Copy(spool, http.MaxBytesReader(c.Writer, c.Request.Body, largestArchive)); err != nil {
		refuse(c, problem.Unkept("the archive", err))
		return
	}
	trial := c.Query("trial") == "true"
	done, err := h.intake.TakeArchive(c.Request.Context(), who, spool, trial)
	if err != nil {
		refuse(c, err)
		return
	}
	if trial {
		c.JSON(http.StatusOK, restored(done))
		return
	}
	h.changed(c, done.Change)
	c.JSON(http.StatusCreated, restored(done))
}
