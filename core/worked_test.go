package core_test

import (
	"bytes"
	"fmt"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
	"text/template"

	"dappertally/core/bundle"
	"dappertally/core/checklist"
	"dappertally/core/ranking"
	"dappertally/core/scoring"
)

const workedPage = "../docs/explanation/scores.md"

// TestWorkedExample computes the page that follows a criterion from its runs to the ranking. DTALLY_DOCS=write writes
// it.
func TestWorkedExample(t *testing.T) {
	file, err := os.Open("../docs/explanation/worked.bundle.json")
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	b, err := bundle.Parse(file, 1<<20)
	if err != nil {
		t.Fatal(err)
	}
	page := template.Must(template.New("page.md.tmpl").Funcs(template.FuncMap{
		"num": shortest, "points": func(x float64) string { return strconv.FormatFloat(x, 'f', 2, 64) },
		"percent": func(x float64) string { return strconv.FormatFloat(100*x, 'f', 0, 64) + " %" },
		"signed":  func(x float64) string { return fmt.Sprintf("%+.2f", x) },
		"join": func(runs []float64) string {
			words := make([]string, len(runs))
			for i, x := range runs {
				words[i] = shortest(x)
			}
			return strings.Join(words, ", ")
		},
		"rule": func(c checklist.Criterion) string { return ruleWords(&c) },
	}).ParseFiles("testdata/worked/page.md.tmpl"))
	var text bytes.Buffer
	if err := page.Execute(&text, worked(t, b)); err != nil {
		t.Fatal(err)
	}
	if os.Getenv("DTALLY_DOCS") == "write" {
		if err := os.WriteFile(workedPage, text.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	shipped, err := os.ReadFile(workedPage)
	if err != nil {
		t.Fatal(err)
	}
	if !bytes.Equal(shipped, text.Bytes()) {
		t.Errorf("%s is not what is computed; run this test with DTALLY_DOCS=write", workedPage)
	}
}

// shortest writes a number without what float arithmetic leaves behind the sixth decimal.
func shortest(x float64) string {
	return strconv.FormatFloat(mustParse(strconv.FormatFloat(x, 'f', 6, 64)), 'f', -1, 64)
}

func mustParse(text string) float64 {
	x, err := strconv.ParseFloat(text, 64)
	if err != nil {
		panic(err)
	}
	return x
}

func ruleWords(c *checklist.Criterion) string {
	switch c.Kind {
	case checklist.Measure:
		return fmt.Sprintf("%s: %s %s earns 100 points, %s earns 0",
			c.Curve.Shape, shortest(c.Curve.Ideal), c.Unit, shortest(c.Curve.Poor))
	case checklist.Check:
		return fmt.Sprintf("works 100, with a workaround %s, fails 0", shortest(*c.WorkaroundPoints))
	}
	return "10 points for each grade"
}

// example is what the page shows.
type example struct {
	Sections                                           []checklist.Section
	Measure, Gate                                      *checklist.Criterion
	Edition, Rig, AdjustmentReason                     string
	Runs, Adjusted, Sorted                             []float64
	Amount, Value, Poor, Ideal, Points                 float64
	Others                                             []otherPoints
	Sums                                               []sectionSum
	OverallSum, OverallWeights, EffectiveSum           string
	Overall, Effective, GateNeeds, MinCoverage, Margin float64
	Closest                                            string
	ClosestPoints                                      float64
	Places                                             []ranking.Place
	First, Second                                      string
	Difference                                         float64
	Explained                                          []explained
}

type otherPoints struct {
	Title, Told string
	Points      float64
}

type sectionSum struct {
	Title, Sum, Weights string
	Score               float64
}

type explained struct {
	Title      string
	A, B, Adds float64
}

func worked(t *testing.T, b *bundle.Bundle) *example {
	t.Helper()
	list := &b.Checklists[0]
	in := b.Input(list)
	cards, err := scoring.Scorecards(in, scoring.Options{})
	if err != nil {
		t.Fatal(err)
	}
	table := scoring.Tabulate(in, scoring.Options{})
	ranked, err := ranking.Rank(table.Columns(), checklist.Audience{}, ranking.By{})
	if err != nil {
		t.Fatal(err)
	}
	card := &cards[0]
	traces, err := table.Traces(card.Edition)
	if err != nil {
		t.Fatal(err)
	}
	first := traces[0].Readings[0]
	x := &example{
		Sections: list.Sections, Measure: &list.Sections[0].Criteria[0], Gate: &list.Sections[1].Criteria[0],
		Edition: card.Edition, Rig: first.Reading.Rig, AdjustmentReason: first.Reading.Adjustment.Reason,
		Runs: first.Reading.Answer.Runs, Amount: first.Reading.Adjustment.Amount, Value: *first.Value,
		Points: *card.Criteria[0].Points, Overall: *card.Overall, Effective: card.Criteria[0].Weight,
		MinCoverage: list.Policy.CoverageNeeded(), Margin: list.Policy.Margin(), Places: ranked.Ranking,
	}
	x.Poor, x.Ideal = x.Measure.Curve.Poor, x.Measure.Curve.Ideal
	for _, run := range x.Runs {
		x.Adjusted = append(x.Adjusted, run-x.Amount)
	}
	x.Sorted = slices.Sorted(slices.Values(x.Adjusted))
	if len(ranked.Ranking) != len(cards) || !ranked.Ranking[1].DeadHeat {
		t.Fatalf("the page speaks of a dead heat in which nobody is barred: %+v", ranked)
	}
	x.sums(card, traces)
	x.gate(cards)
	x.explain(t, table, list)
	return x
}

// sums writes the arithmetic of the sections and of the overall score.
func (x *example) sums(card *scoring.Scorecard, traces []scoring.Trace) {
	n := 0
	var overall, weights, effective []string
	for i := range x.Sections {
		s := &x.Sections[i]
		sum := sectionSum{Title: s.Title, Score: *card.Sections[i].Score}
		var parts, shares []string
		for j := range s.Criteria {
			c := &s.Criteria[j]
			points := *card.Criteria[n].Points
			parts = append(parts, fmt.Sprintf("%s · %.2f", shortest(c.Weight), points))
			shares = append(shares, shortest(c.Weight))
			if n > 0 {
				x.Others = append(x.Others, otherPoints{c.Title, earned(c, traces[n].Readings), points})
			}
			n++
		}
		sum.Sum, sum.Weights = strings.Join(parts, " + "), strings.Join(shares, " + ")
		x.Sums = append(x.Sums, sum)
		overall = append(overall, fmt.Sprintf("%s · %.2f", shortest(s.Weight), sum.Score))
		weights = append(weights, shortest(s.Weight))
		if i == 0 {
			effective = []string{shortest(s.Weight), shares[0], sum.Weights}
		}
	}
	x.OverallSum, x.OverallWeights = strings.Join(overall, " + "), strings.Join(weights, " + ")
	x.EffectiveSum = fmt.Sprintf("%s / (%s) of the sections times %s / (%s) of the section",
		effective[0], x.OverallWeights, effective[1], effective[2])
}

// earned describes how a criterion's readings get their points.
func earned(c *checklist.Criterion, readings []scoring.Traced) string {
	var each []string
	for i := range readings {
		r := &readings[i]
		switch c.Kind {
		case checklist.Measure:
			v, poor, ideal := shortest(*r.Value), shortest(c.Curve.Poor), shortest(c.Curve.Ideal)
			each = append(
				each,
				fmt.Sprintf("the median is %s %s, and 100 · (%s − %s) / (%s − %s)", v, c.Unit, v, poor, ideal, poor),
			)
		case checklist.Check:
			each = append(each, "it "+r.Reading.Answer.Check)
		default:
			each = append(each, fmt.Sprintf("%s gives %s, which earns %s points",
				r.Reading.Reviewer, shortest(*r.Reading.Answer.Grade), shortest(*r.Points)))
		}
	}
	words := strings.Join(each, "; ")
	if len(each) > 1 {
		words += "; the mean of these"
	}
	return words
}

// gate finds the edition that passes the gate most narrowly.
func (x *example) gate(cards []scoring.Scorecard) {
	x.GateNeeds, x.ClosestPoints = *x.Gate.Gate, 101
	for i := range cards {
		for _, c := range cards[i].Criteria {
			if c.Key == x.Gate.Key && *c.Points < x.ClosestPoints {
				x.Closest, x.ClosestPoints = cards[i].Edition, *c.Points
			}
		}
	}
}

// explain takes the difference of the first two editions apart.
func (x *example) explain(t *testing.T, table *scoring.Table, list *checklist.Checklist) {
	t.Helper()
	x.First, x.Second = x.Places[0].Edition, x.Places[1].Edition
	a := table.Scorecard(table.Row(x.First), checklist.Audience{})
	b := table.Scorecard(table.Row(x.Second), checklist.Audience{})
	e, err := ranking.Explain(list, &a, &b, &ranking.Ranking{Ranking: x.Places})
	if err != nil {
		t.Fatal(err)
	}
	x.Difference = e.Difference
	for i, c := range e.Criteria {
		title := list.Sections[i/2].Criteria[i%2].Title
		x.Explained = append(x.Explained, explained{title, *c.PointsA, *c.PointsB, c.Adds})
	}
}
