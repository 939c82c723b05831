package api_test

import (
	"fmt"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"dappertally/internal/ledger"
)

// unread sends a request and reads nothing of the answer, like a laptop that fell asleep.
func (w *world) unread(who, path, body, mediaType string) {
	w.t.Helper()
	c, err := net.Dial("tcp", strings.TrimPrefix(w.server.URL, "http://"))
	if err != nil {
		w.t.Fatal(err)
	}
	w.t.Cleanup(func() { c.Close() })
	if err := c.(*net.TCPConn).SetReadBuffer(4096); err != nil {
		w.t.Fatal(err)
	}
	if _, err := fmt.Fprintf(c, "POST %s HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer %s\r\nContent-Type: %s\r\nContent-Length: %d\r\n\r\n%s", path, w.tokens[who], mediaType, len(body), body); err != nil {
		w.t.Fatal(err)
	}
}

// TestSleepingImporterHoldsNobody: somebody who previews an import and does not read the answer keeps nobody from
// recording in the same review.
func TestSleepingImporterHoldsNobody(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("ines", "quaymark/22.1/latchwork")
	var many strings.Builder
	many.WriteString("review,criterion,rig,at,answer,note\n")
	for i := range 30000 {
		fmt.Fprintf(
			&many,
			"%s,browser-start,bench-old,2026-10-%02dT%02d:%02d:%02dZ,%d,%s\n",
			review,
			1+i/3600%28,
			i/150%24,
			i/60%60,
			i%60,
			3+i%40,
			strings.Repeat("a long remark ", 8),
		)
	}
	body, mediaType := form(t, `{"form":"csv","trial":true,"rows":"all"}`, many.String())
	w.unread("ines", "/api/v1/imports/readings", body, mediaType)
	time.Sleep(4 * time.Second) // until the preview is under way; on a slow machine it still computes
	reading := map[string]any{
		"criterion": "smoothness",
		"rig":       "bench-old",
		"context":   map[string]any{"phase": "updated"},
		"answer":    map[string]any{"grade": 7},
	}
	id, until := ledger.NewID(), time.Now().Add(time.Minute)
	for {
		r := w.call("ines", "PUT", "/api/v1/reviews/"+review+"/readings/"+id, reading)
		if r.status == http.StatusOK {
			return
		}
		if !strings.Contains(string(r.body), "somebody else is writing") &&
			!strings.Contains(string(r.body), "Somebody else is writing") {
			t.Fatalf("%d %s", r.status, r.body)
		}
		if time.Now().After(until) {
			t.Fatalf("for a minute nobody could record beside an import that nobody reads: %s", r.body)
		}
	}
}

// TestManyWritersAtOnce: more writers than the database has connections wait for each other without a deadlock.
func TestManyWritersAtOnce(t *testing.T) {
	w := newWorld(t, true)
	review := w.planned("ines", "quaymark/22.1/latchwork")
	w.record(
		200,
		"ines",
		review,
		map[string]any{
			"criterion": "smoothness",
			"rig":       "bench-old",
			"context":   map[string]any{"phase": "updated"},
			"answer":    map[string]any{"grade": 7},
		},
	)
	row := "review,criterion,rig,at,answer\n" + review + ",browser-start,bench-old,2026-11-18T09:00:00Z,4.1\n"
	body, mediaType := form(t, `{"form":"csv","trial":true}`, row)
	got := w.together(80, func(int) *reply {
		return w.call("ines", "POST", "/api/v1/imports/readings", body, "Content-Type", mediaType)
	})
	if got[http.StatusOK] != 80 {
		t.Errorf("80 imports at once: %v", got)
	}
}
