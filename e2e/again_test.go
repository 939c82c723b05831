package e2e

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"dappertally/e2e/browser"
)

// TestAnswerIsLost: a review is planned while the answer is lost. The client repeats the request; in the console,
// pressing the button again plans nothing twice.
func TestAnswerIsLost(t *testing.T) {
	t.Parallel()
	server := serve(t)
	b := stand(t, server)
	var carried atomic.Int32
	lose := func(times int32, how func(http.ResponseWriter)) {
		carried.Store(0)
		b.answers(func(w http.ResponseWriter, r *http.Request) bool {
			if r.Method != http.MethodPost || r.URL.Path != "/api/v1/reviews" || carried.Add(1) > times {
				return false
			}
			b.through.ServeHTTP(httptest.NewRecorder(), r) // it arrives and is carried out
			how(w)
			return true
		})
	}
	cut := func(http.ResponseWriter) { panic(http.ErrAbortHandler) }
	direct := newClient(t, server).login("marit")
	planned := func(edition string) (n int) {
		t.Helper()
		var list struct{ Reviews []struct{ Edition string } }
		decode(t, direct.must("review", "list", "--state", "planned", "--output", "json"), &list)
		for _, r := range list.Reviews {
			if r.Edition == edition {
				n++
			}
		}
		return n
	}
	const first, second = "ivybeck/5.4/hearthside", "mossgate/12/hearthside"
	was := [2]int{planned(first), planned(second)}
	through := newClient(t, b.address).login("marit")
	lose(2, cut)
	through.must("review", "add", first)
	if n := planned(first) - was[0]; n != 1 || carried.Load() != 3 {
		t.Errorf("%d reviews were planned by %d requests", n, carried.Load())
	}
	lose(4, cut)
	if out := through.fails(5, "review", "add", first); !strings.Contains(out, "same command is safe") {
		t.Errorf("where no answer comes at all: %s", out)
	}
	through.must("review", "add", first) // the same command
	through.must("review", "add", first) // another review
	if n := planned(first) - was[0]; n != 3 {
		t.Errorf("%d reviews were planned by three commands", n)
	}

	// A browser that is cut off may retry by itself; a proxy's error is shown.
	lose(1, func(w http.ResponseWriter) { w.WriteHeader(http.StatusBadGateway) })
	ctx := tab(t)
	do(t, ctx,
		browser.SignIn(b.address, "marit", secret("marit")),
		chromedp.Navigate(b.address+"/team"), browser.Settled(),
		chromedp.Click(labelled("Edition")), keys(second),
		holds("Edition", second),
		keys(kb.Enter), says("[role=alert]", "answered 502"),
		chromedp.Click(`//form//button[text()="Plan"]`),
		holds("Edition", ""),
	)
	if n := planned(second) - was[1]; n != 1 {
		t.Errorf("%d reviews were planned by pressing twice", n)
	}
}
