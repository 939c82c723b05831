package e2e

import (
	"fmt"
	"net/http"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
)

// TestStatesOfPages checks what opens over pages, and pages that failed, as TestPages checks pages.
func TestStatesOfPages(t *testing.T) {
	t.Parallel()
	b := stand(t, serve(t))
	axe, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	if err != nil {
		t.Fatal(err)
	}
	ines := newClient(t, b.address).login("ines")
	review := planned(t, ines, "ivybeck/5.4/hearthside")
	ctx := tab(t)
	do(t, ctx, browser.SignIn(b.address, "marit", secret("marit")))
	button := func(name string) browser.Step { return chromedp.Click(chromedp.Search(`//button[. = "` + name + `"]`)) }
	shortcut := func(code, key string, ctrl bool) browser.Step {
		return chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`document.body.dispatchEvent(new KeyboardEvent("keydown",
			{code: %q, key: %q, ctrlKey: %v, bubbles: true, cancelable: true}))`, code, key, ctrl))
	}
	const dialog = `document.querySelector("[role=dialog]")`
	for _, state := range []struct {
		name, page string
		reach      browser.Step
	}{
		{"going anywhere", "/", chromedp.Steps(shortcut("KeyK", "k", true), browser.Until(dialog),
			enter("[role=dialog] input", "gull"), browser.Until(`document.querySelectorAll("[role=option]").length > 3`), browser.Settled())},
		{"the list of keys", "/catalogue", chromedp.Steps(shortcut("Slash", "?", false), browser.Until(dialog))},
		{"saved views", "/", chromedp.Steps(button("My views"), browser.Until(dialog))},
		{"a choice", "/", chromedp.Steps(chromedp.Click(chromedp.CSS("button[role=combobox]")),
			browser.Until(`document.querySelector("[role=option]")`))},
		{"columns of a table", "/steadiness", chromedp.Click(chromedp.Search(`//summary[. = "Columns"]`))},
		{"nothing found in a table", "/steadiness", chromedp.Steps(enter(`input[type=search]`, "nobody has this name"),
			says("#page", "No row contains"))},
		{"several chosen", "/team", chromedp.Click(chromedp.CSS("tbody input[type=checkbox]"))},
		{"finding an edition", "/team",
			chromedp.Steps(chromedp.Focus(chromedp.Search(`//label[. = "Edition"]/following-sibling::input`)),
				chromedp.Evaluate[chromedp.Void](`document.activeElement.select()`), // a draft is kept
				keys("gull"), browser.Until(`document.querySelector("[role=option]")`))},
		{"keys of the desk", "/desk/" + review, chromedp.Steps(browser.Until(`document.querySelector("#page h2")`),
			chromedp.Evaluate[chromedp.Void](`document.querySelector("#page h2").dispatchEvent(new KeyboardEvent("keydown", {key: "?", bubbles: true, cancelable: true}))`))},
		{"a session that ended", "/data-quality", chromedp.Steps(signedOut,
			chromedp.Evaluate[chromedp.Void](`document.dispatchEvent(new Event("visibilitychange"))`))},
	} {
		t.Run(state.name, func(t *testing.T) {
			for _, look := range looks[:2] {
				do(
					t,
					ctx,
					browser.Look(look.width, 800, look.scheme),
					chromedp.Navigate(b.address+state.page),
					browser.Settled(),
					state.reach,
					chromedp.Evaluate[chromedp.Void](string(axe)),
				)
				for _, v := range violations(t, ctx, look.rules) {
					t.Errorf("%s, %s: %s", state.page, look.scheme, v)
				}
			}
		})
	}
	b.answers(func(w http.ResponseWriter, r *http.Request) bool {
		if r.URL.Path == "/api/v1/session" || r.URL.Path == "/api/v1/about" || r.Method != http.MethodGet ||
			!strings.HasPrefix(r.URL.Path, "/api/") {
			return false
		}
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusServiceUnavailable)
		fmt.Fprint(w, `{"type":"about:blank","title":"Failed","status":503,"detail":"The disk is on fire."}`)
		return true
	})
	for _, page := range []string{"/?newest=true", "/work"} {
		inspect(t, ctx, b.address, page, string(axe))
	}
}

// TestFollowsAcceptance has pages open while a review is accepted: each shows the new figures, within two seconds on a
// machine that does nothing else.
func TestFollowsAcceptance(t *testing.T) {
	t.Parallel()
	server := serve(t)
	marit, ines := newClient(t, server).login("marit"), newClient(t, server).login("ines")
	review := planned(t, ines, "ivybeck/5.4/hearthside")
	ines.must("record", "documentation", "7", "--review", review)
	pages := []string{
		"/", "/edition/ivybeck/6.0/hearthside",
		"/compare?edition=gullhaven/5.2/hearthside&edition=bramblewick/7.0/hearthside",
		"/steadiness", "/records", "/weights", "/explain?a=gullhaven/5.2/hearthside&b=bramblewick/7.0/hearthside",
		"/data-quality", "/fits?memoryMiB=4096",
	}
	first := tab(t)
	do(t, first, browser.SignIn(server, "marit", secret("marit")))
	for _, page := range pages {
		ines.must("review", "edit", review, "--state", "submitted", "--reason", "a first look")
		do(t, first, chromedp.Navigate(server+page), browser.Settled(),
			chromedp.Sleep(500*time.Millisecond), // the stream of changes is open
			chromedp.Evaluate[chromedp.Void](`performance.clearResourceTimings()`))
		marit.must("review", "edit", review, "--state", "accepted")
		began := time.Now()
		do(
			t,
			first,
			browser.Until(
				`performance.getEntriesByType("resource").some(e => /api\/v1\/(ranking|scorecards|comparison|steadiness|records|leaders|lines|groups|explanation|quality|fits|tipping)/.test(e.name))`,
			),
		)
		// A machine that is busy with other tests takes longer.
		if took := time.Since(began); took > 10*time.Second {
			t.Errorf("%s follows after %s", page, took)
		} else {
			t.Logf("%s follows after %s", page, took.Round(10*time.Millisecond))
		}
		marit.must("review", "edit", review, "--state", "underway", "--reason", "once more")
	}
}

// TestChangeWhilePageOpens: after a page has fetched a part, something changes before it has fetched the rest. The page
// shows the change.
func TestChangeWhilePageOpens(t *testing.T) {
	t.Parallel()
	b := stand(t, serve(t))
	ines := newClient(t, b.address).login("ines")
	ctx := tab(t)
	do(
		t,
		ctx,
		browser.SignIn(b.address, "marit", secret("marit")),
		chromedp.Navigate(b.address+"/fits"),
		browser.Settled(),
	)
	fetched, changed := make(chan struct{}), make(chan struct{})
	once := sync.OnceFunc(func() { close(fetched) })
	b.answers(func(w http.ResponseWriter, r *http.Request) bool {
		switch r.URL.Path {
		case "/api/v1/queue":
			b.through.ServeHTTP(w, r)
			once()
			return true
		case "/api/v1/about":
			<-changed
		}
		return false
	})
	do(t, ctx, chromedp.Navigate(b.address+"/team"))
	select {
	case <-fetched:
	case <-time.After(eachStep):
		t.Fatal("the queue is not fetched before everything else is there")
	}
	b.answers(nil)
	ines.must("queue", "add", "oakshott/1.8/awning", "--reason", "the harbour office asks")
	close(changed)
	do(t, ctx, browser.Until(`document.querySelector("#page").textContent.includes("the harbour office asks")`))
}

// TestChangeWhileAnotherTabOpens: a second tab has fetched its catalogue, but does not know yet who is signed in, while
// the first receives a change. The second shows it.
func TestChangeWhileAnotherTabOpens(t *testing.T) {
	t.Parallel()
	b := stand(t, serve(t))
	marit := newClient(t, b.address).login("marit")
	first := tab(t)
	do(t, first, browser.SignIn(b.address, "marit", secret("marit")), chromedp.Navigate(b.address+"/catalogue"),
		browser.Settled(), chromedp.Sleep(500*time.Millisecond)) // the stream of changes is open
	second := anotherTab(t, first)
	do(t, second, chromedp.Navigate(b.address+"/healthz"), chromedp.Evaluate[chromedp.Void](`localStorage.clear()`))
	received := make(chan struct{})
	release := sync.OnceFunc(func() { close(received) })
	t.Cleanup(release)
	b.answers(func(_ http.ResponseWriter, r *http.Request) bool {
		if r.URL.Path == "/api/v1/session" {
			<-received
		}
		return false
	})
	do(t, second, chromedp.Navigate(b.address+"/catalogue"), says("main", "Gullhaven"))
	marit.must("distribution", "add", "lanternfish", "--name", "Lanternfish", "--model", "fixed")
	do(t, first, says("main", "Lanternfish"))
	release()
	do(t, second, browser.Until(`document.querySelector("header a[title='My account']")`), says("main", "Lanternfish"))
}
