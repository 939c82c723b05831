// Package browser drives headless Chromium against the console.
package browser

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"time"

	"github.com/chromedp/cdproto"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
)

// Start starts a browser with an empty profile; stop ends it. ctx is for a single tab; chromedp.NewContext makes more
// from it.
func Start(ctx context.Context) (tab context.Context, stop func(), err error) {
	tab, p, err := StartIn(ctx, "")
	if err != nil {
		return nil, nil, err
	}
	return tab, p.Stop, nil
}

// Process is a browser that runs.
type Process struct {
	Stop func() // in an orderly way; may be called twice
	Kill func() // as a crash does
}

// StartIn is Start with a folder for the profile, which stays when the browser ends; empty: one that goes with it.
func StartIn(ctx context.Context, profile string) (tab context.Context, p *Process, err error) {
	for range attempts {
		if tab, p, err = start(ctx, profile); err == nil {
			return tab, p, nil
		}
	}
	return nil, nil, err
}

// attempts is how often a browser is started that crashes at once, as it now and then does on a busy machine.
const attempts = 3

func start(ctx context.Context, profile string) (tab context.Context, p *Process, err error) {
	path, err := find()
	if err != nil {
		return nil, nil, err
	}
	options := append(
		chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath(path),
		chromedp.NoSandbox,
		chromedp.DisableGPU,
		chromedp.WindowSize(1280, 800),
		chromedp.Flag("disable-background-networking", true),
		chromedp.Flag("disable-component-update", true),
		chromedp.Flag("disable-quic", true),
		chromedp.Flag("disable-sync", true),
		chromedp.Flag("disable-dev-shm-usage", true),
		chromedp.Env("TZ=UTC"),
		chromedp.WSURLReadTimeout(60*time.Second),
	)
	if profile != "" {
		options = append(options, chromedp.UserDataDir(profile))
	}
	alloc, end := chromedp.NewExecAllocator(ctx, options...)
	tab, cancel := chromedp.NewContext(alloc)
	p = &Process{Stop: func() { cancel(); end() }}
	if err := chromedp.Do(tab); err != nil {
		p.Stop()
		return nil, nil, fmt.Errorf("starting %s: %w", path, err)
	}
	if err := Prepare(tab); err != nil {
		p.Stop()
		return nil, nil, err
	}
	p.Kill = func() {
		_ = chromedp.FromContext(tab).Browser.Process().Kill() // it may have ended by itself
		p.Stop()
	}
	return tab, p, nil
}

// Prepare sets a tab's language to British English, and confirms when the browser asks whether a page with unsaved
// drafts may be left.
func Prepare(tab context.Context) error {
	if err := chromedp.Do(tab, Call(emulation.SetLocaleOverride,
		emulation.SetLocaleOverrideParams{Locale: "en-GB"})); err != nil {
		return fmt.Errorf("setting the language of a tab: %w", err)
	}
	if err := chromedp.Do(tab, Call(log.Enable, cdp.Empty{})); err != nil {
		return fmt.Errorf("listening to what a tab logs: %w", err)
	}
	return chromedp.Listen(tab, func(event any) {
		if asked, ok := event.(*page.EventJavascriptDialogOpening); ok && asked.Type == page.DialogTypeBeforeunload {
			go func() {
				_ = chromedp.Do(tab, Call(page.HandleJavaScriptDialog, page.HandleJavaScriptDialogParams{Accept: true}))
			}()
		}
	})
}

// Forbidden calls tell for each action that a page's policy forbade.
func Forbidden(tab context.Context, tell func(what string)) error {
	return chromedp.Listen(tab, func(event any) {
		if said, ok := event.(*log.EventEntryAdded); ok && strings.Contains(said.Entry.Text, "Content Security Policy") {
			tell(said.Entry.Text + " at " + said.Entry.URL)
		}
	})
}

func find() (string, error) {
	if path := os.Getenv("DTALLY_CHROMIUM"); path != "" {
		return path, nil
	}
	for _, name := range []string{"chromium-headless-shell", "chromium", "chromium-browser", "google-chrome"} {
		if path, err := exec.LookPath(name); err == nil {
			return path, nil
		}
	}
	return "", fmt.Errorf("chromium is not installed; on Debian: apt-get install chromium")
}

// Step is something done in a tab; chromedp.Do does several in turn.
type Step = chromedp.Action[chromedp.Void]

// Look sets the size of the page and its colour scheme, light or dark.
func Look(width, height int64, scheme string) Step {
	return chromedp.Steps(
		chromedp.EmulateViewport(width, height),
		Call(emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{Features: []*emulation.MediaFeature{
			{Name: "prefers-color-scheme", Value: scheme}, {Name: "prefers-reduced-motion", Value: "reduce"},
		}}),
	)
}

// Paper shows the page as printed on paper that is that many pixels wide between its margins.
func Paper(width int64) Step {
	return chromedp.Steps(
		chromedp.EmulateViewport(width, 1000),
		Call(emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{Media: "print"}),
	)
}

// Offline disconnects the page from the network, or connects it again.
func Offline(off bool) Step {
	return chromedp.Steps(
		Call(network.Enable, network.EnableParams{}),
		Call(
			emulateNetwork,
			networkRules{off, []*network.Conditions{{Offline: off, DownloadThroughput: -1, UploadThroughput: -1}}},
		),
		Call(
			network.OverrideNetworkState,
			network.OverrideNetworkStateParams{Offline: off, DownloadThroughput: -1, UploadThroughput: -1},
		),
	)
}

// Place sets the browser's language and time zone.
func Place(locale, zone string) Step {
	return chromedp.Steps(
		Call(emulation.SetLocaleOverride, emulation.SetLocaleOverrideParams{Locale: locale}),
		Call(emulation.SetTimezoneOverride, emulation.SetTimezoneOverrideParams{TimezoneID: zone}),
	)
}

// Forgetful switches the browser's cache off.
func Forgetful() Step {
	return Call(network.SetCacheDisabled, network.SetCacheDisabledParams{CacheDisabled: true})
}

// emulateNetwork is network.EmulateNetworkConditionsByRule with a field that older browsers need.
var emulateNetwork = cdp.Command[networkRules, network.EmulateNetworkConditionsByRuleResult]{
	Method: network.EmulateNetworkConditionsByRule.Method,
}

type networkRules struct {
	Offline bool                  `json:"offline"`
	Matched []*network.Conditions `json:"matchedNetworkConditions"`
}

// Call is a command of the browser's protocol.
func Call[P, R any](command cdp.Command[P, R], params P) Step {
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		_, err := cdp.Call(ctx, t, command, params)
		return chromedp.Void{}, err
	}
}

// Settled waits until the page has drawn what it fetched, and nothing on it says that it is loading.
func Settled() Step {
	return Until(
		`document.fonts.status === "loaded" && document.querySelector("#page, body > header, main") && !document.querySelector("[data-first-view]") && ![...document.querySelectorAll("[role=status]")].some(e => e.textContent.startsWith("Loading"))`,
	)
}

// Until waits until a JavaScript expression, or the promise it returns, is true, also on a page that replaces the
// present one.
func Until(expression string) Step {
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		end := time.Now().Add(2 * time.Minute)
		for {
			_, err := chromedp.Poll[any](
				"Promise.resolve("+expression+").then(Boolean)",
				chromedp.WithPollingInterval(50*time.Millisecond),
				chromedp.WithPollingTimeout(time.Until(end)),
			)(ctx, t)
			if err == nil {
				return chromedp.Void{}, nil
			}
			if !leftPage(err) || time.Now().After(end) {
				return chromedp.Void{}, fmt.Errorf("waiting for %s: %w", expression, err)
			}
			time.Sleep(20 * time.Millisecond)
		}
	}
}

// leftPage reports whether an expression could not be evaluated because its page was replaced by another.
func leftPage(err error) bool {
	var refused *cdproto.Error
	return errors.As(err, &refused) && refused.Code == -32000
}

// Choose opens a list by its button and chooses an option. On a busy machine the layout may change between finding the
// button and the click; the button is then pressed again.
func Choose(button, option string) Step {
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		wanted := `//*[@role="option"][normalize-space(.)="` + option + `"]`
		for try := 1; ; try++ {
			limited, cancel := context.WithTimeout(ctx, 10*time.Second)
			_, err := chromedp.Steps(chromedp.Click(button), chromedp.Click(wanted), chromedp.WaitNotPresent(wanted))(limited, t)
			cancel()
			if err == nil {
				return Drawn(ctx, t)
			}
			if try == 5 || ctx.Err() != nil {
				return chromedp.Void{}, err
			}
		}
	}
}

// Drawn waits until the page has had time to react.
func Drawn(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
	return Until(`new Promise((done) => setTimeout(() => setTimeout(() => done(true), 50)))`)(ctx, t)
}

// Press presses a key with a character, like a keyboard: the page decides whether it is typed.
func Press(character string) Step { return PressAt("Key"+strings.ToUpper(character), character) }

// PressAt is Press for a key at a position of the keyboard, such as KeyK, that has another character there.
func PressAt(code, character string) Step {
	return chromedp.Steps(
		Call(
			input.DispatchKeyEvent,
			input.DispatchKeyEventParams{
				Type: input.DispatchKeyEventTypeKeyDown,
				Key:  character,
				Code: code,
				Text: character,
			},
		),
		Call(
			input.DispatchKeyEvent,
			input.DispatchKeyEventParams{Type: input.DispatchKeyEventTypeKeyUp, Key: character, Code: code},
		),
	)
}

// SignIn signs in by the form.
func SignIn(server, name, password string) Step {
	return chromedp.Steps(
		chromedp.Navigate(server+"/sign-in"),
		chromedp.WaitVisible(chromedp.CSS(`input[name=name]`)),
		chromedp.SendKeys(chromedp.CSS(`input[name=name]`), name),
		chromedp.SendKeys(chromedp.CSS(`input[name=password]`), password),
		chromedp.Click(chromedp.CSS(`button[type=submit]`)),
		Until(`document.querySelector("h1")?.textContent === "My work"`),
	)
}
