package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/core/scoring"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/results"
	"dappertally/internal/tables"
)

func (s *session) compareCommand() *cobra.Command {
	var v view
	var baseline string
	var differences, close bool
	cmd := &cobra.Command{
		Use:   "compare EDITION EDITION…",
		Short: "Compare two to twelve editions",
		Long: "Compare editions, named distribution/release/edition, section by section and measure by " +
			"measure. Differences are relative to the baseline: the first edition, or the one that " +
			"--baseline names: an edition, previous (the release before of each), based-on (the release " +
			"that each is based on), leader (of the ranking) or record. They are shown as better or " +
			"worse. Values that were not measured the same way are not compared; the table shows why.",
		Example: "  dtally compare gullhaven/5.2/hearthside bramblewick/7.0/hearthside\n  dtally compare gullhaven/5.2/hearthside kestrelby/3.1/pebbledash --baseline previous --only-differences --audience pensioner",
		Args:    args(leastCompared, mostCompared),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			if differences && close {
				return wrongUsage("--only-differences and --only-close together leave no row; choose one")
			}
			r, err := v.through(c).Compare(cmd.Context(), contract.CompareParams{Edition: a, Baseline: baseline})
			if err != nil {
				return err
			}
			list, err := s.fetchChecklist(cmd, c, r.Value.Heading.Checklist)
			if err != nil {
				return err
			}
			keep := func(w comparing.Verdict) bool {
				return !(differences && w == comparing.TooClose) && !(close && w != comparing.TooClose)
			}
			rows := slices.DeleteFunc(
				slices.Clone(r.Value.Rows), func(r comparing.Row) bool { return !keep(r.Verdict) },
			)
			sheets := []*sheet{scoresSheet(&r.Value), criteriaSheet(&r.Value, &list.Value, differences, close)}
			if s.forPeople(cmd) {
				sheets = append(sheets, measuresSheets(&r.Value, rows, &list.Value)...)
			} else {
				sheets = append(sheets, &sheet{Table: results.Comparison(rows, &list.Value, nil), main: true})
			}
			if !close {
				sheets = append(sheets, factsSheet(&r.Value, differences))
			}
			sheets = append(sheets, matchSheet(&r.Value.HeadToHead, called(r.Value.Names)))
			for _, t := range []*sheet{findingsSheet(&r.Value), treatedSheet(r.Value.Systems, called(r.Value.Names))} {
				if len(t.Rows) > 0 {
					sheets = append(sheets, t)
				}
			}
			return s.print(cmd, r.Value, sheets...)
		}),
	}
	v.allFlags(cmd)
	f := cmd.Flags()
	for _, g := range groups[:len(groups)-2] {
		f.Lookup(g.name).Hidden = true // the editions are positional arguments
	}
	f.StringVar(
		&baseline,
		"baseline",
		"",
		"what differences are relative to: an edition, previous, based-on, leader or record",
	)
	f.BoolVar(&differences, "only-differences", false, "leave out what is too close to call")
	f.BoolVar(&close, "only-close", false, "show only what is too close to call")
	return cmd
}

// How many editions can be compared at once.
const (
	leastCompared = 2
	mostCompared  = 12
)

// called returns the name of an edition, or its key if it has none.
func called(names map[string]contract.EditionName) func(string) string {
	return func(key string) string {
		if n, ok := names[key]; ok {
			return name(n)
		}
		return key
	}
}

// criteriaSheet shows the points of every criterion, with the winner marked and the comparison with the baseline.
func criteriaSheet(c *contract.Comparison, list *checklist.Checklist, differences, close bool) *sheet {
	t := &sheet{
		heading: "Points by criterion, section by section · * most points · + better, - worse, ≈ too " +
			"close to call, × not comparable · ~ uses estimated rigs",
		Table: &tables.Table{Columns: []tables.Column{tables.Beside("Criterion")}},
		data:  pointsOf(c, list),
	}
	for i := range c.Editions {
		t.Columns = append(t.Columns, tables.BesideNumber(short(c.Editions[i].Name)))
	}
	rows := map[string]comparing.CriterionRow{}
	for _, r := range c.Criteria {
		rows[r.Criterion] = r
	}
	for i := range list.Sections {
		s := &list.Sections[i]
		head := []any{strings.ToUpper(title(s.Title, s.Key))}
		for e := range c.Editions {
			head = append(head, numerals.Score(c.Editions[e].Scorecard.Sections[i].Score))
		}
		t.Add(head...)
		for j := range s.Criteria {
			r, ok := rows[s.Criteria[j].Key]
			if !ok || (differences && !r.Differs) || (close && !r.Close) {
				continue
			}
			row := []any{"  " + r.Criterion}
			for _, cell := range r.Cells {
				row = append(row, outcomeWords(&cell, slices.Contains(r.Winners, cell.Edition)))
				t.note += cellNotes(&cell, &s.Criteria[j], called(c.Names))
			}
			t.Add(row...)
		}
	}
	if len(c.Placings) > 0 && !close {
		t.addPlacings(c)
	}
	t.note = strings.TrimSuffix(t.note, "\n")
	return t
}

// addPlacings adds the outcomes of side-by-side tests below the criteria.
func (t *sheet) addPlacings(c *contract.Comparison) {
	head := []any{"SIDE BY SIDE"}
	for range c.Editions {
		head = append(head, "")
	}
	t.Add(head...)
	for n := range c.Placings {
		p := &c.Placings[n]
		label := fmt.Sprintf("placing %d", n+1)
		t.note += fmt.Sprintf("%s: %s\n", label, p.Question)
		row := []any{"  " + label}
		for i := range c.Editions {
			row = append(row, placeIn(p, c.Editions[i].Scorecard.Edition)+"  ")
		}
		t.Add(row...)
	}
}

// pointsOf returns the same points for programs.
func pointsOf(c *contract.Comparison, list *checklist.Checklist) *tables.Table {
	cards := make([]scoring.Scorecard, len(c.Editions))
	for i := range c.Editions {
		cards[i] = c.Editions[i].Scorecard
	}
	audience, _ := list.Audience(c.Heading.Audience)
	return results.Points(cards, list, audience)
}

// placeIn returns an edition's place in a side-by-side test, such as 1st or =2nd.
func placeIn(p *comparing.Placing, edition string) string {
	place := p.Place(edition)
	if place == 0 {
		return numerals.None
	}
	text := numerals.Ordinal(place)
	for _, tied := range p.Order {
		if len(tied) > 1 && slices.Contains(tied, edition) {
			text = "=" + text
		}
	}
	return text
}

// cellNotes lists which points of a cell rest on estimated rigs, and where points and shared rigs disagree.
func cellNotes(cell *comparing.CriterionCell, c *checklist.Criterion, names func(string) string) string {
	var text string
	if cell.Contradiction != "" {
		text += fmt.Sprintf("%s, %s: %s.\n", c.Key, names(cell.Edition), cell.Contradiction)
	}
	for _, x := range cell.Estimated {
		if x.Weight > 0 {
			text += fmt.Sprintf("%s, %s: %s.\n", c.Key, names(cell.Edition), numerals.Estimated(x, c.Unit))
		}
	}
	return text
}

var signs = map[comparing.Verdict]string{
	comparing.Better:        " +",
	comparing.Worse:         " -",
	comparing.TooClose:      " ≈",
	comparing.NotComparable: " ×",
	"":                      "  ",
}

func outcomeWords(c *comparing.CriterionCell, wins bool) string {
	switch c.State {
	case scoring.NotTested:
		return "not tested  "
	case scoring.NotApplicable:
		return "n/a  "
	}
	mark := ""
	if wins {
		mark = "*"
	}
	if slices.ContainsFunc(c.Estimated, func(x scoring.Estimate) bool { return x.Weight > 0 }) {
		mark += "~"
	}
	return mark + numerals.Score(c.Points) + signs[c.Verdict]
}

// short shortens an edition's name for a heading.
func short(n contract.EditionName) string {
	return n.Distribution + "\n" + n.Release + "\n" + n.Edition
}

// factsSheet shows the facts side by side, each compared with the first edition.
func factsSheet(c *contract.Comparison, differences bool) *sheet {
	var all []results.Fact
	names := called(c.Names)
	for _, r := range c.FactRows {
		if differences && !r.Differs {
			continue
		}
		for _, cell := range r.Cells {
			all = append(all, results.Fact{
				Criterion: r.Criterion,
				Edition:   cell.Edition,
				Value:     factValue(&cell),
				Name:      names(cell.Edition),
				Against:   factRemark(&cell),
			})
		}
	}
	return &sheet{heading: "Facts", Table: results.Facts(all)}
}

func factValue(c *comparing.FactCell) string {
	if c.Value == nil {
		return "not recorded"
	}
	return c.Value.String()
}

func factRemark(c *comparing.FactCell) string {
	var out []string
	if len(c.OnlyHere) > 0 {
		out = append(out, "only here: "+list(c.OnlyHere))
	}
	if len(c.Lacks) > 0 {
		out = append(out, "lacks: "+list(c.Lacks))
	}
	if c.Order != "" {
		out = append(out, c.Order)
	}
	if b := c.Behind; b != nil && b.Versions > 0 {
		out = append(out, fmt.Sprintf("%s, %s behind %s on the day of the reading",
			numerals.Count(b.Versions, "version"), numerals.Count(b.Days, "day"), b.Newest))
	} else if b != nil {
		out = append(out, "the newest known on that day")
	}
	return strings.Join(out, "; ")
}

// matchSheet counts which edition wins against which.
func matchSheet(h *comparing.HeadToHead, names func(string) string) *sheet {
	t := &sheet{
		heading: "Head-to-head, criterion by criterion",
		Table: &tables.Table{Columns: []tables.Column{
			tables.Beside("Edition"),
			tables.Beside("Against"),
			tables.BesideNumber("Wins"),
			tables.BesideNumber("Losses"),
			tables.BesideNumber("Ties"),
			tables.BesideNumber("Split by rig"),
		}},
		data: results.HeadToHead(h.Pairs),
	}
	for _, p := range h.Pairs {
		t.Add(names(p.A), names(p.B), p.Wins, p.Losses, p.Ties-p.Splits, p.Splits)
	}
	for _, f := range h.DependsOnMachine {
		t.note += fmt.Sprintf(
			"%s depends on the machine: %s is better than %s on %s and worse on %s.\n",
			f.Criterion,
			names(f.A),
			names(f.B),
			list(f.Better),
			list(f.Worse),
		)
	}
	t.note = strings.TrimSuffix(t.note, "\n")
	return t
}

var findingsTable = tables.Define("findings", "a finding of an edition",
	tables.Text("edition", "Edition", "its key"),
	tables.Text("title", "Finding", ""),
	tables.Text("sort", "Sort", "strength, weakness or quirk"),
	tables.Text("severity", "Severity", ""),
	tables.Text("workaround", "Workaround", ""),
)

// findingsSheet shows the findings side by side.
func findingsSheet(c *contract.Comparison) *sheet {
	t := sheetOf(findingsTable)
	t.heading = "Findings"
	for i := range c.Editions {
		e := &c.Editions[i]
		for _, f := range e.Findings {
			t.Add(tables.As{Data: e.Scorecard.Edition, Text: name(e.Name)}, f.Title, f.Sort, f.Severity, f.Workaround)
		}
	}
	return t
}

// rowsSheet shows measures compared with a baseline, each with its unit and direction.
func rowsSheet(rows []comparing.Row, list *checklist.Checklist, names func(string) string) *sheet {
	t := &sheet{Table: results.Comparison(rows, list, names)}
	if !slices.ContainsFunc(rows, func(r comparing.Row) bool { return r.Edition != rows[0].Edition }) {
		t.Columns[0] = t.Columns[0].YieldsFirst() // all rows share it
	}
	return t
}

var treatedTable = tables.Define("treated", "a difference in how the systems were set up",
	tables.Text("edition", "Edition", "its key"),
	tables.List("onlyHere", "Only here", ""),
	tables.List("onlyBaseline", "Only at the baseline", ""),
)

// treatedSheet lists the systems that were treated differently from the baseline's.
func treatedSheet(systems []comparing.Treated, names func(string) string) *sheet {
	t := sheetOf(treatedTable)
	t.heading = "The systems were set up differently"
	for _, x := range systems {
		if len(x.OnlyHere)+len(x.OnlyBaseline) > 0 {
			t.Add(tables.As{Data: x.Edition, Text: names(x.Edition)}, x.OnlyHere, x.OnlyBaseline)
		}
	}
	return t
}

var scoresTable = tables.Define("scores", "the score of an edition that is compared",
	tables.Text("edition", "Edition", "its key"),
	tables.Integer("rank", "Rank", "in the ranking of all; empty: not ranked"),
	tables.Points("score", "Score", "0 to 100"),
	tables.Points("section.*", "", "the score of the section of that key"),
	tables.Share("coverage", "Coverage", "share of the weight that is answered"),
)

func scoresSheet(c *contract.Comparison) *sheet {
	var sections []tables.Column
	for _, sec := range c.Heading.Sections {
		sections = append(sections, tables.Points("section."+sec.Key, sec.Title, "").Yields())
	}
	t := sheetOf(scoresTable, sections...)
	t.heading = "Scores" + viewed(&c.Heading)
	for i := range c.Editions {
		e := &c.Editions[i]
		var rank any
		if e.Rank > 0 {
			rank = e.Rank
		}
		row := []any{tables.As{Data: e.Scorecard.Edition, Text: name(e.Name)}, rank, e.Scorecard.Overall}
		for _, sec := range e.Scorecard.Sections {
			row = append(row, sec.Score)
		}
		t.Add(append(row, e.Scorecard.Coverage)...)
	}
	for _, m := range c.Missing {
		t.note += fmt.Sprintf("%s has no accepted review on %s.\n", m, c.Heading.Checklist)
	}
	for _, w := range c.Without {
		t.note += fmt.Sprintf("%s has no such baseline on %s.\n", called(c.Names)(w), c.Heading.Checklist)
	}
	t.note = strings.TrimSuffix(t.note, "\n")
	return t
}

// measuresSheets shows the measures of each edition.
func measuresSheets(c *contract.Comparison, rows []comparing.Row, list *checklist.Checklist) []*sheet {
	names := called(c.Names)
	var sheets []*sheet
	for i := range c.Editions {
		edition := c.Editions[i].Scorecard.Edition
		own := slices.DeleteFunc(slices.Clone(rows), func(r comparing.Row) bool { return r.Edition != edition })
		if len(own) == 0 {
			continue
		}
		t := rowsSheet(own, list, names)
		baseline := c.Baseline
		for _, m := range c.GeometricMeans {
			if m.Edition != edition {
				continue
			}
			if m.Baseline != "" {
				baseline = m.Baseline
			}
			if m.Ratio != nil {
				t.note = inOneFigure(&m, names(edition), against(baseline, names))
			}
		}
		t.heading = fmt.Sprintf("Measures of %s against %s", names(edition), against(baseline, names))
		sheets = append(sheets, t)
	}
	return sheets
}

// inOneFigure explains the geometric mean of the measures: what it is over, and which measure contributes most.
func inOneFigure(m *comparing.Means, edition, baseline string) string {
	verdict := "better"
	if *m.Ratio < 1 {
		verdict = "worse"
	}
	text := fmt.Sprintf(
		"In one figure %s is %s times %s, %s (above 1 is better): the geometric mean over %d measures",
		edition,
		numerals.Value(m.Ratio),
		baseline,
		verdict,
		m.Over,
	)
	if numerals.Value(m.Ratio) == "1.00" {
		text = fmt.Sprintf("In one figure %s equals %s: the geometric mean over %d measures", edition, baseline, m.Over)
	}
	if m.Over <= 6 {
		parts := make([]string, len(m.Ratios))
		for i := range m.Ratios {
			parts[i] = ratioOn(&m.Ratios[i])
		}
		text += ": " + list(parts)
	}
	if m.Carries != nil && m.Over > 1 {
		text += fmt.Sprintf(
			". %s accounts for most of it, %s of all change", ratioOn(m.Carries), numerals.Share(m.CarriedShare),
		)
	}
	return text + "."
}

func ratioOn(r *comparing.RatioOn) string {
	text := r.Criterion
	if r.Rig != "" {
		text += " on " + r.Rig
	}
	return text + " " + numerals.Value(&r.Ratio)
}

// against describes the baseline of differences.
func against(baseline string, names func(string) string) string {
	switch baseline {
	case "previous":
		return "the release before"
	case "based-on":
		return "the release it is based on"
	case "record", "":
		return "the record"
	}
	return names(baseline)
}
