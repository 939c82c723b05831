package e2e

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
	"dappertally/internal/dbtest"
	"dappertally/internal/demo"
	"dappertally/internal/service"
	"dappertally/internal/store"
)

// crowd is the number of editions of the tests of long lists, without the demo's.
const crowd = 600

var crowded = dbtest.Filled{Name: "crowded", Fill: func(ctx context.Context, s *store.Store) error {
	_, err := demo.LoadCrowded(ctx, service.New(s, slog.New(slog.NewTextHandler(io.Discard, nil)), demo.Clock), crowd)
	return err
}}

// enter types into the element that a selector finds.
func enter(selector, text string) browser.Step {
	return chromedp.Steps(chromedp.Focus(chromedp.CSS(selector)), chromedp.SendKeys(chromedp.CSS(selector), text))
}

// TestManyEditions opens pages with long lists: they draw only what is in view, and can be searched, sorted and
// scrolled.
func TestManyEditions(t *testing.T) {
	t.Parallel()
	server := serveFrom(t, &crowded)
	ctx := tab(t)
	do(t, ctx, browser.Look(1280, 800, "light"), browser.SignIn(server, "marit", secret("marit")))
	// None of them may have more than a few thousand elements, however many editions there are.
	for _, page := range []string{
		"/", "/steadiness", "/data-quality", "/catalogue", "/work", "/lines", "/fits?memoryMiB=2048", "/groups", "/weights",
		"/team", "/team/plans/new", "/reports/radio-winter/edit",
	} {
		do(t, ctx, chromedp.Navigate(server+page), browser.Settled())
		got, err := chromedp.Run(ctx, chromedp.Evaluate[[]float64](`[
			document.querySelectorAll("*").length,
			[...document.querySelectorAll("#page [role=alert]")].length,
			document.documentElement.scrollWidth - innerWidth,
		]`))
		if err != nil {
			t.Fatal(err)
		}
		if got[0] > 5500 || got[1] > 0 || got[2] > 0 {
			t.Errorf("%s: %v elements, %v alerts, %v pixels too wide", page, got[0], got[1], got[2])
		}
	}
	text := func(expression string) string {
		t.Helper()
		s, err := chromedp.Run(ctx, chromedp.Evaluate[string](expression))
		if err != nil {
			t.Fatal(err)
		}
		return s
	}

	// The end of the ranking is fetched when the reader scrolls there.
	do(t, ctx, chromedp.Navigate(server+"/"), browser.Settled(),
		browser.Until(`document.querySelector("tbody tr[aria-hidden]")`),
		chromedp.Evaluate[chromedp.Void](`scrollTo(0, document.querySelector(".ledger").offsetHeight - 600)`),
		browser.Until(fmt.Sprintf(`[...document.querySelectorAll(".ledger tbody tr")].some(
			r => Number(r.getAttribute("aria-rowindex")) > %d && r.textContent.length > 20)`, crowd-40)))
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`scrollTo(0, 0)`),
		enter(`input[aria-label="Search the ranking"]`, "bramblewick 7"),
		browser.Until(`document.querySelectorAll(".ledger.rows tbody tr").length === 2`))
	if rows := text(`document.querySelector(".ledger.rows tbody").textContent`); !strings.Contains(rows,
		"Bramblewick 7.0") {
		t.Errorf("found: %s", rows)
	}

	// A table is searched, sorted by its heads, and shows fewer columns.
	do(t, ctx, chromedp.Navigate(server+"/steadiness"), browser.Settled(),
		chromedp.Click(chromedp.Search(`//th//button[starts-with(., "Edition")]`)),
		browser.Until(`document.querySelector("th[aria-sort=ascending]")?.textContent.startsWith("Edition")`))
	first := `document.querySelector(".ledger.rows tbody tr:not([aria-hidden]) th").textContent`
	if got := text(first); !strings.HasPrefix(got, "Alderbeck") {
		t.Errorf("first by name is %s", got)
	}
	do(t, ctx, enter(`input[aria-label="Search in Shares of ranks"]`, "bramblewick 7"),
		browser.Until(first+`.startsWith("Bramblewick 7.0")`),
		chromedp.Click(chromedp.Search(`//summary[. = "Columns"]`)),
		chromedp.Click(chromedp.Search(`//label[contains(., "First")]/input`)),
		browser.Until(`![...document.querySelectorAll(".ledger.rows thead th")].some(h => h.textContent.startsWith("First"))`))

	// The arrow keys go from row to row, also to rows that were not drawn.
	do(t, ctx, chromedp.Navigate(server+"/lines"), browser.Settled(),
		chromedp.Focus(chromedp.CSS(".ledger.rows tbody tr a")))
	for range 40 {
		do(t, ctx, chromedp.Evaluate[chromedp.Void](`new Promise(done => {
			document.activeElement.dispatchEvent(new KeyboardEvent("keydown", {key: "ArrowDown", bubbles: true}));
			requestAnimationFrame(() => requestAnimationFrame(done));
		})`, chromedp.EvalAwaitPromise))
	}
	if at := text(`document.activeElement.closest("tr")?.dataset.index ?? document.activeElement.tagName`); at != "40" {
		t.Errorf("after forty steps down the focus is at row %s", at)
	}
}

// TestPalette opens pages by a few letters, begins a review, and saves a view.
func TestPalette(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ctx := tab(t)
	const field = `[role=dialog] input`
	open := chromedp.Evaluate[chromedp.Void](
		`document.body.dispatchEvent(new KeyboardEvent("keydown", {code: "KeyK", key: "k", ctrlKey: true, bubbles: true, cancelable: true}))`)
	option := func(words string) string {
		return fmt.Sprintf(`[...document.querySelectorAll("[role=option]")].find(o => o.textContent.includes(%q))`, words)
	}
	choose := func(words string) browser.Step {
		return chromedp.Steps(browser.Until(option(words)), chromedp.Evaluate[chromedp.Void](option(words)+`.click()`))
	}
	// A reader finds pages and editions, but nothing of the team's work.
	do(t, ctx, chromedp.Navigate(server+"/"), browser.Settled(), open, chromedp.WaitVisible(chromedp.CSS(field)),
		enter(field, "oakshott 1.8"), choose("Oakshott 1.8 Awning"),
		browser.Until(`location.pathname === "/edition/oakshott/1.8/awning" && !document.querySelector("[role=dialog]")`))
	do(t, ctx, open, chromedp.WaitVisible(chromedp.CSS(field)), enter(field, "queue"),
		browser.Until(`document.querySelector("[role=dialog] [role=status]").textContent.includes("Nothing")`))
	// A reviewer begins a review.
	do(t, ctx, browser.SignIn(server, "ines", secret("ines")), open, chromedp.WaitVisible(chromedp.CSS(field)),
		enter(field, "ivybeck 5.4 hearth"), choose("Start a review of Ivybeck 5.4"),
		browser.Until(`location.pathname.startsWith("/desk/")`))
	// The list of keys.
	do(t, ctx, chromedp.Navigate(server+"/?audience=pensioner"), browser.Settled(),
		chromedp.Evaluate[chromedp.Void](`document.body.dispatchEvent(new KeyboardEvent("keydown", {key: "?", bubbles: true, cancelable: true}))`),
		browser.Until(`document.querySelector("[role=dialog] h2")?.textContent === "Keys"`),
		chromedp.Click(chromedp.Search(`//*[@role="dialog"]//button[. = "Close"]`)),
		browser.Until(`!document.querySelector("[role=dialog]")`))
	// A saved view opens again by its name.
	do(t, ctx, chromedp.Click(chromedp.Search(`//button[. = "My views"]`)), chromedp.WaitVisible(chromedp.CSS(field)),
		enter(field, "For pensioners"), chromedp.Click(chromedp.Search(`//*[@role="dialog"]//button[. = "Save"]`)),
		browser.Until(`[...document.querySelectorAll("[role=dialog] li a")].some(a => a.textContent === "For pensioners")`),
		chromedp.Navigate(server+"/"), browser.Settled(), chromedp.Click(chromedp.Search(`//button[. = "My views"]`)),
		chromedp.Click(chromedp.Search(`//*[@role="dialog"]//a[. = "For pensioners"]`)),
		browser.Until(`location.search === "?audience=pensioner"`))
}

// TestTogether plans and accepts several reviews at once, and shows which were refused.
func TestTogether(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ctx := tab(t)
	do(t, ctx, browser.SignIn(server, "marit", secret("marit")), chromedp.Navigate(server+"/team"), browser.Settled())
	tick := func(subjects ...string) {
		for _, s := range subjects {
			do(t, ctx, chromedp.Click(chromedp.CSS(fmt.Sprintf(`input[aria-label="Choose %s"]`, s))))
		}
	}
	tick("gullhaven/5.2/pebbledash", "eiderloft/2026-04/latchwork")
	do(t, ctx, date("Due", "2026-12-20"),
		chromedp.Click(chromedp.Search(`//button[. = "Plan"][@type="submit"][ancestor::form[contains(., "chosen")]]`)),
		browser.Until(`[...document.querySelectorAll("[role=status]")].some(e => e.textContent.includes("2 of 2 done"))`))
	marit := newClient(t, server).login("marit")
	var list struct {
		Reviews []struct{ ID, Edition, Due string }
	}
	decode(t, marit.must("review", "list", "--state", "planned", "--output", "json"), &list)
	due := 0
	for _, r := range list.Reviews {
		if r.Due == "2026-12-20" {
			due++
		}
	}
	if due != 2 {
		t.Errorf("planned: %+v", list.Reviews)
	}
}
