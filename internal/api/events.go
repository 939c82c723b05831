package api

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"sync/atomic"
	"time"

	"github.com/gin-gonic/gin"

	"dappertally/internal/problem"
)

const eventsPath = base + "/events"

// How often a stream without news shows that it lives, and looks whether its
// session still does; and how many streams there may be.
const (
	beat        = 15 * time.Second
	mostStreams = 1000
)

// streams counts the event streams that are open.
var streams atomic.Int64

// after is the number of the change after which a stream begins: the last that the browser heard, or that the page
// says it has seen, else the newest one.
func after(c *gin.Context, newest int64) int64 {
	for _, text := range []string{c.GetHeader("Last-Event-ID"), c.Query("after")} {
		if n, err := strconv.ParseInt(text, 10, 64); err == nil && n >= 0 && n < newest {
			return n
		}
	}
	return newest
}

// events tells what changes as it changes (server-sent events). The team is told
// what it is about; others only that something did. A stream ends with its session
// and with the service.
func (h *handlers) events(c *gin.Context) {
	if streams.Add(1) > mostStreams {
		streams.Add(-1)
		refuse(c, problem.New(problem.TooMany, "too many pages follow the changes; this one looks for itself"))
		return
	}
	defer streams.Add(-1)
	newest, err := h.ledger.LastChange(c.Request.Context())
	if err != nil {
		refuse(c, err)
		return
	}
	last := after(c, newest)
	// A stream lives longer than any answer.
	control := http.NewResponseController(c.Writer)
	if err := errors.Join(control.SetWriteDeadline(time.Time{}), control.SetReadDeadline(time.Time{})); err != nil {
		refuse(c, err)
		return
	}
	c.Header("Content-Type", "text/event-stream")
	c.Header("Cache-Control", "no-store")
	c.Header("X-Accel-Buffering", "no")
	c.Status(http.StatusOK)
	fmt.Fprintf(c.Writer, "retry: 2000\n\n")
	c.Writer.Flush()
	for h.until.Err() == nil && c.Request.Context().Err() == nil {
		who, err := h.whoIs(c)
		if err != nil || who.ID != whoAsks(c).ID {
			return // signed out, or the session is over
		}
		changes, err := h.ledger.Changes(c.Request.Context(), &who, last, beat, h.until.Done())
		if err != nil {
			return // the browser comes back by itself
		}
		if len(changes) == 0 {
			fmt.Fprint(c.Writer, ": still here\n\n")
		}
		for _, x := range changes {
			data, err := json.Marshal(x)
			if err != nil {
				return
			}
			fmt.Fprintf(c.Writer, "id: %d\ndata: %s\n\n", x.Number, data)
			last = x.Number
		}
		c.Writer.Flush()
	}
}
