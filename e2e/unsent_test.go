package e2e

import (
	"context"
	"net/http"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"dappertally/e2e/browser"
)

// cut removes the network between a browser and a service: every connection ends without an answer.
func (b *between) cut() {
	b.answers(func(w http.ResponseWriter, _ *http.Request) bool {
		if conn, _, err := w.(http.Hijacker).Hijack(); err == nil {
			conn.Close()
		}
		return true
	})
}

// planned adds a review and returns its id.
func planned(t *testing.T, c *client, edition string) string {
	t.Helper()
	var review struct{ ID string }
	decode(t, c.must("review", "add", edition, "--output", "json"), &review)
	return review.ID
}

// readingsOf counts a review's readings, by criterion.
func readingsOf(t *testing.T, c *client, review string) map[string]int {
	t.Helper()
	var shown struct{ Readings []struct{ Criterion string } }
	decode(t, c.must("review", "show", review, "--output", "json"), &shown)
	n := map[string]int{}
	for _, r := range shown.Readings {
		n[r.Criterion]++
	}
	return n
}

const (
	inFigure = `document.activeElement?.matches("input[data-figure]")`
	keptHere = `navigator.serviceWorker.ready.then(r => !!r.active)`
)

// TestDeskOpensOffline loads the desk without a network: it opens with the stored records, and answers typed there are
// sent when the network is back, from another page.
func TestDeskOpensOffline(t *testing.T) {
	t.Parallel()
	b := stand(t, serve(t))
	ines := newClient(t, b.address).login("ines")
	review := planned(t, ines, "ivybeck/5.4/hearthside")
	ctx := tab(t)
	desk := b.address + "/desk/" + review + "?section=usability&criterion=documentation"
	do(t, ctx,
		browser.SignIn(b.address, "ines", secret("ines")),
		chromedp.Navigate(desk), browser.Settled(), browser.Until(inFigure),
		chromedp.Evaluate[chromedp.Void](keptHere, chromedp.EvalAwaitPromise),
		chromedp.Sleep(2*time.Second), // records are stored after a second
	)
	b.cut()
	do(t, ctx,
		chromedp.Navigate("about:blank"), chromedp.Navigate(desk),
		browser.Until(inFigure), keys("8"), keys(kb.Enter),
		says("[role=status]", "no connection"),
		chromedp.Click(`//header//a[contains(., "not sent")]`),
		says("tbody", "Built-in help"), says("tbody", "waiting for a connection"),
	)
	b.answers(nil)
	do(t, ctx, says("#page", "Nothing is waiting"))
	if n := readingsOf(t, ines, review)["documentation"]; n != 1 {
		t.Errorf("%d readings, want 1", n)
	}
}

// TestStaysWithoutNetwork: when pages that are open cannot be fetched again, they stay, say so, and are there after a
// reload. With the network they are fetched again, and an answer that had to wait has the time when it was given.
func TestStaysWithoutNetwork(t *testing.T) {
	t.Parallel()
	b := stand(t, serve(t))
	ines := newClient(t, b.address).login("ines")
	review := planned(t, ines, "ivybeck/5.4/hearthside")
	desk := b.address + "/desk/" + review + "?section=usability&criterion=documentation"
	ctx := tab(t)
	askAgain := chromedp.Evaluate[chromedp.Void](
		`window.dispatchEvent(new Event("offline")); window.dispatchEvent(new Event("online"))`)
	const old = 5500 * time.Millisecond // when everything is fetched again
	do(t, ctx,
		browser.SignIn(b.address, "ines", secret("ines")),
		chromedp.Navigate(b.address+"/catalogue"), browser.Settled(), says("h2", "Gullhaven"), chromedp.Sleep(old),
	)
	b.cut()
	do(t, ctx, askAgain, says("[role=status]", "what was fetched before"), says("h2", "Gullhaven"))
	b.answers(nil)
	do(t, ctx, askAgain, browser.Until(`!document.body.textContent.includes("what was fetched before")`),
		chromedp.Navigate(desk), browser.Settled(), browser.Until(inFigure),
		chromedp.Evaluate[chromedp.Void](keptHere, chromedp.EvalAwaitPromise), chromedp.Sleep(old),
	)
	b.cut()
	do(t, ctx, askAgain, says("[role=status]", "what was fetched before"),
		chromedp.Sleep(2*time.Second), // records are stored after a second
		chromedp.Navigate("about:blank"), chromedp.Navigate(desk), browser.Until(inFigure),
		keys("8"), keys(kb.Enter), says("[role=status]", "no connection"),
		chromedp.Evaluate[chromedp.Void](`Date.now = (now => () => now() + 3600_000)(Date.now)`), // an hour passes
	)
	b.answers(nil)
	do(t, ctx, browser.Until(`!/not (sent|saved)|saving/.test(document.querySelector("header").textContent)`))
	var shown struct {
		Readings []struct{ At, Received time.Time }
	}
	decode(t, ines.must("review", "show", review, "--output", "json"), &shown)
	if len(shown.Readings) != 1 {
		t.Fatalf("%+v", shown)
	}
	r := shown.Readings[0]
	if waited := r.Received.Sub(r.At); waited < time.Hour || waited > time.Hour+2*eachStep {
		t.Errorf("the answer was given %s before it was received", waited)
	}
}

// TestTwoTabsOffline types in two tabs of one review without a network: both keep everything, and all of it is recorded
// once.
func TestTwoTabsOffline(t *testing.T) {
	t.Parallel()
	b := stand(t, serve(t))
	ines := newClient(t, b.address).login("ines")
	review := planned(t, ines, "ivybeck/5.4/hearthside")
	first := tab(t)
	second := anotherTab(t, first)
	at := func(criterion string) string {
		return b.address + "/desk/" + review + "?section=usability&criterion=" + criterion
	}
	do(t, first, browser.SignIn(b.address, "ines", secret("ines")),
		chromedp.Navigate(at("first-guide")), browser.Settled(), browser.Until(inFigure))
	do(t, second, chromedp.Navigate(at("documentation")), browser.Settled(), browser.Until(inFigure))
	b.cut()
	do(t, first, keys("7"), keys(kb.Enter), says("[role=status]", "1 not saved"))
	do(t, second, keys("8"), keys(kb.Enter), says("[role=status]", "2 not saved"))
	do(t, first, says("[role=status]", "2 not saved"))
	b.answers(nil)
	for _, ctx := range []context.Context{first, second} {
		do(t, ctx, browser.Until(`!/not (sent|saved)|saving|typed/.test(document.querySelector("header").textContent)`))
	}
	if n := readingsOf(t, ines, review); n["first-guide"] != 1 || n["documentation"] != 1 {
		t.Errorf("%v, want one of each", n)
	}
}

// TestBrowserKilled ends the browser in the middle of typing: the next one sends the answer, without its desk.
func TestBrowserKilled(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ines := newClient(t, server).login("ines")
	review := planned(t, ines, "ivybeck/5.4/hearthside")
	profile := filepath.Join(t.TempDir(), "profile")
	run := func() (context.Context, *browser.Process) {
		ctx, p, err := browser.StartIn(context.Background(), profile)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(p.Stop)
		ctx, cancel := context.WithTimeout(ctx, patience)
		t.Cleanup(cancel)
		return ctx, p
	}
	ctx, p := run()
	do(t, ctx,
		browser.SignIn(server, "ines", secret("ines")),
		chromedp.Navigate(server+"/desk/"+review+"?section=usability&criterion=documentation"),
		browser.Settled(), browser.Until(inFigure), keys("8"),
		says("[role=status]", "typed"),
		chromedp.Sleep(500*time.Millisecond),
	)
	p.Kill()
	ctx, _ = run()
	do(t, ctx, browser.SignIn(server, "ines", secret("ines")))
	for end := time.Now().Add(eachStep); readingsOf(t, ines, review)["documentation"] == 0; {
		if time.Now().After(end) {
			t.Fatal("the answer was not sent")
		}
		time.Sleep(200 * time.Millisecond)
	}
}

// TestUpgradeWaits serves a newer console under an open desk: the desk says so, and works unchanged.
func TestUpgradeWaits(t *testing.T) {
	t.Parallel()
	b := stand(t, serve(t))
	b.answers(func(w http.ResponseWriter, r *http.Request) bool {
		if r.URL.Path != "/api/v1/about" {
			return false
		}
		w.Header().Set("Content-Type", "application/json")
		_, _ = w.Write([]byte(`{"name":"Dapper Tally","team":"Second Wind","now":"2026-11-23T14:02:00Z",` +
			`"demo":true,"change":1,"console":"00"}`))
		return true
	})
	ines := newClient(t, b.address).login("ines")
	review := planned(t, ines, "ivybeck/5.4/hearthside")
	ctx := tab(t)
	do(t, ctx,
		browser.SignIn(b.address, "ines", secret("ines")),
		chromedp.Navigate(b.address+"/desk/"+review+"?section=usability&criterion=documentation"),
		says("[role=status]", "new version"), browser.Until(inFigure),
		keys("8"), keys(kb.Enter), says("li", "8 of 10"), says("[role=status]", "new version"),
	)
}

// TestDrafts leaves a text that was not saved: it is still there on return to that part of the desk, after loading the
// page again, and in the list of unsent texts; when it is saved, it is gone.
func TestDrafts(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ines := newClient(t, server).login("ines")
	review := planned(t, ines, "ivybeck/5.4/hearthside")
	ctx := tab(t)
	journal := server + "/desk/" + review + "?part=journal"
	const text = "The second update broke the sound"
	area := chromedp.CSS(`#page textarea`)
	there := browser.Until(`document.querySelector("#page textarea")?.value === "` + text + `"`)
	do(t, ctx,
		browser.SignIn(server, "ines", secret("ines")),
		chromedp.Navigate(journal), browser.Settled(),
		chromedp.Click(area), keys(text), there,
		chromedp.Click(`//button[contains(., "Verdicts")]`), says("h2", "Verdicts"),
		chromedp.Click(`//button[contains(., "Journal")]`), says("h2", "Journal"), there,
		chromedp.Navigate(server+"/unsent"), says("#page li", "desk"),
		chromedp.Click(`//main//li/a`), says("h2", "Journal"), there,
		chromedp.Navigate("about:blank"), chromedp.Navigate(journal), browser.Settled(), there,
		chromedp.Click(`//button[text()="Add an entry"]`), says("#page li", text),
		browser.Until(`document.querySelector("#page textarea").value === ""`),
		chromedp.Navigate(server+"/unsent"), says("#page", "Nothing is waiting"),
	)
}
