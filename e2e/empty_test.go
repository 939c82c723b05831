package e2e

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"os"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"dappertally/e2e/browser"
	"dappertally/internal/dbtest"
	"dappertally/internal/demo"
	"dappertally/internal/service"
	"dappertally/internal/store"
)

// peopled is a service that only has its team.
var peopled = dbtest.Filled{Name: "team_only", Fill: func(ctx context.Context, s *store.Store) error {
	svc := service.New(s, slog.New(slog.NewTextHandler(io.Discard, nil)), demo.Clock)
	for _, a := range demo.Accounts {
		if err := svc.People.FirstPerson(ctx, a.Account, a.Secret); err != nil {
			return err
		}
	}
	return nil
}}

// routesOf returns the console's routes.
func routesOf(t *testing.T) []string {
	t.Helper()
	text, err := os.ReadFile("../web/src/routes.tsx")
	if err != nil {
		t.Fatal(err)
	}
	routes := []string{"/"}
	for _, m := range regexp.MustCompile(`(?m)^  page\("([^"]+)"`).FindAllSubmatch(text, -1) {
		routes = append(routes, "/"+string(m[1]))
	}
	if len(routes) < 40 {
		t.Fatalf("%d routes found in the console's table, which is too few to be all", len(routes))
	}
	return routes
}

// filledIn returns a route with keys that do not exist as its parameters.
func filledIn(route string) string {
	return regexp.MustCompile(`:\w+`).ReplaceAllStringFunc(route, func(name string) string {
		if name == ":id" {
			return "01a22639-d721-71ab-bb33-143989c477b3"
		}
		return "nowhere"
	})
}

// signedOut ends the session without the page noticing.
var signedOut = chromedp.Evaluate[chromedp.Void](
	`fetch("/api/v1/session", {method: "DELETE"})`, chromedp.EvalAwaitPromise,
)

// state returns the state of a page, once it has settled: its heading, what failed, and what is missing.
func state(t *testing.T, ctx context.Context, address string) (heading, alerts string) {
	t.Helper()
	limited, cancel := context.WithTimeout(ctx, eachStep)
	defer cancel()
	if err := chromedp.Do(limited, chromedp.Navigate(address), browser.Settled(), browser.Until(
		`document.querySelector("#page h1, #page h2, #page [role=alert]")`)); err != nil {
		t.Errorf("%s does not settle: %v", address, err)
		return "", ""
	}
	// A part that failed may load again in between.
	for end := time.Now().Add(eachStep); heading == "" && time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
		text, err := chromedp.Run(ctx, chromedp.Evaluate[[]string](`[
			[...document.querySelectorAll("#page h1, #page h2")].map(h => h.textContent).join(" / "),
			[...document.querySelectorAll("#page [role=alert]")].map(e => e.textContent).join(" / "),
		]`))
		if err != nil {
			t.Fatal(err)
		}
		heading, alerts = text[0], text[1]
	}
	return heading, alerts
}

// TestEveryPageOfNothing opens every page of a service without records, in every role: each says what is missing, and
// none fails or loads forever.
func TestEveryPageOfNothing(t *testing.T) {
	t.Parallel()
	server := serveFrom(t, &peopled)
	ctx := tab(t)
	for _, who := range []string{"", "ines", "marit"} {
		if who != "" {
			do(t, ctx, browser.SignIn(server, who, secret(who)))
		}
		for _, route := range routesOf(t) {
			heading, alerts := state(t, ctx, server+filledIn(route))
			named := strings.Contains(route, ":")
			if heading == "" {
				t.Errorf("%s as %q has no heading", route, who)
			}
			none := strings.Contains(heading, "Not found") || who == "" && strings.Contains(heading, "You do not have access")
			if alerts != "" && !(named && none) {
				t.Errorf("%s as %q fails: %s: %s", route, who, heading, alerts)
			}
		}
		if who != "" {
			do(t, ctx, signedOut)
		}
	}
}

// TestEveryPageFails opens every page of a service whose requests fail: each says so and offers a retry.
func TestEveryPageFails(t *testing.T) {
	t.Parallel()
	b := stand(t, serve(t))
	ctx := tab(t)
	do(t, ctx, browser.SignIn(b.address, "marit", secret("marit")))
	b.answers(func(w http.ResponseWriter, r *http.Request) bool {
		path := r.URL.Path
		if !strings.HasPrefix(path, "/api/") || path == "/api/v1/session" || path == "/api/v1/about" {
			return false
		}
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusInternalServerError)
		fmt.Fprint(w, `{"type":"about:blank","title":"Failed","status":500,"detail":"The disk is on fire."}`)
		return true
	})
	still := map[string]bool{
		"/sign-in": true, "/suggest": true, "/unsent": true, "/team/import": true, "/reports/new": true, "/compare": true,
		"/fits": true, "/team/plans/new": true, "/checklist/edit/:name": true, "/checklist/propose/:name": true,
		"/welcome":    true,                           // it has no link to ask about
		"/set-up":     true,                           // it shows what it asks about
		"/machine":    true,                           // it has no code to ask about
		"/recording":  true,                           // it has nothing to ask about
		"/client":     true,                           // it shows what it asks about
		"/team/audit": true, "/team/operations": true, // a lead may not see them
	}
	for _, route := range routesOf(t) {
		if route == "/" {
			route = "/?newest=true" // the page itself contains the whole ranking
		}
		if _, alerts := state(t, ctx, b.address+filledIn(route)); !still[route] &&
			!strings.Contains(alerts, "on fire") {
			t.Errorf("%s does not say that it failed: %q", route, alerts)
		}
	}
}

// nothing is a service that was never set up.
var nothing = dbtest.Filled{Name: "nothing", Fill: func(context.Context, *store.Store) error { return nil }}

// setUpCode matches the log line about the set-up of the service.
var setUpCode = regexp.MustCompile(`address="?(\S+?/set-up#(\S+?))"? code=`)

// TestFromNothing: a lead creates everything in the console, from an empty database to the first ranking, and a
// reviewer answers the starter checklist there by keys.
func TestFromNothing(t *testing.T) {
	t.Parallel()
	p := serves(t, &nothing)
	server := p.address(t, listening)
	ctx := tab(t)
	setUp(t, ctx, server, setUpCode.FindStringSubmatch(p.said.String()))
	step := func(title string) browser.Step {
		return browser.Until(`document.querySelector("[aria-current=step]")?.textContent.includes("` + title + `")`)
	}
	start := func(title string) []browser.Step {
		return []browser.Step{chromedp.Navigate(server + "/start"), browser.Settled(), step(title)}
	}
	do(t, ctx, append(start("A checklist in force"),
		chromedp.Click(`//a[text()="Add a checklist"]`), says("h1", "Add a checklist"),
		says("dl", "Cold start to desktop"),
		typeIn("Title", "House rules"), says("label", "key: house-rules"), press("Add and put in force"),
		step("A test machine"),
		chromedp.Navigate(server+"/"), says("#page", "No edition is ranked"), says("#page a", "First steps"),
		chromedp.Click(`//main//a[text()="First steps to a ranking"]`), step("A test machine"),
		chromedp.Click(`//a[text()="Add a rig"]`), says("h1", "Rigs"),
		says("#page", "There are no rigs yet"), says(`nav[aria-label="Team"]`, "Known issues"),
		press("Add a rig"), typeIn("Key", "laptop"), typeIn("Name", "Our laptop"), press("Add the rig"),
		says("th", "Our laptop"), browser.Settled(),
	)...)
	do(t, ctx, append(
		start("An edition to review"),
		chromedp.Click(`//a[text()="Add a distribution"]`),
		says("h1", "Catalogue"),
		press(
			"Add a distribution",
		),
		typeIn("Key", "harrowgate"),
		typeIn("Name", "Harrowgate"),
		press("Add the distribution"),
		says("h2", "Harrowgate"),
		browser.Settled(),
		chromedp.Navigate(server+"/catalogue/harrowgate"),
		browser.Settled(),
		press("Add a release"),
		typeIn("Version", "1.0"),
		date("Date", "2026-10-01"),
		press("Add the release"),
		says("td", "1 Oct 2026"),
		browser.Settled(),
		chromedp.Navigate(server+"/catalogue/harrowgate/1.0"),
		browser.Settled(),
		press("Add an edition"),
		typeIn("Key", "awning"),
		typeIn("Desktop", "Awning"),
		press("Add the edition"),
		says("#page", "Awning"),
		browser.Settled(),
	)...)
	do(t, ctx, append(start("A review"), chromedp.Click(`//a[text()="Plan a review"]`), says("h1", "Queue"))...)
	do(t, ctx,
		chromedp.Click(labelled("Edition")), keys("harrow"), says("[role=option]", "Harrowgate"),
		keys(kb.ArrowDown), keys(kb.Enter), chromedp.Click(`//form//button[text()="Plan"]`),
		holds("Edition", ""), browser.Settled(),
	)
	do(t, ctx, append(start("An accepted review"),
		press("Sign out"), says("header", "Sign in"),
		browser.SignIn(server, "ines", secret("ines")),
		browser.Settled(), chromedp.Click(`//main//a[text()="Open"]`),
		browser.Until(`location.pathname.startsWith("/desk/")`),
	)...)
	desk := answered(t, ctx)
	do(
		t,
		ctx,
		press("Sign out"),
		says("header", "Sign in"),
		browser.SignIn(server, "marit", secret("marit")),
		chromedp.Navigate(desk),
		browser.Settled(),
		press(
			"Accept…",
		),
		says("[role=dialog]", "become public"),
		chromedp.Click(`//div[@role="dialog"]//button[text()="Accept"]`),
		says("p", "Review, accepted"),
		chromedp.Navigate(server+"/start"),
		says("#page", "All steps are done"),
		chromedp.Click(`//a[text()="See the ranking"]`),
		says("tbody", "Harrowgate"),
	)
}

// setUp: the first person sets up an empty service in the console, with one more person, who chooses a password
// through the link shown.
func setUp(t *testing.T, ctx context.Context, server string, code []string) {
	t.Helper()
	if len(code) == 0 || !strings.HasPrefix(code[1], server) {
		t.Fatalf("the log tells how to set the service up as %q", code)
	}
	do(
		t,
		ctx,
		chromedp.Navigate(server+"/"),
		says("h1", "No figures yet"),
		chromedp.Navigate(server+"/sign-in"),
		says("h1", "Set up the service"),
		typeIn("Code", "ABCD-EFGH-IJKL-MNOP"),
		typeIn("Name of the team", "House team"),
		typeIn("Display name", "Marit Oyelaw"),
		chromedp.Click(labelled("Signs in as")),
		keys("a", chromedp.KeyModifiers(kb.ModifierCtrl)),
		keys("marit"),
		typeIn("Password", secret("marit")),
		press("Add a person"),
		chromedp.Click(`(//label[contains(., "Display name")])[2]`),
		keys("Ines Callowmere"),
		chromedp.Click(`(//label[contains(., "Signs in as")])[2]`),
		keys("a", chromedp.KeyModifiers(kb.ModifierCtrl)),
		keys("ines"),
		browser.Until(
			`![...document.querySelectorAll("button")].find(b => b.textContent === "Set up and sign in").disabled`,
		),
		press("Set up and sign in"),
		says("[role=alert]", "This code is wrong"),
		chromedp.Click(labelled("Code")),
		keys("a", chromedp.KeyModifiers(kb.ModifierCtrl)),
		keys(code[2]),
		press("Set up and sign in"),
		says("h1", "The service is set up"),
		says("#page", "ines"),
		says("header", "Sign out"),
	)
	link, err := chromedp.Run(ctx, chromedp.Evaluate[string](`document.querySelector("#page code").textContent`))
	if err != nil {
		t.Fatal(err)
	}
	_, invited, _ := strings.Cut(link, "/welcome#")
	body := fmt.Sprintf(`{"secret": %q, "password": %q}`, invited, secret("ines"))
	reply, err := http.Post(server+"/api/v1/links/use", "application/json", strings.NewReader(body))
	if err != nil || reply.StatusCode != http.StatusOK {
		t.Fatalf("the link %s: %v, %v", link, reply, err)
	}
	reply.Body.Close()
	do(
		t,
		ctx,
		chromedp.Click(`//a[text()="First steps to a ranking"]`),
		says("h1", "The first ranking"),
		chromedp.Navigate(
			server+"/team/settings",
		),
		browser.Until(`document.querySelector("main input")?.value === "House team"`),
		chromedp.Navigate(server+"/set-up"),
		says("#page", "This service is already set up"),
	)
}

// answered answers the starter checklist by keys at the open desk, one criterion after the other, and submits the
// review. It returns the desk's address.
func answered(t *testing.T, ctx context.Context) string {
	t.Helper()
	held := func(criterion string) browser.Step {
		return browser.Until(`document.querySelector("#in-hand")?.textContent === "` + criterion + `" &&
			document.activeElement?.matches("input[data-figure], [data-item], [data-words], [role=radiogroup]")`)
	}
	for _, x := range []struct{ criterion, keys string }{
		{"Installer is clear", "7\r"}, {"Time to install", "12\r"}, {"Wireless network at once", "1\r"},
		{"Disk encryption", "1\r"}, {"Installs beside another system", "3\r"},
		{"Cold start to desktop", "21\r22\r21.4\r"}, {"Memory at idle", "700\r"},
		{"Time until the browser is open", "3\r3.1\r2.9\r"}, {"Disk space after the installation", "9\r"},
		{"Feels quick under load", "6\r"}, {"Suspend and resume", "1\r"},
		{"Everyday applications included", "1113123\r"}, {"Media files open", "1111\r"},
		{"Finding and installing software", "8\r"}, {"Updating", "8\r"}, {"Printing", "1\r"},
		{"Packages installed", "1840\r"}, {"Kernel", "7.1\r"},
		{"First run", "6\r"}, {"Finding programs", "7\r"}, {"Settings in one place", "1131\r"},
		{"Large text and contrast", "2\r"}, {"Firewall", "3\r"}, {"Help", "5\r"}, {"A week of daily use", "8\r"},
	} {
		do(t, ctx, held(x.criterion))
		for _, k := range x.keys {
			do(t, ctx, keys(string(k)))
		}
	}
	do(t, ctx,
		browser.Until(`!document.querySelector("header").textContent.includes("not sent")`), browser.Settled(),
		keys(kb.Enter, chromedp.KeyModifiers(kb.ModifierCtrl)),
		says("[role=dialog]", "Coverage 100 %"), says("[role=dialog]", "There are no open items"),
		chromedp.Click(`//div[@role="dialog"]//button[text()="Submit"]`),
		says("p", "waiting for a lead"), browser.Settled(),
	)
	desk, err := chromedp.Run(ctx, chromedp.Evaluate[string]("location.href"))
	if err != nil {
		t.Fatal(err)
	}
	return desk
}
