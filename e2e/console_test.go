package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"regexp"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"dappertally/e2e/browser"
)

// patience is the longest time of a whole test in the browser.
const patience = 15 * time.Minute

// tab opens a browser with one tab.
func tab(t *testing.T) context.Context {
	t.Helper()
	ctx, stop, err := browser.Start(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(stop)
	allowed(t, ctx)
	ctx, cancel := context.WithTimeout(ctx, patience)
	t.Cleanup(cancel)
	return ctx
}

// allowed fails the test if a page does something that its policy forbids.
func allowed(t *testing.T, ctx context.Context) {
	t.Helper()
	told := sync.Once{}
	tell := func(what string) { told.Do(func() { t.Errorf("forbidden: %s", what) }) }
	if err := browser.Forbidden(ctx, tell); err != nil {
		t.Fatal(err)
	}
}

// anotherTab opens one more tab in the same browser.
func anotherTab(t *testing.T, ctx context.Context) context.Context {
	t.Helper()
	ctx, stop := chromedp.NewContext(ctx)
	t.Cleanup(stop)
	if err := chromedp.Do(ctx); err != nil { // a tab ends with the context that it was first used with
		t.Fatal(err)
	}
	if err := browser.Prepare(ctx); err != nil {
		t.Fatal(err)
	}
	allowed(t, ctx)
	ctx, cancel := context.WithTimeout(ctx, patience)
	t.Cleanup(cancel)
	return ctx
}

// eachStep limits one step, so that a page that does not respond is reported soon, with its text.
const eachStep = 2 * time.Minute

func do(t *testing.T, ctx context.Context, steps ...browser.Step) {
	t.Helper()
	for i, step := range steps {
		limited, cancel := context.WithTimeout(ctx, eachStep)
		err := chromedp.Do(limited, step)
		cancel()
		if err != nil {
			limited, cancel := context.WithTimeout(ctx, eachStep)
			defer cancel()
			page, _ := chromedp.Run(limited,
				chromedp.Evaluate[string](`[location.href, document.body.innerText.slice(0, 3000),
					...[...document.querySelectorAll("details pre")].map((e) => e.textContent)].join("\n")`))
			t.Fatalf("step %d: %v\nthe page says:\n%s", i+1, err, page)
		}
	}
}

// says waits until an element that a selector finds contains a text.
func says(selector, text string) browser.Step {
	return browser.Until(
		fmt.Sprintf(`[...document.querySelectorAll(%q)].some(e => e.textContent.includes(%q))`, selector, text),
	)
}

func keys(text string, options ...chromedp.KeyOption) browser.Step {
	return chromedp.KeyEvent(text, options...)
}

// TestConsole signs in, answers by keyboard alone, submits, lets the lead accept, and sees the ranking change. On the
// way a wrong value is rejected with its reason, and a lost connection loses nothing.
func TestConsole(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ines := newClient(t, server).login("ines")
	var planned struct{ ID string }
	decode(t, ines.must("review", "add", "ivybeck/5.4/hearthside", "--output", "json"), &planned)
	id := planned.ID
	ctx := tab(t)
	const held = `document.querySelector("#in-hand")?.textContent === `

	do(
		t,
		ctx,
		browser.Look(1280, 800, "light"),
		chromedp.Navigate(server+"/"),
		browser.Settled(),
		says("tbody", "Gullhaven"),
		browser.Until(`!document.querySelector("table.ledger").textContent.includes("Ivybeck 5.4")`),
		browser.SignIn(server, "ines", secret("ines")),
		chromedp.Navigate(server+"/desk/"+id+"?section=usability"),
		browser.Settled(),
		// A grade: type digits; Enter records it and goes on.
		browser.Until(held+`"First-run guide"`),
		browser.Until(`document.activeElement?.matches("input[data-figure]")`),
		keys("7"),
		keys("."),
		keys("5"),
		keys(kb.Enter),
		browser.Until(held+`"Menu and search"`),
		says("[role=status]", "saved"),
		says("li", "7.5 of 10"),
		// A wrong value is refused with its reason, and stays in the field.
		keys("1"),
		keys("1"),
		keys(kb.Enter),
		says("[role=status]", "rejected"),
		browser.Until(held+`"Consistent look"`),
		browser.Press("k"),
		browser.Until(held+`"Menu and search"`),
		says("[role=alert]", "between 0 and 10"),
		browser.Until(`document.activeElement?.value === "11"`),
		keys(kb.Backspace),
		keys(kb.Backspace),
		keys("9"),
		keys(kb.Enter),
		says("li", "9 of 10"),
		// A level by its digit, from further down the list.
		chromedp.Click(`//button[contains(., "Firewall")]`),
		browser.Until(held+`"Firewall"`),
		keys("3"),
		keys(kb.Enter),
		browser.Until(held+`"Administrator rights"`),
		says("[role=status]", "saved"),
		// Not tested, with its reason: letters act until the field for words has the focus.
		browser.Press("n"),
		browser.Until(`document.activeElement?.matches("[data-words]")`),
		keys("no second account"),
		keys(kb.Enter),
		says("li", "not tested: no second account"),
		// A lost connection: the answer is kept, this is shown, and it is sent later.
		browser.Until(held+`"A week of daily use"`),
		browser.Offline(true),
		keys("6"),
		keys(kb.Enter),
		says("[role=status]", "no connection"),
		chromedp.Sleep(300*time.Millisecond),
		browser.Offline(false),
		says("[role=status]", "saved"),
		says("li", "6 of 10"),
	)
	// A count, a check and a measure, each by keys, on the section of software and back.
	do(
		t,
		ctx,
		chromedp.Navigate(server+"/desk/"+id+"?section=software&criterion=archives"),
		browser.Settled(),
		browser.Until(held+`"Archives open"`),
		browser.Until(
			`document.activeElement?.matches("[data-item]")`,
		),
		keys("1"),
		keys("1"),
		keys("3"),
		keys("1"),
		keys(kb.Enter),
		says("li", "3 worked, 1 failed"),
		chromedp.Navigate(server+"/desk/"+id+"?section=performance&rig=bench-old"),
		browser.Settled(),
		browser.Until(held+`"Cold start to desktop"`),
		browser.Until(`document.activeElement?.matches("input[data-figure]")`),
		keys("26,4"),
		keys(kb.Enter),
		keys("25.9"),
		keys(kb.Enter),
		keys("26.0"),
		browser.Press("a"),
		browser.Until(`document.activeElement?.matches("[data-words]")`),
		keys("4"),
		keys(kb.Tab),
		keys("the boot menu waits"),
		keys(kb.Enter),
		says("li", "26.4 · 25.9 · 26 s"),
		says("[role=status]", "saved"),
	)
	// Text that was only typed is still there after the page is closed.
	do(
		t,
		ctx,
		chromedp.Navigate(server+"/desk/"+id+"?section=usability&criterion=documentation"),
		browser.Settled(),
		browser.Until(held+`"Built-in help"`),
		browser.Until(
			`document.activeElement?.matches("input[data-figure]")`,
		),
		keys("4"),
		says("[role=status]", "typed"),
		chromedp.Navigate("about:blank"),
		chromedp.Navigate(server+"/desk/"+id+"?section=usability&criterion=documentation"),
		browser.Settled(),
		browser.Until(`document.querySelector("input[data-figure]")?.value === "4"`),
		browser.Until(`document.activeElement?.matches("input[data-figure]")`),
		keys(kb.Enter),
		says("li", "4 of 10"),
		keys(kb.Enter, chromedp.KeyModifiers(kb.ModifierCtrl)),
		says("[role=dialog]", "open items:"),
		browser.Until(
			`document.activeElement?.matches("[role=dialog] [data-words]")`,
		),
		keys("a first look only"),
		keys(kb.Enter),
		says("p", "waiting for a lead"),
	)
	do(
		t,
		ctx,
		chromedp.Click(`//button[text()="Sign out"]`),
		says("header", "Sign in"),
		browser.SignIn(server, "marit", secret("marit")),
		chromedp.Navigate(server+"/desk/"+id),
		browser.Settled(),
		chromedp.Click(
			`//button[text()="Accept…"]`,
		),
		says("[role=dialog]", "become public"),
		chromedp.Click(`//div[@role="dialog"]//button[text()="Accept"]`),
		says("p", "Review, accepted"),
		chromedp.Navigate(server+"/"),
		browser.Settled(),
		says("section", "Ivybeck 5.4"),
	)
}

// TestPages opens every page at both widths and in both schemes and looks for overflow, for violations reported by
// the accessibility checker, and for errors in the console.
func TestPages(t *testing.T) {
	t.Parallel()
	server := serve(t)
	axe, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	if err != nil {
		t.Fatal(err)
	}
	marit := newClient(t, server).login("marit")
	var list struct{ Reviews []struct{ ID string } }
	decode(t, marit.must("review", "list", "--state", "underway", "--output", "json"), &list)
	var proposals struct{ Proposals []struct{ ID string } }
	decode(t, marit.must("proposal", "list", "--output", "json"), &proposals)
	var plans struct{ Plans []struct{ ID string } }
	decode(t, marit.must("plan", "list", "--output", "json"), &plans)
	var plan struct{ Sessions []struct{ ID string } }
	decode(t, marit.must("plan", "show", plans.Plans[0].ID, "--output", "json"), &plan)
	marit.withDraft()
	const pair = "edition=gullhaven/5.2/hearthside&edition=bramblewick/7.0/hearthside&edition=mossgate/12/hearthside&edition=thistledown/2.7/pebbledash"
	pages := []string{
		"/", "/?audience=pensioner&rigs=common", "/?audience=pensioner&ground=true",
		"/edition/eiderloft/2026-04/latchwork?audience=classroom", "/compare?" + pair, "/compare", "/catalogue",
		"/checklist", "/checklist?audience=tinkerer&checklist=workshop@1",
		"/team/import", "/checklist/audiences", "/checklist/versions", "/checklist/proposals", "/checklist/proposals/" +
			proposals.Proposals[0].ID, "/checklist/propose/workshop@2?criterion=media-formats",
		"/checklist/edit/workshop@3?criterion=cold-start", "/data-quality",
		"/edition/kestrelby/3.1/pebbledash?open=memory-idle&open=copy-folder&open=week-of-use",
		"/sign-in", "/nowhere", "/edition/no/such/one", "/report?" + pair, "/work", "/desk/" + list.Reviews[0].ID +
			"?section=performance",
		"/desk/" + list.Reviews[0].ID + "?part=finding", "/desk/" + list.Reviews[0].ID + "?part=pictures", "/team",
		"/team/plans", "/team/plans/new", "/team/plans/" + plans.Plans[0].ID,
		"/bench/" + plan.Sessions[0].ID, "/team/suggestions", "/team/settings", "/rigs", "/rigs/bench-old", "/known-issues",
		"/suggest", "/?newest=true&since=2026-06-01&desktop=Hearthside", "/weights?audience=pensioner",
		"/steadiness?newest=true",
		"/explain?a=gullhaven/5.2/hearthside&b=kestrelby/3.1/pebbledash", "/fits?memoryMiB=2048&newest=true", "/groups",
		"/lines", "/lines/gullhaven/hearthside", "/records", "/compare?show=differences&baseline=previous&" + pair,
		"/catalogue/gullhaven", "/catalogue/gullhaven/5.2", "/catalogue/gullhaven/5.2/hearthside", "/reports",
		"/reports/new", "/reports/radio-winter/edit", "/reports/radio-winter/versions", "/reports/spring-pensioners/history",
		"/reports/spring-pensioners", "/reports/spring-pensioners/revision/1", "/start", "/checklist/new", "/unsent",
		"/notices", "/team/hooks", "/team/people", "/team/people/tomas", "/account", "/team/audit", "/team/operations",
		"/docs", "/docs/search?q=dead+heat", "/docs/tutorial/first-ranking", "/docs/guides/administrators",
		"/docs/reference/permissions", "/docs/explanation/scores", "/docs/no/such/page",
	}
	open := readable(t, server)
	// Two browsers share the pages.
	const browsers = 2
	for n := range browsers {
		t.Run(fmt.Sprint("browser ", n+1), func(t *testing.T) {
			t.Parallel()
			ctx := tab(t)
			do(t, ctx, browser.SignIn(server, "marit", secret("marit")))
			for i := n; i < len(pages); i += browsers {
				address := server
				if frozen.MatchString(pages[i]) {
					address = open
				}
				inspect(t, ctx, address, pages[i], string(axe))
			}
		})
	}
}

// frozen matches the addresses of pages in which no script runs, and so not the accessibility checker: published
// reports and the documentation.
var frozen = regexp.MustCompile(`^/(reports/spring-pensioners(/revision/\d+)?|docs(/.*)?)$`)

// readable returns the address of a server that shows such pages without the policy that forbids scripts.
func readable(t *testing.T, server string) string {
	b := stand(t, server)
	b.answers(func(w http.ResponseWriter, r *http.Request) bool {
		if !frozen.MatchString(r.URL.Path) {
			return false
		}
		res, err := http.Get(server + r.URL.RequestURI())
		if err != nil {
			w.WriteHeader(http.StatusBadGateway)
			return true
		}
		defer res.Body.Close()
		w.Header().Set("Content-Type", res.Header.Get("Content-Type"))
		w.WriteHeader(res.StatusCode)
		_, _ = io.Copy(w, res.Body) // a page that is cut off fails the check
		return true
	})
	return b.address
}

// looks are the widths and schemes in which each page is checked. The first checks every rule, the others only those
// that colours or the width can break.
var looks = []struct {
	width  int64
	scheme string
	rules  string
}{
	{1280, "light", everyRule},
	{1280, "dark", `{type: "rule", values: ["color-contrast"]}`},
	{390, "light", `{type: "rule", values: ["target-size", "scrollable-region-focusable"]}`},
}

// inspect opens a page in each look and reports its faults.
func inspect(t *testing.T, ctx context.Context, server, page, axe string) {
	t.Helper()
	do(t, ctx, browser.Look(looks[0].width, 800, looks[0].scheme), chromedp.Navigate(server+page), browser.Settled())
	do(t, ctx, chromedp.Evaluate[chromedp.Void](axe))
	for _, look := range looks {
		do(t, ctx, browser.Look(look.width, 800, look.scheme), browser.Settled())
		wide, err := chromedp.Run(ctx, chromedp.Evaluate[int64](`document.documentElement.scrollWidth`))
		if err != nil {
			t.Fatal(err)
		}
		if wide > look.width {
			t.Errorf("%s at %d: the page is %d wide", page, look.width, wide)
		}
		for _, v := range violations(t, ctx, look.rules) {
			t.Errorf("%s at %d, %s: %s", page, look.width, look.scheme, v)
		}
	}
}

// everyRule is the tags of all rules of the standard's levels A and AA.
const everyRule = `["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]`

// violations runs the accessibility checker, which the page has loaded, and returns the rules that are broken.
func violations(t *testing.T, ctx context.Context, rules string) []string {
	t.Helper()
	text, err := chromedp.Run(ctx, chromedp.Evaluate[string](`axe.run({runOnly: `+rules+`,
		resultTypes: ["violations"], preload: false})
		.then(r => JSON.stringify(r.violations.map(v => v.id + ": " + v.help + " – " + v.nodes.slice(0, 3).map(n => n.target + " " + (n.any[0]?.message ?? "")).join(" | "))))`, chromedp.EvalAwaitPromise))
	if err != nil {
		t.Fatal(err)
	}
	var found []string
	if err := json.Unmarshal([]byte(text), &found); err != nil {
		t.Fatal(err)
	}
	return found
}
