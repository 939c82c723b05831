package report

import (
	"fmt"
	"strings"

	"dappertally/core/ranking"
	"dappertally/core/reporting"
	"dappertally/internal/results"
)

// sureness fills in how often the order holds when weights are varied, and how far a weight must change before
// another edition leads.
func (l *layout) sureness(s *Section) {
	s.Data = results.Steadiness("", nil)
	l.eachView(s, func(v *reporting.View) {
		if len(v.Ranking.Ranking) == 0 {
			s.note("No edition is ranked.")
			return
		}
		st := &v.Steadiness
		s.note(
			fmt.Sprintf(
				"The weights were varied at random %s times around those of the checklist, so that somewhat "+
					"different priorities are covered too. The bars show in which share of these rankings an "+
					"edition took which rank.",
				thousands(st.Draws),
			),
		)
		s.add(Block{Figure: l.steadinessFigure(v)}, Block{Table: l.steadinessTable(v)})
		l.tipping(s, v)
	})
}

func (l *layout) steadinessTable(v *reporting.View) *Table {
	t := &Table{
		Caption: "How often each edition is first",
		Columns: []Column{
			{Title: "Edition", Left: true},
			{Title: "Rank"},
			{Title: "First in"},
			{Title: "Ranks", Small: "in nine of ten"},
			{Title: "Ahead of the next in"},
			{Title: "Possible range"},
		},
	}
	at := map[string]int{}
	for i, e := range v.Steadiness.Editions {
		at[e.Edition] = i
	}
	for n, p := range v.Ranking.Ranking {
		e := &v.Steadiness.Editions[at[p.Edition]]
		c := v.Card(p.Edition)
		next := cell("")
		if n+1 < len(v.Ranking.Ranking) && v.Steadiness.Beats != nil {
			next = cell(share(*v.Steadiness.Beats[at[p.Edition]][at[v.Ranking.Ranking[n+1].Edition]]))
		}
		ranks := fmt.Sprintf("%d–%d", e.Low, e.High)
		if e.Low == e.High {
			ranks = fmt.Sprint(e.Low)
		}
		t.Rows = append(
			t.Rows,
			Row{
				Cells: []Cell{
					l.editionCell(p.Edition),
					{Text: fmt.Sprint(p.Rank), Strong: true},
					cell(share(e.First)),
					cell(ranks),
					next,
					cell(between(c.Low, c.High)),
				},
			},
		)
	}
	return t
}

// tipping lists the weights that change the lead.
func (l *layout) tipping(s *Section, v *reporting.View) {
	results.AddSteadiness(s.Data, v.Audience.Key, v.Steadiness.Sparse().Editions)
	if v.Tipping == nil {
		s.note("The checklist balances its sections in a way that has no tipping points.")
		return
	}
	if len(v.Tipping.Sections) == 0 {
		return
	}
	t := &Table{
		Caption: "Section weights at which another edition leads",
		Columns: []Column{
			{Title: "Section", Left: true},
			{Title: "Weight now"},
			{Title: "Below", Left: true},
			{Title: "Above", Left: true},
		},
	}
	turns := false
	for _, p := range v.Tipping.Sections {
		turns = turns || p.Up != nil || p.Down != nil
		t.Rows = append(
			t.Rows,
			Row{
				Cells: []Cell{
					cell(l.sectionTitle(p.Key)),
					cell(share(p.Share)),
					cell(l.tip(p.Down)),
					cell(l.tip(p.Up)),
				},
			},
		)
	}
	if !turns {
		s.note(
			fmt.Sprintf(
				"No weight of a single section, however small or large, changes the leader %s.",
				l.Name(v.Tipping.Leader),
			),
		)
		return
	}
	s.note(
		fmt.Sprintf(
			"How far the weight of one section has to change, while the others keep their proportions, "+
				"before another edition than %s has the highest score:",
			l.Name(v.Tipping.Leader),
		),
	)
	s.add(Block{Table: t})
}

func (l *layout) tip(t *ranking.Tip) string {
	if t == nil {
		return "nothing changes"
	}
	return oneDecimalOf(100*t.Share) + " %: " + l.Name(t.Leader)
}

func (l *layout) sectionTitle(key string) string {
	for i := range l.List.Sections {
		if l.List.Sections[i].Key == key {
			return titled(l.List.Sections[i].Title, key)
		}
	}
	return key
}

// thousands formats an integer with thousands separators.
func thousands(n int) string {
	s := fmt.Sprint(n)
	var parts []string
	for len(s) > 3 {
		parts = append([]string{s[len(s)-3:]}, parts...)
		s = s[:len(s)-3]
	}
	return strings.Join(append([]string{s}, parts...), ",")
}
