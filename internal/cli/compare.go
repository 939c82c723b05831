package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/core/scoring"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
)

func (s *session) compareCommand() *cobra.Command {
	var v view
	var baseline string
	var differences, close bool
	cmd := &cobra.Command{
		Use:   "compare EDITION EDITION…",
		Short: "Compare two to twelve editions",
		Long: "Compare editions, named distribution/release/edition, section by section and measure by measure. Differences are taken against the baseline: the first edition, or what --baseline names: " +
			"an edition, previous (each one's release before), based-on (the release it is based on), leader (of the ranking) or record. They are told as better or worse; what was not measured in the same way is not compared, and the table says why.",
		Example: "  dtally compare gullhaven/5.2/hearthside bramblewick/7.0/hearthside\n  dtally compare gullhaven/5.2/hearthside kestrelby/3.1/pebbledash --baseline previous --only-differences --audience pensioner",
		Args:    args(leastCompared, mostCompared),
		RunE: func(cmd *cobra.Command, a []string) error {
			if differences && close {
				return wrongUsage("--only-differences and --only-close leave nothing between them; choose one")
			}
			c, err := s.connect()
			if err != nil {
				return err
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
				slices.Clone(r.Value.Rows),
				func(r comparing.Row) bool { return !keep(r.Verdict) },
			)
			if s.output == "csv" {
				return s.print(cmd, r.Value, rowsData(rows, &list.Value, called(r.Value.Names)))
			}
			sheets := []*sheet{scoresSheet(&r.Value), criteriaSheet(&r.Value, &list.Value, differences, close)}
			if s.forPeople(cmd) {
				sheets = append(sheets, measuresSheets(&r.Value, rows, &list.Value)...)
			} else {
				sheets = append(sheets, rowsData(rows, &list.Value, called(r.Value.Names)))
			}
			if !close {
				sheets = append(sheets, factsSheet(&r.Value, differences))
			}
			sheets = append(sheets, matchSheet(&r.Value.HeadToHead, called(r.Value.Names)))
			for _, t := range []*sheet{findingsSheet(&r.Value), treatedSheet(r.Value.Systems, called(r.Value.Names))} {
				if len(t.rows) > 0 {
					sheets = append(sheets, t)
				}
			}
			return s.print(cmd, r.Value, sheets...)
		},
	}
	v.allFlags(cmd)
	f := cmd.Flags()
	for _, g := range groups[:len(groups)-2] {
		f.Lookup(g.name).Hidden = true // the editions are named
	}
	f.StringVar(
		&baseline,
		"baseline",
		"",
		"what differences are taken against: an edition, previous, based-on, leader or record",
	)
	f.BoolVar(&differences, "only-differences", false, "leave out what is too close to call")
	f.BoolVar(&close, "only-close", false, "leave out all but what is too close to call")
	return cmd
}

// What may be compared at once.
const (
	leastCompared = 2
	mostCompared  = 12
)

// called gives the name of an edition by its key, the key where it has none.
func called(names map[string]contract.EditionName) func(string) string {
	return func(key string) string {
		if n, ok := names[key]; ok {
			return name(n)
		}
		return key
	}
}

// criteriaSheet is the points of every criterion, the winner marked, with how each
// stands to its baseline.
func criteriaSheet(c *contract.Comparison, list *checklist.Checklist, differences, close bool) *sheet {
	t := &sheet{
		columns: []string{"Criterion"},
		heading: "Points by criterion, section by section · * most points · + better, - worse, ≈ too close, × not comparable · ~ rests on estimated rigs",
	}
	for i := range c.Editions {
		t.columns = append(t.columns, ">"+short(c.Editions[i].Name))
	}
	rows := map[string]comparing.CriterionRow{}
	for _, r := range c.Criteria {
		rows[r.Criterion] = r
	}
	for i := range list.Sections {
		s := &list.Sections[i]
		head := []string{strings.ToUpper(title(s.Title, s.Key))}
		for e := range c.Editions {
			head = append(head, numerals.Score(c.Editions[e].Scorecard.Sections[i].Score))
		}
		t.add(head...)
		for j := range s.Criteria {
			r, ok := rows[s.Criteria[j].Key]
			if !ok || (differences && !r.Differs) || (close && !r.Close) {
				continue
			}
			row := []string{"  " + r.Criterion}
			for _, cell := range r.Cells {
				row = append(row, standing(&cell, slices.Contains(r.Winners, cell.Edition)))
				t.note += cellNotes(&cell, &s.Criteria[j], called(c.Names))
			}
			t.add(row...)
		}
	}
	if len(c.Placings) > 0 && !close {
		t.add(append([]string{"SIDE BY SIDE"}, make([]string, len(c.Editions))...)...)
	}
	for n, p := range c.Placings {
		if close {
			break
		}
		label := fmt.Sprintf("placing %d", n+1)
		t.note += fmt.Sprintf("%s: %s\n", label, p.Question)
		row := []string{"  " + label}
		for i := range c.Editions {
			row = append(row, placeIn(&p, c.Editions[i].Scorecard.Edition)+"  ")
		}
		t.add(row...)
	}
	t.note = strings.TrimSuffix(t.note, "\n")
	return t
}

// placeIn is an edition's place in a side-by-side test, such as 1st or =2nd.
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

// cellNotes says, a line each, which rigs the points of a cell rest on unmeasured, and
// where points and shared rigs disagree.
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

func standing(c *comparing.CriterionCell, wins bool) string {
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

// short is an edition's name in as few letters as tell it apart in a heading.
func short(n contract.EditionName) string {
	return n.Distribution + "\n" + n.Release + "\n" + n.Edition
}

// factsSheet is the facts side by side, each against the first edition.
func factsSheet(c *contract.Comparison, differences bool) *sheet {
	t := &sheet{columns: []string{"Fact", "Edition", "Has", "Against the first"}, heading: "Facts"}
	names := called(c.Names)
	for _, r := range c.FactRows {
		if differences && !r.Differs {
			continue
		}
		for i, cell := range r.Cells {
			fact := ""
			if i == 0 {
				fact = r.Criterion
			}
			t.add(fact, names(cell.Edition), factValue(&cell), factRemark(&cell))
		}
	}
	return t
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
		out = append(out, fmt.Sprintf("%d versions, %d days behind %s on the day", b.Versions, b.Days, b.Newest))
	} else if b != nil {
		out = append(out, "the newest known on the day")
	}
	return strings.Join(out, "; ")
}

// matchSheet counts who wins against whom.
func matchSheet(h *comparing.HeadToHead, names func(string) string) *sheet {
	t := &sheet{
		columns: []string{"Edition", "Against", ">Wins", ">Losses", ">Ties", ">Split by rig"},
		heading: "Head-to-head, criterion by criterion",
	}
	for _, p := range h.Pairs {
		t.add(
			names(p.A),
			names(p.B),
			fmt.Sprint(p.Wins),
			fmt.Sprint(p.Losses),
			fmt.Sprint(p.Ties-p.Splits),
			fmt.Sprint(p.Splits),
		)
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

// findingsSheet is the findings side by side.
func findingsSheet(c *contract.Comparison) *sheet {
	t := &sheet{columns: []string{"Edition", "Finding", "Sort", "How bad", "Workaround"}, heading: "Findings"}
	for i := range c.Editions {
		for _, f := range c.Editions[i].Findings {
			t.add(name(c.Editions[i].Name), f.Title, f.Sort, f.Severity, f.Workaround)
		}
	}
	return t
}

// rowsSheet is measures against a baseline, each with its unit and direction.
func rowsSheet(rows []comparing.Row, list *checklist.Checklist, names func(string) string) *sheet {
	edition := "~~Edition" // which all rows share
	if slices.ContainsFunc(rows, func(r comparing.Row) bool { return r.Edition != rows[0].Edition }) {
		edition = "Edition"
	}
	t := &sheet{
		columns: []string{
			edition,
			"Measure",
			"Rig",
			">Baseline",
			">Value",
			"~Unit",
			"Better",
			"~>Difference",
			">Change",
			"Verdict",
		},
	}
	for _, r := range rows {
		c, _ := list.Criterion(r.Criterion)
		verdict, difference, percent := string(r.Verdict), signed(r.Difference), numerals.Change(r.Percent)
		switch {
		case r.Verdict == comparing.NotComparable:
			verdict += ": " + r.Reason
		case r.Verdict == comparing.TooClose && r.Difference != nil && *r.Difference == 0:
			verdict, difference, percent = "equal", "=", "="
		case r.Verdict == comparing.TooClose && r.Percent != nil: // no figure of its own for what may be noise
			verdict, difference, percent = fmt.Sprintf("too close (%s)", percent), "≈", "≈"
		}
		t.add(
			names(r.Edition),
			r.Criterion,
			r.Rig,
			numerals.Value(r.BaselineValue),
			numerals.Value(r.Value),
			c.Unit,
			c.Better,
			difference,
			percent,
			verdict,
		)
	}
	return t
}

// rowsData is rowsSheet for programs, each row with what it is held against.
func rowsData(rows []comparing.Row, list *checklist.Checklist, names func(string) string) *sheet {
	t := rowsSheet(rows, list, names)
	t.columns = append(t.columns, "Against")
	for i := range rows {
		t.rows[i] = append(t.rows[i], against(rows[i].Baseline, names))
	}
	return t
}

// treatedSheet tells whose systems were treated otherwise than the baseline's.
func treatedSheet(systems []comparing.Treated, names func(string) string) *sheet {
	t := &sheet{
		columns: []string{"Edition", "Only here", "Only at the baseline"},
		heading: "The systems were not treated alike",
	}
	for _, x := range systems {
		if len(x.OnlyHere)+len(x.OnlyBaseline) > 0 {
			t.add(names(x.Edition), list(x.OnlyHere), list(x.OnlyBaseline))
		}
	}
	return t
}

func scoresSheet(c *contract.Comparison) *sheet {
	t := &sheet{columns: []string{"Edition", ">Rank", ">Score"}, heading: "Scores" + viewed(&c.Heading)}
	for _, sec := range c.Heading.Sections {
		t.columns = append(t.columns, "~>"+sec.Title)
	}
	t.columns = append(t.columns, ">Coverage")
	for _, e := range c.Editions {
		rank := "–"
		if e.Rank > 0 {
			rank = fmt.Sprint(e.Rank)
		}
		row := []string{name(e.Name), rank, numerals.Score(e.Scorecard.Overall)}
		for _, sec := range e.Scorecard.Sections {
			row = append(row, numerals.Score(sec.Score))
		}
		t.add(append(row, numerals.Share(e.Scorecard.Coverage))...)
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

// measuresSheets is the measures edition by edition.
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

// inOneFigure says what the geometric mean of the measures is, over what, and which of
// them carries most of it.
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
			". %s carries most of it, %s of all movement",
			ratioOn(m.Carries),
			numerals.Share(m.CarriedShare),
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

// against says in words what differences are taken against.
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
