package e2e

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
)

// TestPeople adds a person in the console, who uses the link, chooses a password, works, and is disabled while typing
// at the desk.
func TestPeople(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ines := newClient(t, server).login("ines")
	var planned struct{ ID string }
	decode(t, ines.must("review", "add", "ivybeck/5.4/hearthside", "--output", "json"), &planned)
	boss := tab(t)
	do(t, boss, browser.Look(1280, 800, "light"), browser.SignIn(server, "perrin", secret("perrin")),
		chromedp.Navigate(server+"/team/people"), browser.Settled(), says("tbody", "Tomas Wrenfield"),
		typeIn("Display name", "Sunniva Ålund"), press("Add"),
		says("h1", "Sunniva Ålund"), says("main", "cannot sign in: no password"),
		browser.Settled(), says("main", "Tokens"), says("main", "Passkeys"), // what comes late moves the button
		press("Make a link"), says("[role=status]", "shown only once"), says("main", "A link is valid until"))
	link, err := chromedp.Run(boss, chromedp.Evaluate[string](`document.querySelector("[role=status] code").textContent`))
	if err != nil || !strings.HasPrefix(link, server+"/welcome#") {
		t.Fatalf("the link is %q, %v", link, err)
	}

	theirs := tab(t)
	do(t, theirs, browser.Look(1280, 800, "light"), chromedp.Navigate(link), browser.Settled(),
		says("h1", "Welcome, Sunniva Ålund"),
		enter("input[name=new-password]", "sunniva-alund"), says("main p", "easy to guess"),
		browser.Until(`document.querySelector("button[type=submit]").disabled`),
		chromedp.Clear(chromedp.CSS("input[name=new-password]")),
		enter("input[name=new-password]", "nine grey otters hum"), says("main p", "hard to guess"),
		press("Save and sign in"), says("h1", "My work"))
	do(t, theirs, chromedp.Navigate(server+"/account"), browser.Settled(), says("h1", "My account"),
		says("li", "this one"),
		typeIn("Purpose of the new token", "bench"), press("Create a token"), says("[role=status]", "dt_"),
		says("li", "never used"),
		chromedp.Click(`//button[@aria-label="Revoke the token bench"]`), says("section", "None."))
	do(t, theirs, chromedp.Navigate(server+"/desk/"+planned.ID+"?part=finding"), browser.Settled(),
		typeIn("What was found", "The fan never rests"))

	do(t, boss, press("Disable the account"), says("[role=dialog]", "signed out everywhere"), press("Disable"),
		says("main", "disabled since"), says("section", "Nowhere."))
	do(t, theirs, browser.Until(`document.body.innerText.includes("Sign in again")`),
		browser.Until(`[...document.querySelectorAll("textarea, input")].some(x => x.value === "The fan never rests")`))
	newClient(t, server).fails(2, "login", "sunniva-alund")
	do(t, boss, press("Enable the account"), says("main", "active"),
		chromedp.Navigate(server+"/team/audit?sort=person"), browser.Settled(),
		says("tbody tr", "enabled: person sunniva-alund"), says("tbody", "disabled: person sunniva-alund"),
		says("tbody", "password set by link"), says("tbody", "token made"))
}
