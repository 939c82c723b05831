package cli

import (
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"

	"dappertally/internal/tables"
)

// sheet is a table with remarks for people.
type sheet struct {
	heading string // one line above the table
	*tables.Table
	data *tables.Table // for programs, if it differs
	note string        // below the table
	main bool          // the default table for programs
}

// sheetOf starts a sheet of a defined table.
func sheetOf(d *tables.Definition, each ...tables.Column) *sheet {
	return &sheet{Table: d.Table(each...)}
}

// forPrograms returns the table for programs.
func (t *sheet) forPrograms() *tables.Table {
	if t.data != nil {
		return t.data
	}
	return t.Table
}

// without removes columns from the table for people, by their titles.
func (t *sheet) without(titles ...string) {
	for i := range t.Columns {
		if slices.Contains(titles, t.Columns[i].Title) {
			t.Columns[i].Hidden = true
		}
	}
}

// laid is a table laid out for people.
type laid struct {
	titles []string
	right  []bool
	yields []int
	rows   [][]string
}

func lay(t *tables.Table) *laid {
	l := &laid{rows: make([][]string, len(t.Rows))}
	for i := range t.Columns {
		c := &t.Columns[i]
		if c.Hidden || (c.Title == "" && c.Key != "") {
			continue
		}
		l.titles = append(l.titles, c.Title)
		l.right = append(l.right, c.Numeric())
		l.yields = append(l.yields, c.GivesWay)
		for r, row := range t.Rows {
			l.rows[r] = append(l.rows[r], c.Shown(row[i]))
		}
	}
	return l
}

// narrow removes optional columns, from the right, until the rest fits into width; it returns the removed ones. 0
// means no limit.
func (t *laid) narrow(width int) []string {
	var out []string
	for width > 0 && t.least() > width {
		i := t.spare()
		if i < 0 {
			break
		}
		out = append(out, t.titles[i])
		t.titles = slices.Delete(t.titles, i, i+1)
		t.right = slices.Delete(t.right, i, i+1)
		t.yields = slices.Delete(t.yields, i, i+1)
		for r := range t.rows {
			t.rows[r] = slices.Delete(t.rows[r], i, i+1)
		}
	}
	slices.Reverse(out)
	return out
}

// spare returns the next column to remove; -1 if there is none.
func (t *laid) spare() int {
	for _, turn := range []int{2, 1} {
		for i := len(t.titles) - 1; i >= 0; i-- {
			if t.yields[i] == turn {
				return i
			}
		}
	}
	return -1
}

const (
	columnGap   = 2
	leastColumn = 14 // width to which a column of text can be reduced, if no word is longer
	longestWord = 24 // a longer word is broken
)

// least returns to how few characters a row can be reduced.
func (t *laid) least() int {
	sum := 0
	for i, n := range t.needs() {
		if !t.right[i] {
			n = min(n, t.narrowest(i))
		}
		sum += n + columnGap
	}
	return sum - columnGap
}

// narrowest returns how narrow a column of text can become.
func (t *laid) narrowest(column int) int {
	longest := leastColumn
	for _, row := range append([][]string{t.titles}, t.rows...) {
		for _, word := range strings.Fields(row[column]) {
			longest = max(longest, text.StringWidthWithoutEscSequences(word))
		}
	}
	return min(longest, longestWord)
}

// needs returns the widest cell of each column.
func (t *laid) needs() []int {
	need := make([]int, len(t.titles))
	for _, row := range append([][]string{t.titles}, t.rows...) {
		for i, cell := range row {
			need[i] = max(need[i], text.LongestLineLen(cell))
		}
	}
	return need
}

func (t *sheet) render(w io.Writer) {
	width := widthOf(w)
	prose(w, t.heading, width)
	if len(t.Rows) == 0 && t.note != "" {
		prose(w, t.note, width)
		return
	}
	shown := lay(t.Table)
	left := shown.narrow(width)
	for i, panel := range shown.panels(width) {
		if i > 0 {
			fmt.Fprintln(w)
		}
		panel.draw(w, width)
	}
	prose(w, t.note, width)
	if len(left) > 0 {
		prose(w, fmt.Sprintf("Hidden at this width: %s.", list(left)), width)
	}
}

// panels splits a sheet that is too wide into several, one below the other, each with the first column. A sheet that
// fits is its only panel.
func (t *laid) panels(width int) []*laid {
	if width <= 0 || t.least() <= width || len(t.titles) < 3 {
		return []*laid{t}
	}
	var panels []*laid
	for from := 1; from < len(t.titles); {
		to := from + 1
		for to < len(t.titles) && t.some(from, to+1).least() <= width {
			to++
		}
		panels = append(panels, t.some(from, to))
		from = to
	}
	return panels
}

// some returns the sheet with its first column and a range of others.
func (t *laid) some(from, to int) *laid {
	part := &laid{
		titles: append(t.titles[:1:1], t.titles[from:to]...),
		right:  append(t.right[:1:1], t.right[from:to]...),
		yields: append(t.yields[:1:1], t.yields[from:to]...),
	}
	for _, row := range t.rows {
		part.rows = append(part.rows, append(row[:1:1], row[from:to]...))
	}
	return part
}

// draw writes the table itself.
func (t *laid) draw(w io.Writer, width int) {
	tw := table.NewWriter()
	tw.SetStyle(table.Style{
		Name:    "ledger",
		Box:     table.BoxStyle{PaddingRight: "  ", MiddleHorizontal: "─", Left: "", Right: ""},
		Format:  table.FormatOptions{Header: text.FormatDefault},
		Options: table.Options{SeparateHeader: true},
	})
	head := table.Row{}
	var configs []table.ColumnConfig
	for i, c := range t.titles {
		head = append(head, c)
		if t.right[i] {
			configs = append(
				configs, table.ColumnConfig{Number: i + 1, Align: text.AlignRight, AlignHeader: text.AlignRight},
			)
		}
	}
	for i, most := range t.widths(width) {
		if most > 0 {
			configs = slices.DeleteFunc(configs, func(c table.ColumnConfig) bool { return c.Number == i+1 })
			configs = append(
				configs, table.ColumnConfig{Number: i + 1, WidthMax: most, WidthMaxEnforcer: text.WrapSoft},
			)
		}
	}
	tw.SetColumnConfigs(configs)
	tw.AppendHeader(head)
	for _, r := range t.rows {
		row := table.Row{}
		for _, cell := range r {
			row = append(row, cell)
		}
		tw.AppendRow(row)
	}
	for line := range strings.Lines(tw.Render()) {
		line = strings.TrimRight(line, " \n")
		if rule := strings.TrimRight(line, "─"); rule == "" { // it also runs below the last gap
			line = strings.TrimSuffix(line, strings.Repeat("─", columnGap))
		}
		fmt.Fprintln(w, line)
	}
}

// widths limits the widest columns of text so that a row fits into width. Numbers are never broken. 0 means no limit.
func (t *laid) widths(width int) []int {
	need := t.needs()
	bounds := make([]int, len(need))
	over := columnGap*(len(need)-1) - width
	narrowest := make([]int, len(need))
	for i, n := range need {
		over += n
		narrowest[i] = t.narrowest(i)
	}
	for width > 0 && over > 0 {
		widest := -1
		for i, n := range need {
			if !t.right[i] && n > narrowest[i] && (widest < 0 || n > need[widest]) {
				widest = i
			}
		}
		if widest < 0 {
			break
		}
		need[widest]--
		bounds[widest] = need[widest]
		over--
	}
	return bounds
}
