package e2e

import (
	"context"
	"encoding/json"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
)

// What the first page may weigh and take on a slow connection.
const (
	mostScript   = 120_000 // bytes of JavaScript as they travel
	mostBytes    = 260_000 // of everything
	mostRequests = 24
	mostPaint    = 3000 // milliseconds to the largest piece of content, on the slow connection
	mostShift    = 0.1  // how far content moves, as CLS has it
)

// The slow connection: what it carries in a second, and how long a request takes at least.
const (
	slowRate = 400e3 / 8 // bytes
	slowTrip = 400 * time.Millisecond
)

// TestFirstLoad opens the front page on a slow connection and checks what it fetches, when it can be read, and whether
// it moves. No other test of the console runs meanwhile.
func TestFirstLoad(t *testing.T) {
	b := stand(t, serve(t))
	ctx := tab(t)
	do(t, ctx, chromedp.Navigate(b.address+"/healthz")) // the browser has started, and its cache is empty
	do(t, ctx, browser.Look(1280, 800, "light"), browser.Forgetful())
	line := &sync.Mutex{}
	b.answers(func(w http.ResponseWriter, r *http.Request) bool {
		time.Sleep(slowTrip)
		b.through.ServeHTTP(&slowly{w, line}, r)
		return true
	})
	got := opened(t, ctx, b.address+"/")
	for range 4 { // a busy machine gives no useful time
		if got.Paint > 0 && got.Paint <= mostPaint {
			break
		}
		got = opened(t, ctx, b.address+"/")
	}
	script, whole := 0.0, 0.0
	for _, f := range got.Fetched {
		whole += f.Size
		if strings.HasSuffix(f.Name, ".js") {
			script += f.Size
		}
		if strings.Contains(f.Name, "Desk") || strings.Contains(f.Name, "Compare") ||
			strings.Contains(f.Name, "/api/v1/ranking") {
			t.Errorf("the front page fetches %s", f.Name)
		}
	}
	t.Logf("%.0f bytes of JavaScript, %.0f in all, %d requests; content after %.0f ms (%s), moved by %.3f",
		script, whole, len(got.Fetched), got.Paint, got.What, got.Shift)
	if script == 0 || script > mostScript {
		t.Errorf("the first page fetches %.0f bytes of JavaScript, at most %d are meant", script, mostScript)
	}
	if whole > mostBytes || len(got.Fetched) > mostRequests {
		t.Errorf("the first page fetches %.0f bytes in %d requests", whole, len(got.Fetched))
		for _, f := range got.Fetched {
			t.Logf("%8.0f %s", f.Size, f.Name)
		}
	}
	if got.Paint == 0 || got.Paint > mostPaint {
		t.Errorf("the ranking can be read after %.0f ms (%s)", got.Paint, got.What)
	}
	if got.Shift > mostShift {
		t.Errorf("content moves by %.3f", got.Shift)
	}
}

// slowly is an answer over a line that others share.
type slowly struct {
	http.ResponseWriter
	line *sync.Mutex
}

// Unwrap serves http.ResponseController, which flushes.
func (s *slowly) Unwrap() http.ResponseWriter { return s.ResponseWriter }

func (s *slowly) Write(text []byte) (n int, err error) {
	for len(text) > 0 && err == nil {
		packet := text[:min(len(text), 1460)]
		var sent int
		s.line.Lock()
		time.Sleep(time.Duration(float64(len(packet)) / slowRate * float64(time.Second)))
		sent, err = s.ResponseWriter.Write(packet)
		s.line.Unlock()
		n, text = n+sent, text[sent:]
	}
	return n, err
}

// weight is what the browser measured while opening a page.
type weight struct {
	Paint, Shift float64
	What         string
	Fetched      []struct {
		Name string
		Size float64
	}
}

// opened opens a page without the browser's cache.
func opened(t *testing.T, ctx context.Context, address string) (got weight) {
	t.Helper()
	do(t, ctx, chromedp.Navigate("about:blank"), chromedp.Navigate(address), browser.Settled(),
		browser.Until(`document.querySelectorAll("tbody input[type=checkbox]").length > 5`)) // the console draws
	text, err := chromedp.Run(ctx, chromedp.Evaluate[string](`new Promise(done => {
		const paints = [], shifts = [];
		new PerformanceObserver(l => paints.push(...l.getEntries())).observe({type: "largest-contentful-paint", buffered: true});
		new PerformanceObserver(l => shifts.push(...l.getEntries())).observe({type: "layout-shift", buffered: true});
		setTimeout(() => done(JSON.stringify({
			paint: paints.at(-1)?.startTime ?? 0,
			what: paints.map(p => Math.round(p.startTime) + " ms: " + p.element?.outerHTML.slice(0, 90)).join("; "),
			shift: shifts.filter(s => !s.hadRecentInput).reduce((sum, s) => sum + s.value, 0),
			fetched: performance.getEntriesByType("resource").concat(performance.getEntriesByType("navigation"))
				.map(e => ({name: e.name, size: e.encodedBodySize})),
		})), 500);
	})`, chromedp.EvalAwaitPromise))
	if err != nil {
		t.Fatal(err)
	}
	if err := json.Unmarshal([]byte(text), &got); err != nil {
		t.Fatal(err)
	}
	return got
}
