package report

import (
	"fmt"
	"math"
	"strings"

	"dappertally/core/comparing"
	"dappertally/core/reading"
	"dappertally/core/reporting"
	"dappertally/internal/numerals"
	"dappertally/internal/results"
)

// releases fills in what changed in each edition since the release before it.
func (l *layout) releases(s *Section) {
	s.Data = results.Developments(nil)
	if len(l.Lines) == 0 {
		s.note("No earlier release of these edition lines was reviewed.")
		return
	}
	s.add(Block{Figure: l.linesFigure()})
	var all []results.Development
	for i := range l.Lines {
		x := &l.Lines[i].Succession
		s.add(Block{Heading: l.Name(x.Newer.Edition) + " after " + l.Name(x.Older.Edition)})
		s.note(l.onGround(x))
		s.add(Block{List: l.developments(x)})
		for j := range x.Criteria {
			all = append(all, results.Development{Edition: x.Newer.Edition, Developed: &x.Criteria[j]})
		}
	}
	s.Data = results.Developments(all)
}

// onGround describes how the scores of two releases compare.
func (l *layout) onGround(x *comparing.Succession) string {
	if x.Older.Ground == nil || x.Newer.Ground == nil {
		return "There is no score on common ground."
	}
	on := "Both were reviewed on the same checklist"
	if x.Ground != nil {
		on = fmt.Sprintf("On the %d criteria that both checklists ask and score the same way", len(x.Ground))
	}
	return fmt.Sprintf("%s: %s after %s.", on, oneDecimal(x.Newer.Ground), oneDecimal(x.Older.Ground))
}

func (l *layout) developments(x *comparing.Succession) []Item {
	var items []Item
	add := func(what string, of []string) {
		if len(of) > 0 {
			items = append(items, Item{what, sentence(strings.Join(of, "; "))})
		}
	}
	by := map[comparing.Development][]string{}
	for _, d := range x.Criteria {
		says := l.criterion(d.Criterion)
		if d.Development == comparing.FactChanged {
			continue
		}
		if x := furthest(&d); x != nil {
			says += " (" + percent(x.Percent) + l.onRig(x.Rig) + ")"
		}
		by[d.Development] = append(by[d.Development], says)
	}
	add("Better", by[comparing.Improved])
	add("Worse", by[comparing.Worsened])
	add("Depends on the machine", by[comparing.SplitByRig])
	if n := x.Counts[string(comparing.Same)]; n > 0 {
		items = append(items, Item{"The same", numerals.Plural(n, "criterion", "criteria") + " the same or too close to call."})
	}
	add("Newly answered", by[comparing.Newly])
	add("No longer answered", by[comparing.NoLonger])
	add("Fixed", titlesOf(x.Findings.Fixed))
	add("Still present", titlesOf(x.Findings.StillThere))
	add("New", titlesOf(x.Findings.New))
	add("Not checked yet", titlesOf(x.Findings.Open))
	var changes []string
	for _, c := range x.Changes {
		says := c.Component
		switch {
		case c.Removal:
			says += " was removed"
		case c.Was != "" && c.Is != "":
			says += ": " + c.Was + " became " + c.Is
		case c.Is != "":
			says += ": " + c.Is + " is new"
		}
		if c.Source == "found" {
			says += " (not announced)"
		}
		changes = append(changes, says)
	}
	add("Changed", changes)
	return items
}

// furthest returns the rig on which a measure changed most among those that made it better or worse; nil if no change
// can be given in percent.
func furthest(d *comparing.Developed) *comparing.Row {
	way := map[comparing.Development]comparing.Verdict{comparing.Improved: comparing.Better, comparing.Worsened: comparing.Worse}[d.Development]
	var most *comparing.Row
	for i := range d.Rows {
		if x := &d.Rows[i]; x.Verdict == way && x.Percent != nil &&
			(most == nil || math.Abs(*x.Percent) > math.Abs(*most.Percent)) {
			most = x
		}
	}
	return most
}

func titlesOf(findings []reading.Finding) []string {
	var titles []string
	for _, f := range findings {
		titles = append(titles, f.Title)
	}
	return titles
}

// advice fills in the advice for users of the release before.
func (l *layout) advice(s *Section) {
	data := s.data(upgrades)
	t := &Table{
		Caption: "Upgrade advice",
		Columns: []Column{
			{Title: "From", Left: true},
			{Title: "To", Left: true},
			{Title: "Advice", Left: true},
			{Title: "Why", Left: true},
		},
	}
	for i := range l.Lines {
		x := &l.Lines[i].Succession
		row := Row{Cells: []Cell{l.editionCell(x.Older.Edition), l.editionCell(x.Newer.Edition)}}
		reasons := strings.Join(x.Advice.Reasons, "; ")
		if x.Given != nil {
			row.Cells = append(
				row.Cells,
				Cell{Text: x.Given.Advice, Strong: true},
				Cell{Text: sentence(x.Given.Reason), Small: "the rules suggest " + x.Advice.Advice},
			)
			data.Add(x.Newer.Edition, x.Older.Edition, x.Given.Advice, true, x.Given.Reason)
		} else {
			row.Cells = append(row.Cells, Cell{Text: x.Advice.Advice, Strong: true, Small: "suggested by the rules"}, Cell{Text: sentence(reasons)})
			data.Add(x.Newer.Edition, x.Older.Edition, x.Advice.Advice, false, reasons)
		}
		t.Rows = append(t.Rows, row)
	}
	if len(t.Rows) == 0 {
		s.note("No earlier release of these edition lines was reviewed, so there is nothing to upgrade from.")
		return
	}
	s.add(Block{Table: t})
}

// weightsTable shows the weights of the sections for each audience of the report.
func (l *layout) weightsTable() *Table {
	t := &Table{Caption: "Weights of the sections", Columns: []Column{{Title: "Section", Left: true}}}
	for i := range l.Views {
		t.Columns = append(t.Columns, Column{Title: "For " + said(l.Views[i].Audience)})
	}
	for n := range l.List.Sections {
		sec := &l.List.Sections[n]
		row := Row{Cells: []Cell{cell(titled(sec.Title, sec.Key))}}
		for i := range l.Views {
			row.Cells = append(row.Cells, cell(sectionShare(&l.Views[i], n)))
		}
		t.Rows = append(t.Rows, row)
	}
	return t
}

func sectionShare(v *reporting.View, section int) string {
	return oneDecimalOf(100*v.Cards[0].Sections[section].Share) + " %"
}
