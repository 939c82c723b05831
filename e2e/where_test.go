package e2e

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
)

// TestWhereAndWhen reads the console in another language and time zone.
func TestWhereAndWhen(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ctx := tab(t)
	text := func(expression string) string {
		t.Helper()
		s, err := chromedp.Run(ctx, chromedp.Evaluate[string](expression))
		if err != nil {
			t.Fatal(err)
		}
		return s
	}
	const page = `document.querySelector("#page").innerText`
	do(t, ctx, browser.Place("de-DE", "Asia/Kolkata"),
		chromedp.Navigate(server+"/edition/gullhaven/5.2/hearthside?open=cold-start"), browser.Settled(),
		browser.Until(page+`.includes("GMT")`)) // how the points came about
	said := text(page)
	for _, want := range []string{"81,7", "12,6 s", "GMT+5:30"} {
		if !strings.Contains(said, want) {
			t.Errorf("a reader in Kolkata whose browser speaks German is not told %q: %.900s", want, said)
		}
	}
	if strings.Contains(said, "81.7") || strings.Contains(said, "UTC") {
		t.Errorf("it says so in two ways: %.900s", said)
	}
	// A day is the same in every zone.
	do(t, ctx, browser.Place("en-GB", "Pacific/Auckland"), chromedp.Navigate(server+"/catalogue/bramblewick/7.0"),
		browser.Settled())
	if said := text(page); !strings.Contains(said, "14 Apr 2026") {
		t.Errorf("the day of a release: %.600s", said)
	}
	do(t, ctx, browser.Place("en-GB", "America/Los_Angeles"), chromedp.Navigate(server+"/catalogue/bramblewick/7.0"),
		browser.Settled())
	if said := text(page); !strings.Contains(said, "14 Apr 2026") {
		t.Errorf("the day of a release: %.600s", said)
	}
}

// TestNamesOfAnyLength gives distributions long names, and names of a script that is read from right to left: no page
// gets wider than the window.
func TestNamesOfAnyLength(t *testing.T) {
	t.Parallel()
	server := serve(t)
	marit := newClient(t, server).login("marit")
	marit.must("distribution", "edit", "bramblewick", "--name", strings.Repeat("Bramblewickenthwaite", 5))
	marit.must("distribution", "edit", "gullhaven", "--name", "مرفأ النوارس الطويل جدا")
	ctx := tab(t)
	const pair = "edition=gullhaven/5.2/hearthside&edition=bramblewick/7.0/hearthside"
	// A page that fits a phone also fits a wide window, except for tables that only appear there.
	pages := [][]string{{
		"/", "/edition/bramblewick/7.0/hearthside", "/edition/gullhaven/5.2/hearthside", "/compare?" + pair, "/steadiness",
		"/weights", "/catalogue",
		"/catalogue/bramblewick", "/lines", "/lines/bramblewick/hearthside", "/records", "/groups", "/fits?memoryMiB=2048",
		"/explain?a=gullhaven/5.2/hearthside&b=bramblewick/7.0/hearthside", "/report?" + pair, "/reports",
	}, {"/", "/compare?" + pair, "/steadiness", "/catalogue"}}
	for i, width := range []int64{390, 1280} {
		do(t, ctx, browser.Look(width, 800, "light"))
		for _, page := range pages[i] {
			do(t, ctx, chromedp.Navigate(server+page), browser.Settled())
			wider, err := chromedp.Run(ctx, chromedp.Evaluate[float64](`document.documentElement.scrollWidth - innerWidth`))
			if err != nil {
				t.Fatal(err)
			}
			if wider > 1 {
				widest, _ := chromedp.Run(ctx, chromedp.Evaluate[string](`[...document.querySelectorAll("#page *, body *")]
					.filter(e => e.getBoundingClientRect().right > innerWidth + 1 && !e.closest(".scroll-x")).slice(0, 3).map(e => e.outerHTML.slice(0, 140)).join(" | ")`))
				t.Errorf("%s at %d is %v pixels too wide: %s", page, width, wider, widest)
			}
		}
	}
}
