package e2e

import (
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"dappertally/e2e/browser"
)

// TestTwoAtOneReview has two reviewers at one desk: each sees what the other records, but a grade only after grading as
// well.
func TestTwoAtOneReview(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ines := newClient(t, server).login("ines")
	tomas := newClient(t, server).login("tomas")
	var planned struct{ ID string }
	decode(t, ines.must("review", "add", "ivybeck/5.4/hearthside", "--output", "json"), &planned)
	ctx := tab(t)
	desk := server + "/desk/" + planned.ID + "?section=usability"
	do(
		t,
		ctx,
		browser.Look(1280, 800, "light"),
		browser.SignIn(server, "ines", secret("ines")),
		chromedp.Navigate(desk),
		browser.Settled(),
		says("#in-hand", "First-run guide"),
	)
	tomas.must("record", "firewall", "on", "--review", planned.ID, "--note", "asked at the first start")
	do(
		t,
		ctx,
		browser.Until(
			`[...document.querySelectorAll("li button")].some(b => b.textContent.includes("Firewall") && b.textContent.match(/\d/))`,
		),
	)
	tomas.must("record", "first-guide", "3.7", "--review", planned.ID)
	do(t, ctx,
		says("#page", "tomas has graded this"),
		browser.Until(`!document.body.textContent.includes("3.7")`),
		browser.Until(`document.activeElement?.matches("input[data-figure]")`), keys("8"), keys(kb.Enter),
		browser.Press("k"), says("#in-hand", "First-run guide"), says("aside", "3.7 of 10"),
	)
	// Both answer the same question: the second is informed, nothing typed is lost, and it can be resolved.
	do(
		t,
		ctx,
		chromedp.Navigate(desk+"&criterion=menu-search"),
		browser.Settled(),
		browser.Until(`document.activeElement?.matches("input[data-figure]")`),
		keys("6"),
		keys(kb.Enter),
		says("li", "6 of 10"),
	)
	// Signing out with something typed asks first.
	do(
		t,
		ctx,
		chromedp.Navigate(desk+"&criterion=documentation"),
		browser.Settled(),
		browser.Until(`document.activeElement?.matches("input[data-figure]")`),
		browser.Offline(true),
		keys("5"),
		keys(kb.Enter),
		says("[role=status]", "no connection"),
		chromedp.Click(
			`//button[text()="Sign out"]`,
		),
		says("[role=alertdialog]", "delete one answer"),
		chromedp.Click(`//button[text()="Stay signed in"]`),
		browser.Offline(false),
		says("[role=status]", "saved"),
		browser.Until(`!document.querySelector("header").textContent.includes("not sent")`),
	)
	// The session ends elsewhere: typed text waits until the reviewer signs in again.
	do(
		t,
		ctx,
		chromedp.Navigate(desk+"&criterion=documentation"),
		browser.Settled(),
		browser.Until(`document.activeElement?.matches("input[data-figure]")`),
		chromedp.Evaluate[chromedp.Void](`fetch("/api/v1/session", {method: "DELETE"})`, chromedp.EvalAwaitPromise),
		keys(kb.Backspace),
		keys("9"),
		keys(kb.Enter),
		says("[role=dialog]", "Sign in again"),
		browser.Until(`document.activeElement?.matches("[role=dialog] input[name=password]")`),
		keys(secret("ines")),
		keys(kb.Enter),
		browser.Until(`!document.querySelector("[role=dialog]")`),
		says("#in-hand", "Telemetry"),
		browser.Until(
			`[...document.querySelectorAll("li button")].some(b => b.textContent.includes("Built-in help") && b.textContent.includes("9 of 10"))`,
		),
	)
}

// TestDeskTools uses the desk's tools for reviewers.
func TestDeskTools(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ines := newClient(t, server).login("ines")
	var list struct{ Reviews []struct{ ID string } }
	decode(t, ines.must("review", "list", "--state", "underway", "--output", "json"), &list)
	id := list.Reviews[0].ID
	ctx := tab(t)
	desk := server + "/desk/" + id
	const held = `document.querySelector("#in-hand")?.textContent === `
	figure := browser.Until(`document.activeElement?.matches("input[data-figure]")`)
	words := browser.Until(`document.activeElement?.matches("[data-words]")`)
	do(
		t,
		ctx,
		browser.Look(1280, 800, "light"),
		browser.SignIn(server, "ines", secret("ines")),
		chromedp.Navigate(desk+"?section=performance&rig=bench-old&criterion=cold-start"),
		browser.Settled(),
		browser.Until(held+`"Cold start to desktop"`),
		figure,
		// Known values are shown beside a measure.
		says("aside", "22.0 had"),
		says("aside", "record"),
		// A pasted list fills the runs; summary and spread follow.
		chromedp.Evaluate[chromedp.Void](
			`(() => { const d = new DataTransfer(); d.setData("text", "26,4 25,9\n26,0; 27,3\t25,8"); document.activeElement.dispatchEvent(new ClipboardEvent("paste", {clipboardData: d, bubbles: true, cancelable: true})); })()`,
		),
		browser.Until(
			`[...document.querySelectorAll("input[data-figure]")].map(e => e.value).join(" ") === "26,4 25,9 26,0 27,3 25,8"`,
		),
		says("#page", "median of 5: 26.0 s"),
		says("#page", "tolerance"),
		browser.Press("b"),
		browser.Until(
			`[...document.querySelectorAll("button[aria-pressed=true]")].some(b => b.textContent.includes("about"))`,
		),
		browser.Press("b"),
		browser.Press("b"),
		browser.Press("b"),
		browser.Press("u"),
		browser.Until(
			`[...document.querySelectorAll("button[aria-pressed=true]")].some(b => b.textContent.includes("restart"))`,
		),
		browser.Press("j"),
		says("li", "26.4 · 25.9 · 26 · 27.3 · 25.8 s"),
		// The stopwatch fills the next run.
		browser.Press("k"),
		browser.Until(held+`"Cold start to desktop"`),
		browser.Press("x"),
		says("[role=timer]", "s"),
		browser.Press("z"),
		browser.Press("x"),
		browser.Until(`document.querySelectorAll("input[data-figure]").length === 7`),
		chromedp.Click(`//button[contains(., "discard the input")]`),
		// A new system state is one key; readings after it belong to it.
		browser.Press("t"),
		says("[role=dialog]", "New state"),
		keys("after the updates"),
		keys(kb.Tab),
		keys("effects off"),
		chromedp.Click(`//div[@role="dialog"]//button[text()="Save the state"]`),
		says("#page", "in state s4"),
		// Another phase stays until it is changed, and its page says that it does not score.
		browser.Press("c"),
		says("[role=dialog]", "How the next readings are taken"),
		keys(kb.Escape),
		browser.Until(`!document.querySelector("[role=dialog]")`),
		chromedp.Navigate(desk+"?section=performance&rig=bench-old&criterion=memory-idle&phase=after-use"),
		browser.Settled(),
		says("#page", "not as asked"),
	)
	// Missing equipment is entered once for all criteria that need it.
	do(
		t,
		ctx,
		chromedp.Navigate(desk+"?section=installation&rig=bench-vm&criterion=printing"),
		browser.Settled(),
		browser.Until(held+`"Printer found and prints"`),
		says("aside", "has no printer"),
		browser.Press("n"),
		words,
		keys("no printer at hand"),
		keys(kb.Enter),
		says("li", "not tested: no printer at hand"),
	)
	// Evidence is pasted, a finding of the previous release is checked again, and a new one is written.
	do(
		t,
		ctx,
		chromedp.Navigate(desk+"?part=pictures"),
		browser.Settled(),
		says("#page", "First page of the settings"),
		chromedp.Evaluate[chromedp.Void](
			`(() => { const d = new DataTransfer(); d.items.add(new File([Uint8Array.from(atob("iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=="), c => c.charCodeAt(0))], "settings.png")); document.querySelector('[aria-label="First page of the settings"]').dispatchEvent(new DragEvent("drop", {dataTransfer: d, bubbles: true, cancelable: true})); })()`,
		),
		says("#page", "✓ First page of the settings"),
		browser.Until(`document.querySelector('[aria-label="First page of the settings"] img')?.naturalWidth === 1`),
		chromedp.Navigate(desk+"?part=finding"),
		browser.Settled(),
		says("#page", "Still present?"),
		says("#page", "Wireless is gone after suspend"),
		chromedp.Click(`(//button[text()="fixed"])[1]`),
		says("#page", "outcome of an earlier finding: fixed"),
		chromedp.Click(
			`//label[contains(., "What was found")]/following::input[1]`,
		),
		keys("The clock jumps"),
		keys(kb.Enter),
		says("[role=alert]", "is missing"),
	)
	// A person who only leads gets no tools of reviewers; readers find everything on the review's page.
	if out := ines.must("finding", "list", id, "--output", "json"); out == "" {
		t.Error("no findings")
	}
}

// TestBenchSession plans four contenders, opens a session, and answers criteria by keyboard; every entry is a reading
// of its edition's own review.
func TestBenchSession(t *testing.T) {
	t.Parallel()
	server := serve(t)
	odile := newClient(t, server).login("odile")
	session := openedBench(t, odile)
	ctx := tab(t)
	figure := browser.Until(`document.activeElement?.matches("input[data-figure]")`)
	line := func(n int, text string) browser.Step {
		return browser.Until(
			`document.querySelectorAll("[data-line]")[` + string(
				rune('0'+n),
			) + `]?.textContent.includes("` + text + `")`,
		)
	}
	do(
		t,
		ctx,
		browser.Look(1280, 800, "light"),
		browser.SignIn(server, "odile", secret("odile")),
		chromedp.Navigate(server+"/bench/"+session),
		browser.Settled(),
		says("h1", "Cold start to desktop"),
		says("#page", "Random order: round 1"),
		chromedp.Evaluate[chromedp.Void](
			`document.querySelectorAll("[data-line]")[1].querySelector("input").focus()`,
		),
		figure,
	)
	for _, run := range []string{"11,2", "11.3", "11.1", "11.2", "11.4"} {
		do(t, ctx, keys(run), keys(kb.Enter))
	}
	do(t, ctx,
		// Leaving the field records the reading in the second contender's review, and the next contender has the focus.
		browser.Until(`document.activeElement?.closest("[data-line]") === document.querySelectorAll("[data-line]")[2]`),
		line(1, "median of 5: 11.2 s"), line(1, "better"),
	)
	var out string
	var sheet struct {
		Lines []struct {
			Edition  string
			Readings []struct {
				Reviewer string
				Answer   struct{ Runs []float64 }
			}
		}
	}
	found := false
	for end := time.Now().Add(eachStep); !found && time.Now().Before(end); time.Sleep(100 * time.Millisecond) {
		out = odile.must("bench", "show", session, "--criterion", "cold-start", "--output", "json")
		decode(t, out, &sheet)
		for _, r := range sheet.Lines[1].Readings {
			found = found || (r.Reviewer == "odile" && len(r.Answer.Runs) == 5 && r.Answer.Runs[0] == 11.2)
		}
	}
	if !found {
		t.Errorf("the entry is no reading of %s: %s", sheet.Lines[1].Edition, out)
	}
	do(
		t,
		ctx,
		chromedp.Click(`//button[text()="Memory at idle"]`),
		says("h1", "Memory at idle"),
		chromedp.Click(
			`(//label[contains(., "Mossgate")]/input)[last()]`,
		),
		keys("1"),
		keys(kb.Tab),
		chromedp.Click(`(//label[contains(., "Gullhaven")]/input)[last()]`),
		keys("1"),
		chromedp.Click(`//button[text()="Record the order"]`),
		says("#page", "Memory at idle: "),
		says("#page", " = "),
	)
}

// TestDeskKeys moves with a keyboard of another script, and with a changed key.
func TestDeskKeys(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ines := newClient(t, server).login("ines")
	review := planned(t, ines, "ivybeck/5.4/hearthside")
	ctx := tab(t)
	do(t, ctx,
		browser.SignIn(server, "ines", secret("ines")),
		chromedp.Navigate(server+"/desk/"+review+"?section=usability"), browser.Settled(),
		says("#in-hand", "First-run guide"), browser.Until(inFigure),
		browser.PressAt("KeyJ", "о"), says("#in-hand", "Menu and search"),
		browser.PressAt("KeyK", "л"), says("#in-hand", "First-run guide"),
		browser.PressAt("Slash", "?"), says("[role=dialog]", "Keys of the desk"),
		chromedp.Click(`//button[@aria-label="Key for: next criterion"]`), says("[role=dialog]", "press a key"),
		browser.Press("l"), says("[role=dialog] .key", "L"),
		press("Close"), browser.Until(`!document.querySelector("[role=dialog]")`),
		browser.Press("l"), says("#in-hand", "Menu and search"),
		browser.Press("j"), chromedp.Sleep(200*time.Millisecond), says("#in-hand", "Menu and search"),
	)
}
