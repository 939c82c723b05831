package report

import (
	"fmt"
	"strings"

	"dappertally/core/comparing"
	"dappertally/core/reading"
	"dappertally/internal/numerals"
	"dappertally/internal/results"
)

// headToHead fills in how many criteria each edition wins against each other, and what depends on the machine.
func (l *layout) headToHead(s *Section) {
	s.Data = results.HeadToHead(l.Match.Pairs)
	if len(l.Match.Pairs) == 0 {
		s.note("A comparison needs two editions.")
		return
	}
	s.note(
		"For each pair: in how many criteria the row's edition is better than the column's, and in " +
			"how many it is worse; the rest are ties or too close to call.",
	)
	order := l.inOrder()
	counts := map[[2]string]comparing.Pair{}
	for _, p := range l.Match.Pairs {
		counts[[2]string{p.A, p.B}] = p
		counts[[2]string{p.B, p.A}] = comparing.Pair{Wins: p.Losses, Losses: p.Wins, Ties: p.Ties}
	}
	t := &Table{Caption: "Head to head", Columns: []Column{{Title: "Edition", Left: true}}, Repeats: 1}
	for _, e := range order {
		t.Columns = append(t.Columns, Column{Title: l.Name(e)})
	}
	for _, a := range order {
		row := Row{Cells: []Cell{l.editionCell(a)}}
		for _, b := range order {
			if a == b {
				row.Cells = append(row.Cells, cell(""))
				continue
			}
			p := counts[[2]string{a, b}]
			row.Cells = append(
				row.Cells,
				Cell{
					Text:   fmt.Sprintf("%d : %d", p.Wins, p.Losses),
					Small:  numerals.Count(p.Ties, "tie"),
					Strong: p.Wins > p.Losses,
				},
			)
		}
		t.Rows = append(t.Rows, row)
	}
	s.add(Block{Table: t})
	if len(l.Match.DependsOnMachine) == 0 {
		return
	}
	s.add(
		Block{Heading: "What depends on the machine"},
		Block{Note: "Here two editions change their order between rigs, and on none of these rigs is it too " +
			"close to call."},
	)
	var items []Item
	for _, f := range l.Match.DependsOnMachine {
		items = append(
			items,
			Item{
				l.criterion(f.Criterion),
				fmt.Sprintf(
					"%s is better than %s on %s, and worse on %s.",
					l.Name(f.A),
					l.Name(f.B),
					l.rigNames(f.Better),
					l.rigNames(f.Worse),
				),
			},
		)
	}
	s.add(Block{List: items})
}

func (l *layout) rigNames(rigs []string) string {
	named := make([]string, len(rigs))
	for i, r := range rigs {
		named[i] = l.rig(r)
	}
	return strings.Join(named, " and ")
}

// facts fills in what is recorded and never scored, side by side.
func (l *layout) facts(s *Section) {
	var all []results.Fact
	t := &Table{Caption: "Facts side by side", Columns: []Column{{Title: "Fact", Left: true}}, Repeats: 1}
	for i, row := range l.Facts {
		if i == 0 {
			for _, c := range row.Cells {
				t.Columns = append(t.Columns, Column{Title: l.Name(c.Edition), Left: true})
			}
		}
		out := Row{Cells: []Cell{{Text: l.criterion(row.Criterion)}}}
		if !row.Differs {
			out.Cells[0].Small = "the same"
		}
		for _, c := range row.Cells {
			value := factSaid(c.Value)
			shown := Cell{Text: value, Small: factAgainst(&c)}
			out.Cells = append(out.Cells, shown)
			all = append(all, results.Fact{Criterion: row.Criterion, Edition: c.Edition, Value: value})
		}
		t.Rows = append(t.Rows, out)
	}
	s.Data = results.Facts(all)
	if len(t.Rows) == 0 {
		s.note("No facts were recorded.")
		return
	}
	s.note("Recorded, never scored. Lists and versions are compared with those of " + l.Name(l.Baseline) + ".")
	s.add(Block{Table: t})
}

func factSaid(f *reading.Fact) string {
	switch {
	case f == nil:
		return "not recorded"
	case f.Sort == reading.FactList:
		return strings.Join(f.List, ", ")
	case f.Sort == reading.FactNumber:
		return formatNumber(&f.Number)
	}
	return f.Text
}

func factAgainst(c *comparing.FactCell) string {
	var says []string
	if c.Order != "" {
		says = append(says, c.Order)
	}
	if len(c.OnlyHere) > 0 {
		says = append(says, "only here: "+strings.Join(c.OnlyHere, ", "))
	}
	if len(c.Lacks) > 0 {
		says = append(says, "lacks: "+strings.Join(c.Lacks, ", "))
	}
	return strings.Join(says, "; ")
}
