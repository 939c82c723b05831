package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"testing"
	"time"

	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
)

// TestRecomputed fetches a published report and computes all its figures again from its own bundle, without a service.
func TestRecomputed(t *testing.T) {
	t.Parallel()
	server := serve(t)
	c := newClient(t, server)
	dir := t.TempDir()
	c.must("report", "download", "old-laptops-autumn", "--form", "all", "--folder", dir)
	text, err := os.ReadFile(filepath.Join(dir, "report.json"))
	if err != nil {
		t.Fatal(err)
	}
	var document struct {
		Results []struct {
			What, Audience string
			Arguments      []string
			Value          any
		}
	}
	decode(t, string(text), &document)
	if len(document.Results) < 10 {
		t.Fatalf("only %d results are stated", len(document.Results))
	}
	offline := newClient(t, "http://127.0.0.1:1")
	for _, r := range document.Results {
		var again any
		decode(
			t,
			offline.must(
				append([]string{"compute", filepath.Join(dir, "bundle.json"), "--output", "json"}, r.Arguments...)...),
			&again,
		)
		if !reflect.DeepEqual(again, r.Value) {
			a, _ := json.Marshal(again)   // both came from JSON
			b, _ := json.Marshal(r.Value) // and this
			at := 0
			for at < min(len(a), len(b)) && a[at] == b[at] {
				at++
			}
			t.Errorf("%s for %q comes out otherwise: %.80s, not %.80s", r.What, r.Audience, a[at:], b[at:])
		}
	}
	for _, picture := range []string{"figures/ranking-old-laptop.svg", "figures/measures.png", "figures/steadiness-tinkerer-dark.png"} {
		if body, err := os.ReadFile(filepath.Join(dir, picture)); err != nil || len(bytes.TrimSpace(body)) < 1000 {
			t.Errorf("%s: %d bytes, %v", picture, len(body), err)
		}
	}
	c.fails(3, "report", "download", "old-laptops-autumn", "--revision", "7", "--folder", dir)
	c.fails(2, "report", "download", "old-laptops-autumn", "--form", "poster", "--folder", dir)
}

// TestWriteReport writes a report in the console: the preview follows, a lost connection loses nothing, another
// author's part is adopted, and references that cannot be filled in prevent publishing.
func TestWriteReport(t *testing.T) {
	t.Parallel()
	server := serve(t)
	odile := newClient(t, server).login("odile")
	ctx := tab(t)
	const (
		prose   = `textarea`
		status  = `[...document.querySelectorAll("[role=status]")].some(e => e.textContent.startsWith(%q))`
		inFrame = `document.querySelector("iframe")?.contentDocument?.body?.textContent.includes(%q)`
	)
	typeInto := func(text string) browser.Step {
		return chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`(() => {
			const area = document.querySelector(%q), set = Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, "value").set;
			const first = [...document.querySelectorAll("textarea")].find(a => a.id && a.closest("li"));
			set.call(first, %q);
			first.dispatchEvent(new Event("input", {bubbles: true}));
		})()`, prose, text))
	}
	do(
		t,
		ctx,
		browser.Look(1280, 900, "light"),
		browser.SignIn(server, "marit", secret("marit")),
		chromedp.Navigate(
			server+"/reports/new?edition=gullhaven/5.2/hearthside&edition=mossgate/12/hearthside&audience=pensioner",
		),
		browser.Settled(),
		chromedp.SendKeys(chromedp.CSS("form input"), "Two for the library"),
		chromedp.Click(`//button[normalize-space(.)="Start writing"]`),
		browser.Until(fmt.Sprintf(inFrame, "Two for the library")),
		typeInto("The first is {leader}, with {scor gullhaven/5.2/hearthside}."),
		browser.Until(fmt.Sprintf(inFrame, "The first is Gullhaven 5.2 Hearthside, with {scor")),
		browser.Until(`document.querySelector("textarea[aria-invalid=true]")`),
		chromedp.Click(`//button[normalize-space(.)="Publish"]`),
		browser.Until(
			`[...document.querySelectorAll("[role=alertdialog] button")].some(b => b.textContent === "Publish" && b.disabled) && document.querySelector("[role=alertdialog]").textContent.includes("not a known figure")`,
		),
		chromedp.Click(`//button[normalize-space(.)="Cancel"]`),
	)
	// The network goes; typed text is kept, also when the page is loaded again.
	do(t, ctx,
		browser.Offline(true),
		typeInto("The first is {leader}, with {score gullhaven/5.2/hearthside} points."),
		browser.Until(fmt.Sprintf(status, "saved in this browser only")),
		browser.Offline(false),
		chromedp.Navigate(server+"/reports/two-for-the-library/edit"),
		browser.Until(fmt.Sprintf(inFrame, "with 84.1 points.")),
		browser.Until(fmt.Sprintf(status, "saved ")),
	)
	// Another author writes another part meanwhile.
	theirs := filepath.Join(t.TempDir(), "theirs.yaml")
	if err := os.WriteFile(theirs, []byte("title: Two for the library\naudiences: [pensioner]\neditions: [gullhaven/5.2/hearthside, mossgate/12/hearthside]\nparts:\n"+
		"  - {id: summary, kind: summary, text: \"The first is {leader}, with {score gullhaven/5.2/hearthside} points.\"}\n  - {id: ranking, kind: ranking, text: Odile looked at the order.}\n  - {id: caveats, kind: caveats}\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	odile.must("report", "edit", "two-for-the-library", "--file", theirs)
	do(
		t,
		ctx,
		typeInto("The first of two is {leader}, with {score gullhaven/5.2/hearthside} points."),
		browser.Until(fmt.Sprintf(inFrame, "The first of two is Gullhaven")),
		browser.Until(fmt.Sprintf(inFrame, "Odile looked at the order.")),
		// Her text stays, also after everything has been sent.
		chromedp.Sleep(2*time.Second),
		browser.Until(fmt.Sprintf(status, "saved ")),
		browser.Until(fmt.Sprintf(inFrame, "Odile looked at the order.")),
		chromedp.Click(`//button[normalize-space(.)="Publish"]`),
		browser.Until(
			`[...document.querySelectorAll("[role=alertdialog] button")].some(b => b.textContent === "Publish" && !b.disabled)`,
		),
		chromedp.Click(`//*[@role="alertdialog"]//button[normalize-space(.)="Publish"]`),
		browser.Until(
			`location.pathname === "/reports/two-for-the-library/history" && document.body.textContent.includes("Revision 1")`,
		),
		chromedp.Navigate(server+"/edition/mossgate/12/hearthside"),
		browser.Settled(),
		browser.Until(
			`[...document.querySelectorAll("h2")].some(h => h.textContent === "In reports") && document.body.textContent.includes("Two for the library")`,
		),
	)
}

// TestReportOnPaper prints the workshop's reports: nothing is wider than the paper, no control is printed, and parts
// that can be closed are open.
func TestReportOnPaper(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ctx := tab(t)
	const wide = 680 // of A4 between its margins
	for _, report := range []string{"spring-pensioners", "old-laptops-autumn", "classroom-2026", "spring-pensioners/revision/1"} {
		do(t, ctx, chromedp.Navigate(server+"/reports/"+report), browser.Settled(), browser.Paper(wide))
		over, err := chromedp.Run(
			ctx,
			chromedp.Evaluate[[]string](fmt.Sprintf(`[...document.querySelectorAll("main *, header *, footer *")]
			.filter(e => e.getBoundingClientRect().right > %d + 1 && getComputedStyle(e).display !== "none" && !e.closest("svg"))
			.slice(0, 5).map(e => e.tagName + " " + e.textContent.trim().slice(0, 60) + " ends at " + Math.round(e.getBoundingClientRect().right))`, wide)),
		)
		if err != nil {
			t.Fatal(err)
		}
		if len(over) > 0 {
			t.Errorf("%s is wider than the paper: %v", report, over)
		}
		shown, err := chromedp.Run(ctx, chromedp.Evaluate[map[string]any](`({
			nav: getComputedStyle(document.querySelector("nav")).display,
			figures: [...document.querySelectorAll("svg.figure")].filter(e => getComputedStyle(e).display !== "none").length,
			all: document.querySelectorAll("figure > .scroll").length,
			pale: [...document.querySelectorAll("p, td, dd")].filter(e => getComputedStyle(e).color === getComputedStyle(document.body).backgroundColor).length,
		})`))
		if err != nil {
			t.Fatal(err)
		}
		if shown["nav"] != "none" || shown["figures"] != shown["all"] || shown["pale"] != 0.0 {
			t.Errorf("%s on paper: %v", report, shown)
		}
	}
}
