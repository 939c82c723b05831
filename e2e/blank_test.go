package e2e

import (
	"net/http"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
)

// isPage reports whether a request is for the code of a page.
func isPage(r *http.Request, name string) bool {
	return strings.HasPrefix(r.URL.Path, "/assets/"+name+"-") && strings.HasSuffix(r.URL.Path, ".js")
}

// isDocument reports whether a request opens the console itself.
func isDocument(r *http.Request) bool { return r.Header.Get("Sec-Fetch-Dest") == "document" }

// TestUpgradeUnderOpenTab removes a page's code while the console is open: the console reloads once and opens the
// requested page.
func TestUpgradeUnderOpenTab(t *testing.T) {
	t.Parallel()
	b := stand(t, serve(t))
	var opened atomic.Int32
	ctx := tab(t)
	do(t, ctx, chromedp.Navigate(b.address+"/"), browser.Settled(), says("h1", "Ranking"))
	b.answers(func(w http.ResponseWriter, r *http.Request) bool {
		if isDocument(r) {
			opened.Add(1)
		}
		if !isPage(r, "Catalogue") || opened.Load() > 0 {
			return false
		}
		http.NotFound(w, r)
		return true
	})
	do(t, ctx, chromedp.Click(`//nav//a[text()="Catalogue"]`), says("h1", "Catalogue"), browser.Settled())
	if n := opened.Load(); n != 1 {
		t.Errorf("the console was loaded %d times anew, want once", n)
	}
}

// TestPageMissing removes a page's code for longer: the layout stays and shows what helps, and the page opens when
// the code is back.
func TestPageMissing(t *testing.T) {
	t.Parallel()
	b := stand(t, serve(t))
	ctx := tab(t)
	do(t, ctx, chromedp.Navigate(b.address+"/"), browser.Settled(), says("h1", "Ranking"))
	var opened atomic.Int32
	b.answers(func(w http.ResponseWriter, r *http.Request) bool {
		if isDocument(r) {
			opened.Add(1)
		}
		if !isPage(r, "Records") {
			return false
		}
		http.NotFound(w, r)
		return true
	})
	do(t, ctx,
		chromedp.Click(`//nav//a[text()="Records"]`),
		says("#page h1", "could not be loaded"),
		says("header nav", "Catalogue"),
	)
	if n := opened.Load(); n != 1 {
		t.Errorf("the console was loaded %d times anew, want once", n)
	}
	do(t, ctx,
		chromedp.Click(`//nav//a[text()="Catalogue"]`), says("h1", "Catalogue"),
		chromedp.Click(`//nav//a[text()="Records"]`), says("#page h1", "could not be loaded"),
	)
	b.answers(nil)
	do(t, ctx, chromedp.Click(`//button[text()="Try again"]`), says("h1", "Record"), browser.Settled())
}

// TestStartMissing loses the connection while the console's own code is fetched: the page says what helps.
func TestStartMissing(t *testing.T) {
	t.Parallel()
	b := stand(t, serve(t))
	shown := browser.Until(`document.querySelector("#late")?.checkVisibility({visibilityProperty: true})`)
	for path, heading := range map[string]string{"/": "Ranking", "/records": "Record"} {
		var asked atomic.Int32
		b.answers(func(_ http.ResponseWriter, r *http.Request) bool {
			if isPage(r, "react") && asked.Add(1) == 1 {
				panic(http.ErrAbortHandler)
			}
			return false
		})
		do(t, tab(t), chromedp.Navigate(b.address+path), shown,
			chromedp.Click(chromedp.CSS("#late a")), browser.Settled(), says("h1", heading),
			browser.Until(`!document.querySelector("#late").checkVisibility()`))
	}
}

// TestPageOffline opens a page whose code was never loaded, without a network: it opens by itself when the network is
// back.
func TestPageOffline(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ctx := tab(t)
	do(t, ctx,
		chromedp.Navigate(server+"/"), browser.Settled(), says("h1", "Ranking"),
		browser.Offline(true),
		chromedp.Click(`//nav//a[text()="Records"]`),
		says("#page", "no connection"),
		browser.Offline(false),
		says("h1", "Record"),
	)
}

// TestPartMissing breaks the connection while the code of parts of a page is fetched, as happens when a laptop goes
// from one network to another. A page that does not work without the part is loaded anew, once; otherwise the page
// stays without the part and says so.
func TestPartMissing(t *testing.T) {
	t.Parallel()
	b := stand(t, serve(t))
	broken := func(part string, times int32) {
		b.answers(func(_ http.ResponseWriter, r *http.Request) bool {
			if isPage(r, part) && atomic.AddInt32(&times, -1) >= 0 {
				panic(http.ErrAbortHandler)
			}
			return false
		})
	}
	const missing = "A part of this page could not be loaded"
	inMenu := browser.Until(`document.querySelector("header a[title='My account']")`)
	reload := chromedp.Click(`//button[. = "Reload"]`)
	ctx := tab(t)
	broken("SignedIn", 1)
	do(t, ctx, browser.SignIn(b.address, "marit", secret("marit")), inMenu)
	b.answers(nil)
	other := tab(t)
	broken("SignedIn", 1<<20)
	do(t, other, browser.SignIn(b.address, "ines", secret("ines")),
		says("[role=status]", missing), says("header nav", "Catalogue"), says("h1", "My work"))
	b.answers(nil)
	do(t, other, reload, inMenu)
	broken("Palette", 1<<20)
	search := chromedp.Click(chromedp.CSS("header button[aria-label=Search]"))
	reader := tab(t) // nothing is kept in the browser of somebody who has not signed in
	do(t, reader, chromedp.Navigate(b.address+"/catalogue"), browser.Settled(), search,
		says("[role=status]", missing), says("h1", "Catalogue"))
	b.answers(nil)
	do(t, reader, reload, browser.Until(`!document.body.textContent.includes("`+missing+`")`), browser.Settled(), search,
		browser.Until(`document.querySelector("[role=dialog] input")`))
	// What reads videos is fetched when one is chosen.
	do(t, reader, chromedp.Navigate(b.address+"/recording"), browser.Settled())
	b.answers(func(_ http.ResponseWriter, r *http.Request) bool {
		if strings.HasPrefix(r.URL.Path, "/assets/") {
			panic(http.ErrAbortHandler)
		}
		return false
	})
	do(t, reader, offer(t, "start.webm", "a film"), says("#page", missing))
	b.answers(nil)
	do(t, reader, chromedp.Navigate(b.address+"/recording"), browser.Settled(), offer(t, "start.webm", "a film"),
		says("#page", "cannot be read as a video"))
}

// TestPageThatFails gives a page data that it cannot draw: the rest of the console still works.
func TestPageThatFails(t *testing.T) {
	t.Parallel()
	b := stand(t, serve(t))
	b.answers(func(w http.ResponseWriter, r *http.Request) bool {
		if r.URL.Path != "/api/v1/records" {
			return false
		}
		w.Header().Set("Content-Type", "application/json")
		_, _ = w.Write([]byte(`{"records": 7}`)) // a browser that is gone hears nothing
		return true
	})
	ctx := tab(t)
	do(t, ctx,
		chromedp.Navigate(b.address+"/records"),
		says("#page h1", "This page failed"),
		chromedp.Click(`//nav//a[text()="Catalogue"]`), says("h1", "Catalogue"), browser.Settled(),
	)
}

// TestFocusAfterNavigation: a new page's heading gets the focus and is announced.
func TestFocusAfterNavigation(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ctx := tab(t)
	do(t, ctx, chromedp.Navigate(server+"/"), browser.Settled(), says("h1", "Ranking"))
	for _, page := range []string{"Catalogue", "Checklist", "Reports"} {
		do(t, ctx,
			chromedp.Click(`//nav//a[text()="`+page+`"]`),
			browser.Until(`document.title.startsWith("`+page+`") && document.activeElement?.matches("#page h1")`),
			browser.Until(`document.querySelector("p[aria-live]").textContent === document.title`),
		)
	}
}
