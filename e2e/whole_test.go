package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"dappertally/core/checklist"
	"dappertally/e2e/browser"
)

// answerKeys types an answer to a criterion as a reviewer would, and leaves the field.
func answerKeys(c *checklist.Criterion, n int) []browser.Step {
	figure := browser.Until(`document.activeElement?.matches("input[data-figure]")`)
	switch c.Kind {
	case checklist.Grade:
		return []browser.Step{figure, keys("7"), keys(kb.Enter)}
	case checklist.Check, checklist.Level:
		return []browser.Step{
			browser.Until(`document.activeElement?.getAttribute("role") === "radiogroup"`),
			keys("1"),
			keys(kb.Enter),
		}
	case checklist.Fact:
		return []browser.Step{
			browser.Until(`document.activeElement?.matches("[data-words]")`),
			keys("as it says"),
			keys(kb.Enter),
		}
	case checklist.Count:
		if len(c.Items) == 0 {
			return []browser.Step{figure, keys("9"), keys(kb.Enter), keys("12"), keys(kb.Enter)}
		}
		steps := []browser.Step{browser.Until(`document.activeElement?.matches("[data-item]")`)}
		for range c.Items {
			steps = append(steps, keys("1"))
		}
		return append(steps, keys(kb.Enter))
	}
	steps := []browser.Step{figure}
	for i := range max(c.Runs.Expect, 1) {
		steps = append(steps, keys(fmt.Sprintf("%d,%d", 20+n%7, 1+i)), keys(kb.Enter))
	}
	return steps
}

// TestWholeReview answers every criterion of the list by keyboard alone. In the middle the network is cut, and the page
// is closed before it is back.
func TestWholeReview(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ines := newClient(t, server).login("ines")
	var planned struct{ ID string }
	decode(t, ines.must("review", "add", "ivybeck/5.4/hearthside", "--output", "json"), &planned)
	var list checklist.Checklist
	decode(t, ines.must("checklist", "show", "workshop@2", "--output", "json"), &list)
	ctx := tab(t)
	desk := server + "/desk/" + planned.ID + "?rig=bench-new"
	inHand := func(c *checklist.Criterion) browser.Step {
		return browser.Until(fmt.Sprintf(`document.querySelector("#in-hand")?.textContent === %q`, c.Title))
	}
	do(
		t,
		ctx,
		browser.Look(1280, 800, "light"),
		browser.SignIn(server, "ines", secret("ines")),
		chromedp.Navigate(desk),
		browser.Settled(),
	)
	n := 0
	for i := range list.Sections {
		s := &list.Sections[i]
		for j := range s.Criteria {
			c := &s.Criteria[j]
			n++
			if n == 20 {
				do(t, ctx, browser.Offline(true))
			}
			do(t, ctx, append([]browser.Step{inHand(c)}, answerKeys(c, n)...)...)
			if n == 23 { // closed while nothing could be sent, and opened again later
				do(
					t,
					ctx,
					says("[role=status]", "no connection"),
					browser.Offline(false),
					chromedp.Navigate("about:blank"),
					chromedp.Navigate(desk+"&section="+s.Key+"&criterion="+s.Criteria[min(j+1, len(s.Criteria)-1)].Key),
					browser.Settled(),
				)
			}
		}
	}
	do(t, ctx, browser.Until(`document.querySelector("header [role=status]")?.textContent.startsWith("saved")`))
	var shown struct {
		Readings []struct{ ID, Criterion, Reviewer string }
	}
	decode(t, ines.must("review", "show", planned.ID, "--output", "json"), &shown)
	once := map[string]int{}
	for _, r := range shown.Readings {
		once[r.Criterion]++
	}
	for i := range list.Sections {
		for _, c := range list.Sections[i].Criteria {
			if once[c.Key] != 1 {
				t.Errorf("%s has %d readings, want 1", c.Key, once[c.Key])
			}
		}
	}
	do(
		t,
		ctx,
		keys(kb.Enter, chromedp.KeyModifiers(kb.ModifierCtrl)),
		says("[role=dialog]", "is missing"),
		browser.Until(
			`document.activeElement?.matches("[role=dialog] [data-words]")`,
		),
		keys("the camera was at home"),
		keys(kb.Enter),
		says("p", "waiting for a lead"),
	)
}

// TestWholeBench answers ten criteria for four contenders on two rigs, by keyboard.
func TestWholeBench(t *testing.T) {
	t.Parallel()
	server := serve(t)
	tomas := newClient(t, server).login("tomas")
	var list checklist.Checklist
	decode(t, tomas.must("checklist", "show", "workshop@2", "--output", "json"), &list)
	criteria := []string{
		"cold-start",
		"memory-idle",
		"memory-used",
		"browser-start",
		"copy-folder",
		"kernel-build",
		"photo-batch",
		"flight-average",
		"suspend",
		"smoothness",
	}
	plan := filepath.Join(t.TempDir(), "plan.yaml")
	text := "title: Ten on two\nquestion: Which is quickest?\ncontenders:\n  - {edition: bramblewick/7.0/hearthside}\n  - {edition: gullhaven/5.2/hearthside}\n  - {edition: mossgate/12/hearthside}\n  - {edition: oakshott/1.8/awning}\n" +
		"criteria: [" + strings.Join(
		criteria,
		", ",
	) + "]\nrigs: [bench-old, bench-new]\nruns: 2\n"
	if err := os.WriteFile(plan, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	var made struct{ ID string }
	decode(t, tomas.must("plan", "add", plan, "--output", "json"), &made)
	ctx := tab(t)
	do(t, ctx, browser.Look(1280, 800, "light"), browser.SignIn(server, "tomas", secret("tomas")))
	for _, rig := range []string{"bench-old", "bench-new"} {
		var bench struct{ Session struct{ ID string } }
		decode(t, tomas.must("bench", "add", made.ID, "--rig", rig, "--output", "json"), &bench)
		do(t, ctx, chromedp.Navigate(server+"/bench/"+bench.Session.ID), browser.Settled())
		for n, key := range criteria {
			c, _ := list.Criterion(key)
			do(
				t,
				ctx,
				says("h1", c.Title),
				browser.Until(`document.querySelectorAll("[data-line]").length === 4`),
				chromedp.Evaluate[chromedp.Void](
					`document.querySelector("[data-line]").querySelector("input,[role=radiogroup]").focus()`,
				),
			)
			for line := range 4 {
				at := browser.Until(
					fmt.Sprintf(
						`document.activeElement?.closest("[data-line]") === document.querySelectorAll("[data-line]")[%d]`,
						line,
					),
				)
				do(t, ctx, at)
				if c.Kind != checklist.Measure {
					do(
						t,
						ctx,
						append(
							[]browser.Step{chromedp.Evaluate[chromedp.Void](`document.activeElement.select?.()`)},
							answerKeys(c, n)...)...)
					continue
				}
				for run := range c.Runs.Expect {
					do(
						t,
						ctx,
						chromedp.Evaluate[chromedp.Void](`document.activeElement.select()`),
						keys(fmt.Sprintf("%d.%d", 30+n+2*line, 1+run)),
						keys(kb.Enter),
					)
				}
			}
		}
		do(t, ctx, says("h1", "Cold start to desktop")) // after the last criterion the first follows
		for _, key := range criteria {
			var sheet struct {
				Lines []struct {
					Edition  string
					Readings []struct{ Reviewer string }
				}
			}
			decode(t, tomas.must("bench", "show", bench.Session.ID, "--criterion", key, "--output", "json"), &sheet)
			for _, l := range sheet.Lines {
				mine := 0
				for _, r := range l.Readings {
					if r.Reviewer == "tomas" {
						mine++
					}
				}
				if mine == 0 {
					t.Errorf("%s on %s: no reading of %s", key, rig, l.Edition)
				}
			}
		}
	}
}
