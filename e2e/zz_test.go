package e2e

import (
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
)

func TestZZProbe(t *testing.T) {
	server := "http://127.0.0.1:8399"
	ctx := tab(t)
	do(t, ctx, browser.Look(1280, 800, "light"), browser.SignIn(server, "marit", secret("marit")))
	pages := strings.Fields(os.Getenv("PAGES"))
	const begin = `window.__long = [];
		new PerformanceObserver((l) => l.getEntries().forEach((e) => window.__long.push(Math.round(e.duration)))).observe({type: "longtask", buffered: true});`
	for i, p := range pages {
		start := time.Now()
		if err := chromedp.Do(ctx, chromedp.Navigate(server+p), browser.Settled()); err != nil {
			t.Log(p, err)
			continue
		}
		took := time.Since(start)
		do(t, ctx, chromedp.Evaluate[chromedp.Void](begin))
		time.Sleep(700 * time.Millisecond)
		out, err := chromedp.Run(ctx, chromedp.Evaluate[string](`JSON.stringify({
			last: Math.round(Math.max(0, ...performance.getEntriesByType("resource").filter(e => e.name.includes("/api/")).map(e => e.responseEnd))),
			nodes: document.querySelectorAll("*").length, high: document.documentElement.scrollHeight, long: window.__long,
			alert: [...document.querySelectorAll("#page [role=alert]")].map(e => e.textContent).join("/")})`))
		fmt.Println(p, took.Milliseconds(), out, err)
		if os.Getenv("SHOTS") != "" {
			picture, _ := chromedp.Run(ctx, chromedp.CaptureScreenshot())
			os.WriteFile(fmt.Sprintf("/tmp/shots/p%d.png", i), picture, 0o644)
		}
	}
}
