package e2e

import (
	"context"
	"regexp"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/webauthn"
	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
)

// authenticator gives the tab's browser a device with passkeys that its owner has unlocked.
func authenticator(t *testing.T, ctx context.Context) {
	t.Helper()
	if err := chromedp.Do(ctx, browser.Call(webauthn.Enable, webauthn.EnableParams{}),
		browser.Call(webauthn.AddVirtualAuthenticator, webauthn.AddVirtualAuthenticatorParams{
			Options: &webauthn.VirtualAuthenticatorOptions{
				Protocol: webauthn.AuthenticatorProtocolCtap2, Transport: webauthn.AuthenticatorTransportInternal,
				HasResidentKey: true, HasUserVerification: true, IsUserVerified: true, AutomaticPresenceSimulation: true,
			},
		})); err != nil {
		t.Fatal(err)
	}
}

// TestPasskeys: a passkey signs in alone, or as the second step after the password, as does a recovery code, once;
// where the rules need it, leads can do nothing before they have one.
func TestPasskeys(t *testing.T) {
	t.Parallel()
	server := strings.Replace(serve(t), "127.0.0.1", "localhost", 1) // passkeys belong to a name
	ctx := tab(t)
	authenticator(t, ctx)
	out := func(name string) {
		t.Helper()
		do(t, ctx, signedOut, chromedp.Navigate(server+"/sign-in"), browser.Settled(), says("h1", "Sign in"))
		if name != "" {
			do(t, ctx, typeIn("Name", name), typeIn("Password", secret(name)),
				chromedp.Click(`//button[@type="submit" and text()="Sign in"]`))
		}
	}
	as := func(name string) browser.Step {
		return browser.Until(`fetch("/api/v1/session").then(r => r.json()).then(s => s.person?.name === "` + name + `")`)
	}
	do(t, ctx,
		browser.SignIn(server, "ines", secret("ines")),
		chromedp.Navigate(server+"/account"), browser.Settled(),
		typeIn("Name of the passkey", "a phone"), press("Add a passkey"), says("#page", "never used"),
		says("[role=status]", "Save these recovery codes"),
	)
	text, err := chromedp.Run(ctx, chromedp.Evaluate[string](`document.querySelector("[role=status]").textContent`))
	if err != nil {
		t.Fatal(err)
	}
	codes := regexp.MustCompile(`[A-Z2-7]{5}-[A-Z2-7]{5}`).FindAllString(text, -1)
	if len(codes) != 10 {
		t.Fatalf("the recovery codes are told as %q", text)
	}
	// Alone.
	out("")
	do(
		t,
		ctx,
		press("Sign in with a passkey"),
		says("h1", "My work"),
		as("ines"),
		chromedp.Navigate(server+"/account"),
		browser.Settled(),
		says("#page", "used"),
		chromedp.Click(`//label[contains(., "Ask for a passkey after the password")]//input`),
		browser.Until(
			`[...document.querySelectorAll("input[type=checkbox]")].some(b => b.closest("label").textContent.includes("Ask for a passkey after the password") && b.checked && !b.disabled)`,
		),
	)
	// After the password.
	out("ines")
	do(t, ctx, says("#page", "One more step"), press("Use a passkey"), says("h1", "My work"), as("ines"))
	// By a code, once.
	for _, c := range []struct{ code, says string }{{codes[0], "My work"}, {codes[0], ""}} {
		out("ines")
		do(t, ctx, typeIn("Recovery code", strings.ToLower(c.code)), press("Use the code"))
		if c.says != "" {
			do(t, ctx, says("h1", c.says))
		} else {
			do(t, ctx, says("[role=alert]", "did not succeed"))
		}
	}
	if errs := ofLogin(t, server, "ines"); !strings.Contains(errs, "second step") {
		t.Errorf("the client says: %s", errs)
	}
	// An administrator requires it of leads and administrators, once they have one themselves.
	do(t, ctx,
		browser.SignIn(server, "perrin", secret("perrin")),
		chromedp.Navigate(server+"/team/people"), browser.Settled(),
		chromedp.Click(`//label[contains(., "need a second step")]//input`), says("[role=alert]", "your own account first"),
		chromedp.Navigate(server+"/account"), browser.Settled(),
		typeIn("Name of the passkey", "a laptop"), press("Add a passkey"), says("#page", "never used"),
		chromedp.Navigate(server+"/team/people"), browser.Settled(),
		chromedp.Click(`//label[contains(., "need a second step")]//input`),
		browser.Until(`fetch("/api/v1/sign-in-rules").then(r => r.json()).then(s => s.secondStep === "required")`),
	)
	out("marit")
	do(t, ctx,
		says("h1", "My account"), says("[role=status]", "Your roles require a second step"),
		browser.Until(`fetch("/api/v1/queue").then(r => r.status === 403)`),
		typeIn("Name of the passkey", "a key ring"), press("Add a passkey"), says("#page", "never used"),
		browser.Until(`fetch("/api/v1/queue").then(r => r.status === 200)`),
	)
	out("marit")
	do(t, ctx, press("Use a passkey"), says("h1", "My work"), as("marit"))
	// An administrator helps people who lost theirs.
	out("perrin")
	do(
		t,
		ctx,
		press("Use a passkey"),
		says("h1", "My work"),
		as("perrin"),
		chromedp.Navigate(server+"/team/people/ines"),
		browser.Settled(),
		says("#page", "a phone"),
		chromedp.Click(
			`//button[contains(@aria-label, "a phone")]`,
		),
		browser.Until(`!document.querySelector("#page").textContent.includes("a phone")`),
	)
	out("ines")
	do(t, ctx, says("h1", "My work"), as("ines"))
}

// ofLogin is the client's message to people who need a second step.
func ofLogin(t *testing.T, server, name string) string {
	t.Helper()
	_, errs, code := newClient(t, server).run(secret(name)+"\n", "login", name)
	if code == 0 {
		t.Errorf("%s signed in without the second step", name)
	}
	return errs
}
