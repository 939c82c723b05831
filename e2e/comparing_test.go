package e2e

import (
	"fmt"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"dappertally/e2e/browser"
)

// TestComparingAtEighty compares and explains in a terminal of 80 columns: no line is longer, and columns that are left
// out are named.
func TestComparingAtEighty(t *testing.T) {
	c := newClient(t, serve(t))
	t.Setenv("COLUMNS", "80")
	for _, x := range []struct{ command, says string }{
		{"rank --newest --since 2026-06-01", "Hidden at this width"},
		{"rank --family fenbase --section-weight performance=60 --audience pensioner", "custom weights: performance"},
		{"rank --at 2025-06-01", "workshop@1"},
		{"rank --winners", "performance"},
		{"rank --ground --audience pensioner", "on common ground: the 39 of 45 criteria that workshop@2 and workshop@1 ask"},
		{"explain gullhaven/5.2/hearthside gullhaven/5.0/hearthside --ground", "on common ground"},
		{"compare gullhaven/5.2/hearthside bramblewick/7.0/hearthside", "Head-to-head"},
		{"compare gullhaven/5.2/hearthside kestrelby/3.1/pebbledash mossgate/12/hearthside --baseline previous --only-differences", "against Gullhaven 5.1"},
		{"compare gullhaven/5.2/hearthside mossgate/12/hearthside --baseline record", "the record"},
		{"explain", "a dead heat"},
		{"explain gullhaven/5.2/hearthside ivybeck/6.0/hearthside --audience tinkerer", "points ahead of"},
		{"tipping --newest", "then leads"},
		{"steadiness --newest --draws 500", "500 draws"},
		{"history", "gullhaven/hearthside"},
		{"history gullhaven/hearthside", "Suggested to users"},
		{"records --criterion cold-start --before", "before"},
		{"leaders --audience pensioner", "still"},
		{"fits --memory 2048 --cores 2 --newest", "bench-old"},
		{"groups desktop Hearthside Pebbledash --equal release", "Spread"},
	} {
		out := c.must(append(strings.Fields(x.command), "--output", "table")...)
		if !strings.Contains(strings.Join(strings.Fields(out), " "), x.says) {
			t.Errorf("dtally %s says nothing of %q:\n%s", x.command, x.says, out)
		}
		for line := range strings.Lines(out) {
			if n := utf8.RuneCountInString(strings.TrimRight(line, "\n")); n > 80 {
				t.Errorf("dtally %s: a line of %d:\n%s", x.command, n, line)
			}
		}
		// The other forms have the columns that the table leaves out.
		for _, form := range []string{"json", "yaml", "csv"} {
			if out := c.must(append(strings.Fields(x.command), "--output", form)...); len(out) < 40 {
				t.Errorf("dtally %s --output %s: %q", x.command, form, out)
			}
		}
	}
}

// TestComparingRefusals calls each command with arguments that it must refuse.
func TestComparingRefusals(t *testing.T) {
	t.Parallel()
	c := newClient(t, serve(t))
	for _, x := range []struct {
		command string
		code    int
		says    string
	}{
		{"rank --at yesterday", 2, `--at "yesterday" is not a time`},
		{"rank --since then", 2, `--since "then" is not a time`},
		{"rank --desktop Lantern", 3, "there are Awning, Hearthside"},
		{"rank --section-weight none=3", 3, `has no section "none"`},
		{"rank --section-weight performance=much", 4, "sectionWeight"},
		{"explain gullhaven/5.2/hearthside", 2, "name two editions"},
		{"explain a/b/c d/e/f", 3, "there is no edition"},
		{"steadiness --draws 1000000", 4, "too many for readers"},
		{"steadiness --vary dice", 4, "vary"},
		{"history gullhaven", 2, "distribution/line"},
		{"history gullhaven/nothing", 3, "no edition line"},
		{"compare gullhaven/5.2/hearthside mossgate/12/hearthside --baseline nobody", 3, "one of previous, based-on, leader, record"},
		{"compare gullhaven/5.2/hearthside mossgate/12/hearthside --only-differences --only-close", 2, "choose one"},
		{"groups colour red green", 4, "no attribute"},
		{"groups desktop Hearthside", 2, "arguments"},
		{"fits --memory -5", 4, "memoryMiB"},
		{"compute ../core/testdata/golden/plain.bundle.json --what explain --between d00/1.0/std", 2, "--between EDITION,EDITION"},
		{"compute ../core/testdata/golden/plain.bundle.json --what explain --between x,y", 3, "no accepted review"},
		{"compute ../core/testdata/golden/plain.bundle.json --what steadiness --draws -3", 2, "draws"},
		{"compute ../core/testdata/golden/geometric.bundle.json --what tipping", 1, "balance 1"},
	} {
		out, errs, code := c.run("", strings.Fields(x.command)...)
		if code != x.code || !strings.Contains(strings.ToLower(errs), strings.ToLower(x.says)) || out != "" {
			t.Errorf(
				"dtally %s: exit %d, want %d saying %q\nstdout %q\nstderr %s",
				x.command,
				code,
				x.code,
				x.says,
				out,
				errs,
			)
		}
	}
	for _, what := range []string{"head-to-head", "explain", "tipping", "steadiness", "records"} {
		if out := c.must("compute", "../core/testdata/golden/plain.bundle.json", "--what", what, "--output", "table"); len(
			strings.Split(out, "\n"),
		) < 4 {
			t.Errorf("compute --what %s prints %q", what, out)
		}
	}
}

// TestWeights moves a weight by keyboard until the lead changes at the mark, opens the same address elsewhere, and
// saves the weights as an audience.
func TestWeights(t *testing.T) {
	t.Parallel()
	server := serve(t)
	var tips struct {
		Tipping struct {
			Leader   string
			Sections []struct {
				Key string
				Up  *struct {
					Share  float64
					Leader string
				}
			}
		}
		Names map[string]struct{ Distribution string }
	}
	marit := newClient(t, server).login("marit")
	decode(t, marit.must("tipping", "--newest", "--output", "json"), &tips)
	var share float64
	var next string
	for _, s := range tips.Tipping.Sections {
		if s.Key == "performance" && s.Up != nil {
			share, next = 100*s.Up.Share, tips.Names[s.Up.Leader].Distribution
		}
	}
	if next == "" {
		t.Fatal("no greater weight of performance turns the lead")
	}
	ctx := tab(t)
	const first = `document.querySelector("ol[aria-label] li[aria-posinset='1']")?.textContent`
	leader := tips.Names[tips.Tipping.Leader].Distribution
	do(t, ctx,
		browser.Look(1280, 900, "light"),
		browser.SignIn(server, "marit", secret("marit")),
		chromedp.Navigate(server+"/weights?newest=true"), browser.Settled(),
		browser.Until(fmt.Sprintf(`%s.includes(%q)`, first, leader)),
		says("p", fmt.Sprintf("%s 5.2 Hearthside leads from %.1f %%", next, share)),
		chromedp.Focus(`[role=slider][aria-label="Performance"]`),
	)
	for range 4 { // Shift and an arrow move by ten steps of 0.1
		do(t, ctx, keys(kb.ArrowRight, chromedp.KeyModifiers(kb.ModifierShift)))
	}
	do(t, ctx,
		browser.Until(fmt.Sprintf(`%s.includes(%q)`, first, next)),
		browser.Until(`location.search.includes("sectionWeight=performance%3D29")`),
		says("li", "▽"),
	)
	address, err := chromedp.Run(ctx, chromedp.Evaluate[string](`location.href`))
	if err != nil {
		t.Fatal(err)
	}
	do(
		t,
		ctx,
		chromedp.Navigate("about:blank"),
		chromedp.Navigate(address),
		browser.Settled(),
		browser.Until(fmt.Sprintf(`%s.includes(%q)`, first, next)),
		// The same weights for the whole ranking, which names them.
		chromedp.Click(
			`//a[text()="Show as a ranking"]`,
		),
		says("p", "with custom weights"),
		browser.Until(fmt.Sprintf(`document.querySelector("tbody tr")?.textContent.includes(%q)`, next)),
		chromedp.Navigate(address),
		browser.Settled(),
		chromedp.Click(`//label[contains(., "Who they are for")]`),
		keys("Players of games"),
		chromedp.Click(`//button[text()="Save the audience"]`),
		says("[role=status]", "Saved."),
		chromedp.Click(
			`//a[contains(., "The ranking for Players of games")]`,
		),
		says("h1", "for Players of games"),
		browser.Until(fmt.Sprintf(`document.querySelector("tbody tr")?.textContent.includes(%q)`, next)),
	)
}

// TestTwelveMarks compares the highest number of editions: each has a mark with a shape of its own, and a criterion
// that is not tested is shown as a range.
func TestTwelveMarks(t *testing.T) {
	t.Parallel()
	server := serve(t)
	c := newClient(t, server)
	var r struct {
		Ranking, Provisional []struct{ Edition string }
	}
	decode(t, c.must("rank", "--output", "json"), &r)
	address := server + "/compare?edition=" + r.Provisional[0].Edition
	for _, e := range r.Ranking[:11] {
		address += "&edition=" + e.Edition
	}
	ctx := tab(t)
	do(
		t,
		ctx,
		browser.Look(1280, 900, "light"),
		chromedp.Navigate(address),
		browser.Settled(),
		says("h1", "12 editions compared"),
	)
	marks, err := chromedp.Run(
		ctx,
		chromedp.Evaluate[[]string](
			`[...document.querySelectorAll("thead th svg path")].map(p => p.getAttribute("d") + " " + p.getAttribute("fill"))`,
		),
	)
	if err != nil {
		t.Fatal(err)
	}
	seen := map[string]bool{}
	for _, m := range marks {
		seen[m] = true
	}
	if len(marks) < 12 || len(seen) != 12 {
		t.Errorf("%d marks, of which %d are alike with none: %v", len(marks), len(seen), marks)
	}
	do(
		t,
		ctx,
		says("p", "how low and how high a score can still become"),
		browser.Until(`document.querySelector("[role=img][aria-label*='possible']")`),
	)
}

// TestMeetOnCommonGround follows the console to the common ground, also from a ranking on common rigs: the two cannot
// be combined, so that one replaces the other.
func TestMeetOnCommonGround(t *testing.T) {
	t.Parallel()
	server := serve(t)
	do(t, tab(t),
		browser.Look(1280, 900, "light"),
		chromedp.Navigate(server+"/?audience=pensioner&rigs=common"), browser.Settled(),
		chromedp.Click(`//summary[contains(., "Not ranked here")]`), chromedp.Click(`//a[text()="common ground"]`),
		says("p", "on common ground: the 39 of 45 criteria"), says("tbody", "reviewed on workshop@1"),
		browser.Until(`!location.search.includes("rigs=") && location.search.includes("audience=pensioner")`),
	)
}
