package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"dappertally/e2e/browser"
)

// labelled returns a selector of the field with that label.
func labelled(label string) string {
	return `(//label[starts-with(normalize-space(.), "` + label + `")]/following-sibling::*[1] | //label[starts-with(normalize-space(.), "` + label + `")]//input | //label[starts-with(normalize-space(.), "` + label + `")]//textarea)[1]`
}

// typeIn types into the field with that label.
func typeIn(label, text string) browser.Step {
	return chromedp.Steps(chromedp.Click(labelled(label)), keys(text))
}

// holds waits until the combobox with that label holds a text.
func holds(label, text string) browser.Step {
	return browser.Until(fmt.Sprintf(
		`[...document.querySelectorAll("input[role=combobox]")].some(e => e.labels[0]?.textContent === %q && e.value === %q)`,
		label, text,
	))
}

// date sets the day of a date field, in which typed digits depend on the browser's language.
func date(label, day string) browser.Step {
	return chromedp.Evaluate[chromedp.Void](`(() => {
		const field = [...document.querySelectorAll("label")].find(l => l.textContent.trim().startsWith(` + "`" + label + "`" + `)).querySelector("input");
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(field, "` + day + `");
		field.dispatchEvent(new Event("input", {bubbles: true}));
	})()`)
}

func press(button string) browser.Step {
	return chromedp.Click(`//button[normalize-space(.)="` + button + `"]`)
}

// TestForms adds to the catalogue, renames, plans a comparison and writes a record with the forms of the console.
func TestForms(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ctx := tab(t)
	do(t, ctx, browser.Look(1280, 800, "light"), browser.SignIn(server, "marit", secret("marit")))
	do(
		t,
		ctx,
		chromedp.Navigate(server+"/catalogue"),
		browser.Settled(),
		press("Add a distribution"),
		typeIn("Key", "Harrow Gate"),
		typeIn("Name", "Harrowgate"),
		press("Add the distribution"),
		says("[role=alert]", "key"),
		chromedp.Evaluate[chromedp.Void](
			`[...document.querySelectorAll("label")].find(l => l.textContent.trim().startsWith("Key")).nextElementSibling.select()`,
		),
		chromedp.Click(labelled("Key")),
		keys("a", chromedp.KeyModifiers(kb.ModifierCtrl)),
		keys("harrowgate"),
		typeIn("Based on", "heathbase, fenbase"),
		press("Add the distribution"),
		says("h2", "Harrowgate"),
		says("p", "based on heathbase, which is based on fenbase"),
	)
	do(
		t,
		ctx,
		chromedp.Navigate(server+"/catalogue/harrowgate"),
		browser.Settled(),
		press("Add a release"),
		typeIn("Version", "1.0"),
		date("Date", "2026-10-01"),
		press("Add the release"),
		says("td", "1 Oct 2026"),
		chromedp.Navigate(server+"/catalogue/harrowgate/1.0"),
		browser.Settled(),
		press("Add an edition"),
		typeIn("Key", "awning"),
		typeIn("Desktop", "Awning"),
		typeIn("Memory required", "512"),
		press("Add the edition"),
		says("li", "requires 512 MiB"),
		chromedp.Navigate(server+"/catalogue/harrowgate/1.0/awning"),
		browser.Settled(),
		press("Edit"),
		typeIn("Purpose", "kiosk"),
		press("Save the changes"),
		says("h1", "Awning kiosk"),
		chromedp.Click(
			`//summary[contains(., "Rename")]`,
		),
		typeIn("New key", "small"),
		press("Rename"),
		browser.Until(`location.pathname.endsWith("/1.0/small")`),
		chromedp.Navigate(server+"/catalogue/harrowgate/1.0/awning"),
		browser.Settled(),
		browser.Until(`location.pathname.endsWith("/1.0/small")`),
		browser.Settled(),
		chromedp.Click(
			`//summary[contains(., "Rename")]`,
		),
		typeIn("This is a duplicate of", "mossgate/12/hearthside"),
		press("Show what would be moved"),
		says("li", "harrowgate/1.0/small: 0 reviews to move to mossgate/12/hearthside"),
	)
	do(
		t,
		ctx,
		chromedp.Navigate(server+"/rigs"),
		browser.Settled(),
		press("Add a rig"),
		typeIn("Key", "bench-tiny"),
		typeIn("Name", "Tiny board"),
		typeIn("Cores", "4"),
		press("Add the rig"),
		says("th", "Tiny board"),
		chromedp.Navigate(server+"/rigs/bench-old"),
		browser.Settled(),
		press("Edit"),
		chromedp.Click(labelled("Memory, MiB")),
		keys("9"),
		press("Save the changes"),
		says("[role=alert]", "specification is fixed"),
	)
	// A comparison: warnings about wasted work are shown before the plan is saved.
	do(
		t,
		ctx,
		chromedp.Navigate(server+"/team/plans/new"),
		browser.Settled(),
		says("legend", "Performance"),
		typeIn("Title", "Two desktops"),
		typeIn("The question", "Which is quicker?"),
		typeIn("Another contender", "mossgate/12/hearthside"),
		keys(kb.Enter),
		says("li", "mossgate/12/hearthside"),
		typeIn("Another contender", "oakshott/1.8/awning"),
		keys(kb.Enter),
		says("li", "oakshott/1.8/awning"),
		chromedp.Click(
			`//label[normalize-space(.)="desktop"]/input`,
		),
		chromedp.Click(`//label[contains(., "Old dual-core")]/input`),
		chromedp.Click(`//label[contains(., "Cold start")]/input`),
		press("Check the plan"),
		says("li", "the desktop should be equal"),
		press("Save the plan"),
		says("h1", "Two desktops"),
		says("td", "✓ done"),
	)
	// The rules, a reader's suggestion, and a lead's answer.
	do(
		t,
		ctx,
		chromedp.Navigate(server+"/team/settings"),
		browser.Settled(),
		chromedp.Click(`//label[contains(., "is required")]/input`),
		press("Save the settings"),
		says("[role=status]", "Saved"),
		// The correction of the rig that was refused is kept as a draft: signing out asks.
		press("Sign out"), says("[role=alertdialog]", "delete one draft"), press("Delete and sign out"),
		says("header", "Sign in"),
		chromedp.Navigate(server+"/suggest?about=ivybeck/5.4/hearthside"),
		browser.Settled(),
		typeIn("Your suggestion", "It starts faster without the splash."),
		press("Send"),
		says("[role=status]", "will read your suggestion"),
		browser.SignIn(server, "marit", secret("marit")),
		chromedp.Navigate(server+"/team/suggestions"),
		browser.Settled(),
		says("li", "without the splash"),
		chromedp.Click(
			`//li[contains(., "without the splash")]//button[text()="Accept"]`,
		),
		// The demo has another one that marit accepted: leaving before this one is written would abort it.
		browser.Until(`[...document.querySelectorAll("li")].some(e =>
			["without the splash", "accepted by marit"].every(text => e.textContent.includes(text)))`),
		chromedp.Navigate(server+"/team"),
		browser.Settled(),
		says("th", "Ivybeck 5.4"),
		chromedp.Click(
			`//tr[contains(., "low-power boards")]//button[text()="Decline"]`,
		),
		typeIn("Reason, shown", "we have no such board"),
		keys(kb.Enter),
		browser.Until(`!document.querySelector("tbody").textContent.includes("low-power boards")`),
		chromedp.Click(
			`//button[@aria-label="Earlier: ivybeck/5.4/hearthside"]`,
		),
		browser.Until(
			`document.querySelectorAll("tbody tr")[2]?.textContent.includes("Ivybeck") || document.querySelectorAll("tbody tr")[1]?.textContent.includes("Ivybeck")`,
		),
	)
	// A record, by the forms of the desk: written, corrected, taken out.
	ines := newClient(t, server).login("ines")
	var planned struct{ ID string }
	decode(t, ines.must("review", "add", "ivybeck/5.4/hearthside", "--output", "json"), &planned)
	do(
		t,
		ctx,
		press("Sign out"),
		says("header", "Sign in"),
		browser.SignIn(server, "ines", secret("ines")),
		chromedp.Navigate(server+"/desk/"+planned.ID+"?part=finding"),
		browser.Settled(),
		typeIn("What was found", "The fan never rests"),
		pick("Kind", "weakness"),
		pick("Severity", "major"),
		press("Add a finding"),
		says("li", "weakness · major"),
		press("Edit"),
		browser.Choose(`//li//button[@aria-label="Severity"]`, "minor"),
		press("Save the changes"),
		says("li", "weakness · minor"),
		press("Remove"), says("section", "None yet."), says("[role=status]", "Removed: The fan never rests"),
		press("Undo"), says("li", "The fan never rests"),
		press("Remove"), says("section", "None yet."),
		chromedp.Navigate(server+"/desk/"+planned.ID+"?part=verdict"),
		browser.Settled(),
		pick("For", "pensioners"),
		pick("Verdict", "recommended"),
		typeIn("Why", "Calm."),
		press("Add a verdict"),
		says("li", "Calm."),
		chromedp.Navigate(server+"/desk/"+planned.ID+"?part=use"),
		browser.Settled(),
		typeIn("Days", "9"),
		press("Add a period of use"),
		says("li", "9 days"),
	)
}
