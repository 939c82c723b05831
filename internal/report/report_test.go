package report_test

import (
	"bytes"
	"html"
	"strings"
	"testing"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/core/ranking"
	"dappertally/core/scoring"
	"dappertally/internal/demo"
	"dappertally/internal/report"
)

// content compares editions of the demo for pensioners.
func content(t *testing.T, editions ...string) report.Content {
	t.Helper()
	b, err := demo.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	list, err := scoring.Newest(b.Checklists, "")
	if err != nil {
		t.Fatal(err)
	}
	audience, _ := list.Audience("pensioner")
	table := scoring.Tabulate(b.Input(list), scoring.Options{})
	cards := table.Scorecards(audience)
	ranked, err := ranking.Rank(table.Columns(), audience, ranking.By{})
	if err != nil {
		t.Fatal(err)
	}
	measures, err := comparing.Compare(table, editions[0], editions)
	if err != nil {
		t.Fatal(err)
	}
	names := map[string]string{}
	for _, e := range editions {
		names[e] = "Edition <" + e + ">"
	}
	return report.Content{
		Team: "Second & Wind", Made: time.Date(2026, 11, 23, 14, 2, 0, 0, time.UTC), List: list, Audience: audience, Editions: editions,
		Names: names, Rigs: map[string]string{"bench-old": "Old laptop"}, Cards: cards, Ranking: ranked, Measures: measures,
	}
}

func page(t *testing.T, c report.Content) string {
	t.Helper()
	var out bytes.Buffer
	if err := report.HTML(&out, c); err != nil {
		t.Fatal(err)
	}
	return out.String()
}

func TestHTML(t *testing.T) {
	text := page(t, content(t, "gullhaven/5.2/hearthside", "bramblewick/7.0/hearthside", "thistledown/2.7/pebbledash", "cinderfen/2026-05-02/awning"))
	for _, want := range []string{
		"Second &amp; Wind", "23 November 2026, 14:02 UTC", "for pensioners", "dead heat", "lower is better", "Measures against Edition &lt;gullhaven/5.2/hearthside&gt;",
		"barred: Wireless works at once has 0.0 points, 60.0 needed", "provisional:", "· better", "· worse", "geometric mean", "on Old laptop", "<svg role=\"img\"",
	} {
		if !strings.Contains(html.UnescapeString(text), html.UnescapeString(want)) {
			t.Errorf("the page lacks %q", want)
		}
	}
	for _, bad := range []string{"<script", "Edition <gull", "http://", "ZgotmplZ", "%!"} {
		if i := strings.Index(strings.ReplaceAll(text, "http://www.w3.org", ""), bad); i >= 0 {
			t.Errorf("the page holds %q", bad)
		}
	}
	if n := strings.Count(text, "<html"); n != 1 {
		t.Errorf("%d documents in one page", n)
	}
}

func TestHTMLIsTheSameEveryTime(t *testing.T) {
	c := content(t, "gullhaven/5.2/hearthside", "bramblewick/7.0/hearthside")
	first, second := page(t, c), page(t, c)
	if first != second {
		t.Error("two pages of the same content differ")
	}
}

func TestHTMLWithoutRanked(t *testing.T) {
	c := content(t, "thistledown/2.7/pebbledash", "cinderfen/2026-05-02/awning")
	c.Missing = []string{"ivybeck/5.4/hearthside"}
	c.Names["ivybeck/5.4/hearthside"] = "Ivybeck 5.4"
	text := page(t, c)
	if strings.Contains(text, "<svg") || !strings.Contains(text, "None of these editions is ranked") || !strings.Contains(text, "no accepted review on this checklist version") {
		t.Error("a report without ranked editions does not say so")
	}
}

func TestHTMLWithoutMeasures(t *testing.T) {
	c := content(t, "gullhaven/5.2/hearthside", "bramblewick/7.0/hearthside")
	c.Measures = comparing.Comparison{Baseline: c.Editions[0]}
	c.Audience = checklist.Audience{}
	if text := page(t, c); !strings.Contains(text, "no measure in common") || strings.Contains(text, "<em>for") {
		t.Error("a report without measures does not say so")
	}
}
