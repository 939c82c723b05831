package api

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"

	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/people"
)

const eventsPath = base + "/events"

// beat is how often a stream without news sends a sign of life and checks its session.
const beat = 15 * time.Second

// pace is the shortest time between two messages of a stream: changes that are close together are sent together.
const pace = 40 * time.Millisecond

// ofStreams is how many event streams can be open.
var ofStreams = limits{
	all: 1000, readers: 600, network: 30, account: 30,
	full: "too many pages follow the changes; this page checks by itself",
}

// after returns the number of the change after which a stream begins: the last that the browser received, or that the
// page says it has seen, else the newest one. Readers get no numbers and begin with the newest.
func after(c *gin.Context, newest int64) int64 {
	if !whoAsks(c).May(access.SeeWork) {
		return newest
	}
	for _, text := range []string{c.GetHeader("Last-Event-ID"), c.Query("after")} {
		if n, err := strconv.ParseInt(text, 10, 64); err == nil && n >= 0 && n < newest {
			return n
		}
	}
	return newest
}

// events streams changes as they happen (server-sent events). The team receives their subjects; others only learn
// that something changed which they can see. A stream ends with its session and with the service.
func (h *handlers) events(c *gin.Context) {
	who := whoAsks(c)
	done, err := h.streams.reserve(who, people.Network(c.ClientIP()), 1)
	if err != nil {
		refuse(c, err)
		return
	}
	defer done()
	newest, err := h.ledger.LastChange(c.Request.Context())
	if err != nil {
		refuse(c, err)
		return
	}
	last := after(c, newest)
	// A stream lasts longer than any other answer.
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
	looked := time.Now()
	for h.until.Err() == nil && c.Request.Context().Err() == nil {
		got, err := h.ledger.Changes(c.Request.Context(), who, last, beat, h.until)
		if err != nil {
			return // the browser reconnects by itself
		}
		if who.SignedIn() && (got.People || time.Since(looked) >= beat) {
			now, err := h.whoIs(c)
			if err != nil || now.ID != who.ID {
				fmt.Fprint(c.Writer, "event: over\ndata: {}\n\n") // signed out, disabled, or the session has ended
				return
			}
			if !slices.Equal(now.Roles, who.Roles) {
				return // it reconnects, and receives what it is allowed to
			}
			looked = time.Now()
		}
		last = got.Last
		if !tell(c, control, got.Changes) {
			return
		}
		select { // changes in the meantime are sent together
		case <-time.After(pace):
		case <-c.Request.Context().Done():
		case <-h.until.Done():
		}
	}
}

// slowReader is how long a page can take to receive data.
const slowReader = 30 * time.Second

// tell writes changes to a stream; false if nobody reads it.
func tell(c *gin.Context, control *http.ResponseController, changes []ledger.ChangeTold) bool {
	if err := control.SetWriteDeadline(time.Now().Add(slowReader)); err != nil {
		return false
	}
	if len(changes) == 0 {
		fmt.Fprint(c.Writer, ": still here\n\n")
	}
	for _, x := range changes {
		data, err := json.Marshal(x)
		if err != nil {
			return false
		}
		if x.Number > 0 {
			fmt.Fprintf(c.Writer, "id: %d\n", x.Number)
		}
		fmt.Fprintf(c.Writer, "data: %s\n\n", data)
	}
	return control.Flush() == nil
}
