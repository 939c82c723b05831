package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
	"dappertally/internal/signon/signontest"
)

// TestSingleSignOn: people sign in by a provider, and link their existing account; if passwords are switched off, the
// page asks for none.
func TestSingleSignOn(t *testing.T) {
	t.Parallel()
	p := signontest.New(t)
	p.People["newcomer"] = map[string]any{
		"preferred_username": "wren",
		"name":               "Wren Ashby",
		"groups":             []string{"testers"},
	}
	p.People["of-ines"] = map[string]any{"preferred_username": "ines.c", "name": "Ines"}
	file := filepath.Join(t.TempDir(), "sso.yaml")
	more := "    accounts: make\n    roles-claim: groups\n    roles: {testers: [reviewer]}\n"
	if err := os.WriteFile(file, []byte(p.File(more)), 0o600); err != nil {
		t.Fatal(err)
	}
	server := serves(t, &peopled, "--single-sign-on", file).address(t, listening)
	ctx := tab(t)
	as := func(who string) []browser.Step {
		return []browser.Step{says("h1", "Who are you?"), chromedp.Click(`//a[text()="` + who + `"]`)}
	}
	do(
		t,
		ctx,
		chromedp.Navigate(server+"/sign-in?to=/catalogue"),
		chromedp.Click(`//a[normalize-space(.)="Sign in with House accounts"]`),
	)
	do(t, ctx, as("newcomer")...)
	do(
		t,
		ctx,
		says("h1", "Catalogue"),
		chromedp.Navigate(
			server+"/account",
		),
		browser.Settled(),
		says("#page", "You sign in as wren"),
		says("#page", "linked, used"),
		press("Unlink"),
		says("[role=alert]", "add a passkey first"),
		browser.SignIn(server, "ines", secret("ines")),
		chromedp.Navigate(
			server+"/account",
		),
		browser.Settled(),
		says("#page", "not linked"),
		chromedp.Click(`//a[text()="Link"]`),
	)
	do(t, ctx, as("newcomer")...)
	do(t, ctx, says("[role=alert]", "linked to another account"),
		browser.SignIn(server, "ines", secret("ines")),
		chromedp.Navigate(server+"/account"), browser.Settled(), chromedp.Click(`//a[text()="Link"]`))
	do(t, ctx, as("of-ines")...)
	do(t, ctx, says("h1", "My account"), says("#page", "linked, used"), says("#page", "You sign in as ines"))

	only := serves(t, &peopled, "--single-sign-on", file, "--password-sign-in", "false").address(t, listening)
	do(t, ctx, chromedp.Navigate(only+"/sign-in"), says("#page", "Sign in with House accounts"),
		browser.Until(`!document.querySelector("#page input")`))
	if _, errs, code := newClient(t, only).run(secret("ines")+"\n", "login", "ines"); code == 0 ||
		!strings.Contains(errs, "single sign-on") {
		t.Errorf("the client signs in by password: %d, %s", code, errs)
	}
}
