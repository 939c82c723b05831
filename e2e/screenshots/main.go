// Command screenshots takes the pictures of docs/screenshots from a running demo.
//
//	go run ./e2e/screenshots [-server http://127.0.0.1:8310] [-out docs/screenshots] [-only NAME] [-width N] [-height N] [-scheme light|dark] [-page PATH -as NAME]
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"

	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
	"dappertally/internal/demo"
)

type shot struct {
	name, path, scheme, as string
	width, height          int64
	click                  []click
	top                    string // the heading that the picture begins at, as XPath
	file                   string // selected on the page of imports, which then shows it with a saved mapping
}

const pair = "edition=gullhaven/5.2/hearthside&edition=bramblewick/7.0/hearthside&edition=eiderloft/2026-04/latchwork"

// click is a link to follow, as XPath, and a text of the page that it leads to.
type click struct{ link, then string }

// deskOfMine stands for the first review of the person who is signed in, at its second section, since its address is
// not known beforehand.
const deskOfMine = "desk"

// firstProposal stands for the proposal that is open.
const firstProposal = "proposal"

func openProposal(server string) []browser.Step {
	return []browser.Step{
		chromedp.Navigate(server + "/checklist/proposals"), browser.Settled(),
		chromedp.Click(
			`//h2[text()="Open"]/following-sibling::ul//a`,
		), browser.Until(`document.body.textContent.includes("Kendall")`), browser.Settled(),
	}
}

func openDesk() []browser.Step {
	return []browser.Step{
		chromedp.Click(chromedp.CSS(`a[href^="/desk/"]`)), chromedp.WaitVisible(chromedp.ID("in-hand")),
		chromedp.Click(chromedp.CSS(`nav[aria-label=Sections] button:nth-child(2)`)),
		browser.Until(`document.querySelector("#in-hand")?.textContent === "Cold start to desktop"`),
		browser.Until(`document.querySelector("aside")?.textContent.includes("Current top three")`), browser.Settled(),
	}
}

// lookAt selects a file on the page of imports and previews every row.
func lookAt(file string) []browser.Step {
	whole, err := filepath.Abs(file)
	if err != nil {
		whole = file
	}
	return []browser.Step{
		chromedp.SetUploadFiles(chromedp.CSS("input[type=file]"), []string{whole}),
		chromedp.Click(
			`//button[@aria-label="Columns"]`,
		), chromedp.Click(`//*[@role="option"][normalize-space(.)="old-sheet"]`),
		chromedp.Click(
			`//button[normalize-space(.)="Preview"]`,
		), browser.Until(`document.querySelector("p[role=status]")?.textContent.includes("Nothing is imported yet")`), browser.Settled(),
	}
}

var shots = []shot{
	{
		name:   "ranking",
		path:   "/?audience=pensioner&edition=bramblewick/7.0/hearthside",
		scheme: "light",
		width:  1280,
		height: 800,
	},
	{name: "ranking-narrow", path: "/?audience=old-laptop", scheme: "light", width: 390, height: 844},
	{
		name:   "scorecard",
		path:   "/edition/eiderloft/2026-04/latchwork?audience=pensioner",
		scheme: "light",
		width:  1280,
		height: 800,
	},
	{
		name:   "how-it-came-about",
		path:   "/edition/kestrelby/3.1/pebbledash?open=memory-idle&open=copy-folder",
		scheme: "light",
		width:  1280,
		height: 800,
	},
	{name: "proposal", path: firstProposal, scheme: "light", as: "marit", width: 1280, height: 800},
	{name: "data-quality", path: "/data-quality", scheme: "light", as: "marit", width: 1280, height: 800},
	{
		name:   "weights",
		path:   "/weights?audience=pensioner&newest=true&sectionWeight=installation%3D15&sectionWeight=performance%3D15&sectionWeight=software%3D30&sectionWeight=usability%3D40",
		scheme: "dark",
		width:  1280,
		height: 800,
	},
	{name: "steadiness", path: "/steadiness?audience=pensioner&newest=true", scheme: "light", width: 1280, height: 800},
	{
		name:   "explain",
		path:   "/explain?audience=pensioner&a=gullhaven/5.2/hearthside&b=mossgate/12/hearthside",
		scheme: "light",
		width:  1280,
		height: 800,
	},
	{name: "line", path: "/lines/kestrelby/pebbledash", scheme: "light", width: 1280, height: 800},
	{name: "records", path: "/records?audience=pensioner", scheme: "light", width: 1280, height: 800},
	{name: "compare", path: "/compare?audience=pensioner&" + pair, scheme: "light", width: 1280, height: 800},
	{name: "desk", path: deskOfMine, scheme: "light", as: "tomas", width: 1280, height: 800},
	{name: "checklist", path: "/checklist", scheme: "light", width: 1280, height: 800},
	{
		name:   "import",
		path:   "/team/import",
		file:   "internal/demo/away/old-sheet.csv",
		scheme: "light",
		as:     "tomas",
		width:  1280,
		height: 800,
	},
	{name: "report", path: "/reports/old-laptops-autumn", scheme: "light", width: 1280, height: 800},
	{name: "report-editor", path: "/reports/radio-winter/edit", scheme: "light", as: "marit", width: 1280, height: 800},
}

func main() {
	server := flag.String("server", "http://127.0.0.1:8310", "where the demo is")
	out := flag.String("out", "docs/screenshots", "folder for the pictures")
	only := flag.String("only", "", "only the picture of that name")
	page := flag.String("page", "", "another page, instead of those of the list")
	as := flag.String("as", "", "sign in as this person for -page")
	width := flag.Int64("width", 0, "another width")
	height := flag.Int64("height", 0, "another height")
	scheme := flag.String("scheme", "", "another colour scheme")
	flag.Parse()
	// The windowless Chromium of the tests spaces letters differently from what people see.
	if path, err := exec.LookPath("chromium"); err == nil && os.Getenv("DTALLY_CHROMIUM") == "" {
		_ = os.Setenv("DTALLY_CHROMIUM", path) // the name is valid
	}
	list := shots
	if *page != "" {
		list = []shot{{name: "page", path: *page, scheme: "light", width: 1280, height: 800, as: *as}}
	}
	for _, s := range list {
		if *only != "" && s.name != *only {
			continue
		}
		if *width != 0 {
			s.width, s.height = *width, 844
		}
		if *height != 0 {
			s.height = *height
		}
		if *scheme != "" {
			s.scheme = *scheme
		}
		if err := take(*server, *out, s); err != nil {
			fmt.Fprintf(os.Stderr, "%s: %v\n", s.name, err)
			os.Exit(1)
		}
	}
}

func take(server, out string, s shot) error {
	tab, stop, err := browser.Start(context.Background())
	if err != nil {
		return err
	}
	defer stop()
	steps := []browser.Step{browser.Look(s.width, s.height, s.scheme)}
	for _, a := range demo.Accounts {
		if a.Name == s.as {
			steps = append(steps, browser.SignIn(server, a.Name, a.Secret), browser.Settled())
		}
	}
	switch s.path {
	case deskOfMine:
		steps = append(steps, openDesk()...)
	case firstProposal:
		steps = append(steps, openProposal(server)...)
	default:
		steps = append(steps, chromedp.Navigate(server+s.path), browser.Settled())
		for _, c := range s.click {
			steps = append(
				steps,
				chromedp.Click(c.link),
				browser.Until(fmt.Sprintf("document.body.textContent.includes(%q)", c.then)),
				browser.Settled(),
			)
		}
		if s.file != "" {
			steps = append(steps, lookAt(s.file)...)
		}
		if s.top != "" {
			steps = append(
				steps,
				chromedp.WaitVisible(s.top),
				chromedp.Evaluate[chromedp.Void](
					fmt.Sprintf(
						"document.evaluate(%q, document, null, 9, null).singleNodeValue.scrollIntoView()", s.top,
					),
				),
			)
		}
		if s.name == "how-it-came-about" { // rules and readings come after the rest
			steps = append(steps, browser.Until(
				`document.body.textContent.includes("by ratio") && document.querySelectorAll("td li").length > 5`,
			))
		}
		if s.name == "weights" { // the marks come after the ranking
			steps = append(steps, browser.Until(`document.body.textContent.includes("leads up to")`))
		}
		if s.name == "editor" { // the readings on the curve come after the rest
			steps = append(steps, browser.Until(`document.querySelectorAll("svg[role=img] path").length > 10`))
		}
	}
	if err := chromedp.Do(tab, steps...); err != nil {
		return err
	}
	picture, err := chromedp.Run(tab, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(out, s.name+".png"), picture, 0o644)
}
