package report

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"dappertally/core/ranking"
	"dappertally/core/reporting"
	"dappertally/core/scoring"
	"dappertally/internal/numerals"
	"dappertally/internal/results"
)

// ranking fills in the order of the editions for each audience, and why the first is ahead of the second.
func (l *layout) ranking(s *Section) {
	var rows []results.Standing
	s.note(
		fmt.Sprintf(
			"Scores run from 0 to 100. Ranks are among the %d editions of this report; editions within "+
				"%s points of the first in a dead heat share its rank.",
			len(l.Editions),
			oneDecimalOf(l.List.Policy.Margin()),
		),
	)
	l.eachView(s, func(v *reporting.View) {
		if len(v.Ranking.Ranking) > 0 {
			s.add(Block{Figure: l.rankingFigure(v)})
		}
		s.add(Block{Table: l.rankingTable(v)})
		l.notRanked(s, v)
		rows = append(rows, results.Standings(&v.Ranking, v.Card, v.Audience.Key, v.Winners.Wins)...)
	})
	s.Data = results.Ranking(rows, results.SectionsOf(l.List))
	if e := l.main().Explanation; e != nil {
		l.explain(s, e)
	}
}

func (l *layout) rankingTable(v *reporting.View) *Table {
	t := &Table{
		Caption: "Ranking for " + said(v.Audience),
		Columns: []Column{{Title: "Edition", Left: true}, {Title: "Rank"}, {Title: "Score"}, {Title: "Possible"}},
	}
	for i := range l.List.Sections {
		sec := &l.List.Sections[i]
		t.Columns = append(
			t.Columns, Column{Title: titled(sec.Title, sec.Key), Small: share(v.Cards[0].Sections[i].Share)},
		)
	}
	t.Columns = append(t.Columns, Column{Title: "Coverage"}, Column{Title: "Measured"})
	for _, p := range v.Ranking.Ranking {
		c := v.Card(p.Edition)
		name := l.editionCell(p.Edition)
		name.Small = strings.Join(l.flags(c), ", ")
		rank := Cell{Text: fmt.Sprint(p.Rank), Strong: true}
		if p.DeadHeat {
			rank.Small = "dead heat"
		}
		if p.DecidedBy != "" {
			rank.Small = "decided by " + l.criterion(p.DecidedBy)
		}
		row := Row{Cells: []Cell{name, rank, {Text: oneDecimal(c.Overall), Strong: true}, cell(between(c.Low, c.High))}}
		for i := range c.Sections {
			row.Cells = append(
				row.Cells,
				Cell{
					Text: oneDecimal(c.Sections[i].Score),
					Best: slices.Contains(v.Winners.Sections[i].Editions, p.Edition) &&
						len(v.Winners.Sections[i].Editions) < len(v.Ranking.Ranking),
				},
			)
		}
		row.Cells = append(row.Cells, cell(share(c.Coverage)), cell(share(c.MeasuredShare)))
		t.Rows = append(t.Rows, row)
	}
	return t
}

// flags returns what readers must know about a score.
func (l *layout) flags(c *scoring.Scorecard) []string {
	var flags []string
	if c.RigsDiffer {
		flags = append(flags, "measured on other rigs than the others")
	}
	if len(c.Estimated) > 0 {
		flags = append(flags, "on some rigs estimated")
	}
	if p := l.Places[c.Edition]; p.Release != nil && p.Release.Stage == "pre-release" {
		flags = append(flags, "pre-release")
	}
	for _, g := range c.GatesOpen {
		flags = append(flags, "required, not tested: "+l.criterion(g))
	}
	if slices.Contains(l.Given.Alone, c.Edition) {
		flags = append(flags, "accepted by its only reviewer")
	}
	return flags
}

func (l *layout) notRanked(s *Section, v *reporting.View) {
	var items []Item
	for _, e := range l.Editions { // in the order of their keys
		if why := l.placeWords(v, e); why != "" {
			items = append(items, Item{l.Name(e), why})
		}
	}
	for _, e := range l.missing {
		items = append(items, Item{l.Name(e), "no accepted review on " + l.List.Name()})
	}
	if len(items) > 0 {
		s.add(Block{Note: "Not ranked, in alphabetical order:"}, Block{List: items})
	}
}

// mostExplained is how many contributions are listed one by one.
const mostExplained = 8

// explain describes why the first is ahead of the second.
func (l *layout) explain(s *Section, e *ranking.Explanation) {
	a, b := l.Name(e.A), l.Name(e.B)
	s.add(Block{Heading: fmt.Sprintf("Why %s is ahead of %s", a, b)})
	s.note(
		fmt.Sprintf(
			"%s has %s points more. Every criterion adds to the difference or subtracts from it; "+
				"together they add up to it exactly.",
			a,
			oneDecimal(&e.Difference),
		),
		l.orderOf(e),
	)
	by := slices.DeleteFunc(
		slices.Clone(e.Criteria), func(c ranking.Contribution) bool { return math.Abs(c.Adds) < 0.005 },
	)
	slices.SortStableFunc(
		by, func(x, y ranking.Contribution) int { return cmp.Compare(math.Abs(y.Adds), math.Abs(x.Adds)) },
	)
	shown := by[:min(len(by), mostExplained)]
	if len(shown) == 0 {
		return
	}
	s.add(Block{Figure: l.contributionsFigure(e, shown)})
	t := &Table{
		Caption: "Largest contributions to the difference",
		Columns: []Column{
			{Title: "Criterion", Left: true},
			{Title: a, Small: "points"},
			{Title: b, Small: "points"},
			{Title: "Adds"},
		},
	}
	var rest float64
	for i, c := range by {
		if i >= mostExplained {
			rest += c.Adds
			continue
		}
		t.Rows = append(
			t.Rows,
			Row{
				Cells: []Cell{
					cell(l.criterion(c.Key)),
					cell(oneDecimal(c.PointsA)),
					cell(oneDecimal(c.PointsB)),
					{Text: signedTwo(c.Adds), Strong: true},
				},
			},
		)
	}
	if n := len(by) - mostExplained; n > 0 {
		t.Rows = append(
			t.Rows,
			Row{
				Cells: []Cell{
					cell(numerals.Plural(n, "other criterion", "other criteria") + " together"),
					cell(""),
					cell(""),
					cell(signedTwo(rest)),
				},
			},
		)
	}
	t.Rows = append(
		t.Rows,
		Row{
			Cells: []Cell{
				{Text: "Difference of the scores", Strong: true},
				cell(oneDecimal(l.main().Card(e.A).Overall)),
				cell(oneDecimal(l.main().Card(e.B).Overall)),
				{Text: signedTwo(e.Difference), Strong: true},
			},
		},
	)
	s.add(Block{Table: t})
}

func (l *layout) orderOf(e *ranking.Explanation) string {
	if e.Order == "" {
		return ""
	}
	says := strings.NewReplacer(e.A, l.Name(e.A), e.B, l.Name(e.B)).Replace(e.Order)
	return strings.ToUpper(says[:1]) + says[1:] + "."
}
