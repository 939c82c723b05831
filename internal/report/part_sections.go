package report

import (
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/core/scoring"
	"dappertally/internal/numerals"
	"dappertally/internal/results"
)

// bySection fills in the points of every criterion, section by section.
func (l *layout) bySection(s *Section) {
	v := l.main()
	s.Data = results.Points(v.Cards, l.List, v.Audience)
	order := l.inOrder()
	s.note("Points from 0 to 100, weighted for "+said(v.Audience)+".", "◆ marks the most points in a row.")
	s.add(Block{Figure: l.sectionsFigure(v, order)})
	rows := map[string]*comparing.CriterionRow{}
	for i := range l.Criteria {
		rows[l.Criteria[i].Criterion] = &l.Criteria[i]
	}
	for n := range l.List.Sections {
		sec := &l.List.Sections[n]
		s.add(Block{Heading: titled(sec.Title, sec.Key)})
		t := &Table{
			Caption: "Points in " + titled(sec.Title, sec.Key),
			Columns: []Column{{Title: "Criterion", Left: true}},
			Repeats: 1,
		}
		total := Row{Cells: []Cell{{Text: "The section", Strong: true}}}
		for _, e := range order {
			c := v.Card(e)
			t.Columns = append(t.Columns, Column{Title: l.Name(e)})
			total.Cells = append(total.Cells, Cell{Text: oneDecimal(c.Sections[n].Score), Strong: true})
		}
		t.Rows = append(t.Rows, total)
		for i := range sec.Criteria {
			c := &sec.Criteria[i]
			if !c.Scored() {
				continue
			}
			row := Row{Cells: []Cell{{Text: titled(c.Title, c.Key), Small: string(c.Kind)}}}
			for _, e := range order {
				x := of(v.Card(e), c.Key)
				row.Cells = append(row.Cells, pointsCell(x, rows[c.Key], e))
			}
			t.Rows = append(t.Rows, row)
		}
		s.add(Block{Table: t})
	}
}

func pointsCell(x *scoring.CriterionScore, row *comparing.CriterionRow, edition string) Cell {
	if x.State != scoring.Answered {
		return Cell{Small: stateSaid(x.State)}
	}
	best := row != nil && slices.Contains(row.Winners, edition)
	shown := Cell{Text: oneDecimal(x.Points), Best: best, Strong: best}
	if slices.ContainsFunc(x.Estimates(), func(y scoring.Estimate) bool { return y.Weight > 0 }) {
		shown.Small = "rigs estimated"
	}
	return shown
}

func stateSaid(s scoring.State) string {
	if s == scoring.NotApplicable {
		return "not applicable"
	}
	return "not tested"
}

// measures fills in every measure on every rig compared with the baseline.
func (l *layout) measures(s *Section) {
	s.Data = results.Comparison(l.Comparison.Rows, l.List, nil)
	base := l.Name(l.Baseline)
	s.note(
		"Differences are relative to " + base + ", in percent of its value. Values compare only if they were measured on the same rig, by " +
			"the same method, in the same setup and phase; if runs scatter by more than the difference, " +
			"it is too close to call.",
	)
	if len(l.Comparison.Rows) == 0 {
		s.note("The editions share no measure on the same rig.")
		return
	}
	for _, f := range l.measuresFigures() {
		s.add(Block{Figure: f})
	}
	var others []string
	for _, e := range l.inOrder() {
		if e != l.Baseline {
			others = append(others, e)
		}
	}
	for n := range l.List.Sections {
		sec := &l.List.Sections[n]
		for _, rig := range l.rigsMeasured() {
			t := &Table{
				Caption: titled(sec.Title, sec.Key) + l.onRig(rig),
				Columns: []Column{{Title: "Measure", Left: true}, {Title: base, Small: "baseline"}},
				Repeats: 2,
			}
			for _, e := range others {
				t.Columns = append(t.Columns, Column{Title: l.Name(e)})
			}
			for i := range sec.Criteria {
				if row, ok := l.measureRow(&sec.Criteria[i], rig, others); ok {
					t.Rows = append(t.Rows, row)
				}
			}
			if len(t.Rows) > 0 {
				s.add(Block{Heading: t.Caption}, Block{Table: t})
			}
		}
	}
	var means []Item
	for _, m := range l.Comparison.GeometricMeans {
		if m.Edition != l.Baseline && m.Ratio != nil {
			means = append(
				means,
				Item{
					l.Name(m.Edition),
					formatNumber(m.Ratio) + " times as good as " + base + ", the geometric mean over " + numerals.Plural(
						m.Over, "ratio", "ratios",
					),
				},
			)
		}
	}
	if len(means) > 0 {
		s.add(Block{Heading: "All measures in one figure"}, Block{List: means})
	}
}

// onRig names where something was measured.
func (l *layout) onRig(rig string) string {
	if rig == "" {
		return ", on no specific rig"
	}
	return " on " + l.rig(rig)
}

// rigsMeasured lists the rigs with measurements.
func (l *layout) rigsMeasured() []string {
	var rigs []string
	for _, r := range l.Comparison.Rows {
		if !slices.Contains(rigs, r.Rig) {
			rigs = append(rigs, r.Rig)
		}
	}
	slices.Sort(rigs)
	return rigs
}

func (l *layout) measureRow(c *checklist.Criterion, rig string, others []string) (Row, bool) {
	small := c.Better + " is better"
	if c.Unit != "" {
		small = c.Unit + ", " + small
	}
	row := Row{Cells: []Cell{{Text: titled(c.Title, c.Key), Small: small}, cell("–")}}
	found := false
	for _, e := range others {
		x := l.row(c.Key, rig, e)
		if x == nil {
			row.Cells = append(row.Cells, cell("–"))
			continue
		}
		found = true
		if x.BaselineValue != nil {
			row.Cells[1].Text = formatNumber(x.BaselineValue)
		}
		row.Cells = append(row.Cells, measureCell(x))
	}
	return row, found
}

func (l *layout) row(criterion, rig, edition string) *comparing.Row {
	for i := range l.Comparison.Rows {
		if x := &l.Comparison.Rows[i]; x.Criterion == criterion && x.Rig == rig && x.Edition == edition {
			return x
		}
	}
	return nil
}

func measureCell(x *comparing.Row) Cell {
	c := verdictCell(x)
	if x.Caution != "" {
		c.Small += ", " + x.Caution
	}
	return c
}

func verdictCell(x *comparing.Row) Cell {
	switch {
	case x.Value == nil:
		return Cell{Small: string(x.Verdict) + ": " + x.Reason}
	case x.Verdict == comparing.TooClose && x.Difference != nil && *x.Difference == 0:
		return Cell{Text: formatNumber(x.Value), Small: "equal"}
	case x.Verdict == comparing.TooClose:
		return Cell{Text: formatNumber(x.Value), Small: "too close to call"}
	}
	return Cell{Text: formatNumber(x.Value), Small: percent(x.Percent) + " " + string(x.Verdict)}
}
