package cli

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v3"
	"golang.org/x/term"

	"dappertally/internal/formula"
	"dappertally/internal/numerals"
)

// outputs lists the forms in which answers are printed.
var outputs = []string{"json", "csv", "table", "yaml"}

func known(output string) bool { return output == "" || slices.Contains(outputs, output) }

// sheet is an answer as rows and columns.
type sheet struct {
	heading string   // one line for people, above the table
	columns []string // a leading > aligns right; before it, ~ gives way where a terminal is narrow, ~~ before others
	rows    [][]string
	note    string // for people, below
}

func (t *sheet) add(cells ...string) { t.rows = append(t.rows, cells) }

// print writes value as JSON or YAML, or the sheets as a table or CSV, as the
// call asks for.
func (s *session) print(cmd *cobra.Command, value any, sheets ...*sheet) error {
	w := cmd.OutOrStdout()
	switch s.output {
	case "json":
		e := json.NewEncoder(w)
		e.SetIndent("", "  ")
		e.SetEscapeHTML(false)
		return e.Encode(value)
	case "yaml":
		return printYAML(w, value)
	}
	if !s.forPeople(cmd) {
		aside(cmd.ErrOrStderr(), sheets)
	}
	if s.output == "csv" {
		return printCSV(w, sheets)
	}
	for i, t := range sheets {
		if i > 0 {
			fmt.Fprintln(w)
		}
		if s.forPeople(cmd) {
			t.render(w)
		} else {
			t.tabbed(w)
		}
	}
	return nil
}

// aside writes what belongs to the sheets and is no data, where the data go into a pipe.
func aside(w io.Writer, sheets []*sheet) {
	width := widthOf(w)
	for _, t := range sheets {
		prose(w, t.heading, width)
		prose(w, t.note, width)
	}
}

// forPeople reports whether the answer is laid out to be read, not to be taken apart.
func (s *session) forPeople(cmd *cobra.Command) bool {
	return s.output == "table" || (s.output == "" && isTerminal(cmd.OutOrStdout()))
}

func isTerminal(w io.Writer) bool {
	f, ok := w.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

// printYAML goes by way of JSON, so that both say the same in the same names.
func printYAML(w io.Writer, value any) error {
	data, err := json.Marshal(value)
	if err != nil {
		return err
	}
	var v yaml.Node
	if err := yaml.Unmarshal(data, &v); err != nil {
		return err
	}
	plain(&v)
	e := yaml.NewEncoder(w)
	e.SetIndent(2)
	if err := e.Encode(&v); err != nil {
		return err
	}
	return e.Close()
}

// plain takes JSON's braces and quotes off a document that YAML writes anew.
func plain(n *yaml.Node) {
	n.Style &^= yaml.FlowStyle | yaml.DoubleQuotedStyle
	for _, c := range n.Content {
		plain(c)
	}
}

func printCSV(w io.Writer, sheets []*sheet) error {
	out := csv.NewWriter(w)
	for _, t := range sheets {
		if err := out.Write(t.titles()); err != nil {
			return err
		}
		for _, row := range t.rows {
			if err := out.Write(guarded(row)); err != nil {
				return err
			}
		}
	}
	out.Flush()
	return out.Error()
}

// guarded keeps a spreadsheet from taking a text for a formula.
func guarded(row []string) []string {
	out := slices.Clone(row)
	for i, cell := range out {
		if formula.Looks(cell) {
			out[i] = "'" + cell
		}
	}
	return out
}

func (t *sheet) titles() []string {
	out := make([]string, len(t.columns))
	for i, c := range t.columns {
		out[i] = strings.TrimLeft(c, "~>")
	}
	return out
}

// right reports whether a column aligns right.
func (t *sheet) right(i int) bool {
	return strings.HasPrefix(strings.TrimLeft(t.columns[i], "~"), ">")
}

// narrowed leaves out columns that may give way, from the right, until the rest fits
// into width; it names what it left out. 0 is no bound.
func (t *sheet) narrowed(width int) (*sheet, []string) {
	kept := &sheet{heading: t.heading, columns: slices.Clone(t.columns), note: t.note}
	for _, r := range t.rows {
		kept.rows = append(kept.rows, slices.Clone(r))
	}
	var out []string
	for width > 0 && kept.least() > width {
		i := kept.spare()
		if i < 0 {
			break
		}
		out = append(out, kept.titles()[i])
		kept.columns = slices.Delete(kept.columns, i, i+1)
		for r := range kept.rows {
			kept.rows[r] = slices.Delete(kept.rows[r], i, i+1)
		}
	}
	slices.Reverse(out)
	return kept, out
}

// spare is the column that gives way next; -1 where none does.
func (t *sheet) spare() int {
	for _, mark := range []string{"~~", "~"} {
		for i := len(t.columns) - 1; i >= 0; i-- {
			if strings.HasPrefix(t.columns[i], mark) {
				return i
			}
		}
	}
	return -1
}

const (
	columnGap   = 2
	leastColumn = 14 // to which a column of text may be squeezed, where no word is longer
	longestWord = 24 // a word beyond that is broken
)

// least is how few characters a row can be squeezed into.
func (t *sheet) least() int {
	sum := 0
	for i, n := range t.needs() {
		if !t.right(i) {
			n = min(n, t.narrowest(i))
		}
		sum += n + columnGap
	}
	return sum - columnGap
}

// narrowest is how narrow a column of text may become.
func (t *sheet) narrowest(column int) int {
	longest := leastColumn
	for _, row := range append([][]string{t.titles()}, t.rows...) {
		for _, word := range strings.Fields(row[column]) {
			longest = max(longest, text.StringWidthWithoutEscSequences(word))
		}
	}
	return min(longest, longestWord)
}

// needs is the widest cell of each column.
func (t *sheet) needs() []int {
	need := make([]int, len(t.columns))
	for _, row := range append([][]string{t.titles()}, t.rows...) {
		for i, cell := range row {
			need[i] = max(need[i], text.LongestLineLen(cell))
		}
	}
	return need
}

func (t *sheet) render(w io.Writer) {
	width := widthOf(w)
	prose(w, t.heading, width)
	if len(t.rows) == 0 && t.note != "" {
		prose(w, t.note, width)
		return
	}
	t, left := t.narrowed(width)
	for i, panel := range t.panels(width) {
		if i > 0 {
			fmt.Fprintln(w)
		}
		panel.draw(w, width)
	}
	prose(w, t.note, width)
	if len(left) > 0 {
		prose(w, fmt.Sprintf("Left out in this width: %s.", list(left)), width)
	}
}

// panels parts a sheet that is too wide into several, one below the other, each with the
// first column. A sheet that fits is its only panel.
func (t *sheet) panels(width int) []*sheet {
	if width <= 0 || t.least() <= width || len(t.columns) < 3 {
		return []*sheet{t}
	}
	var panels []*sheet
	for from := 1; from < len(t.columns); {
		to := from + 1
		for to < len(t.columns) && t.some(from, to+1).least() <= width {
			to++
		}
		panels = append(panels, t.some(from, to))
		from = to
	}
	return panels
}

// some is the sheet with its first column and those from one up to another.
func (t *sheet) some(from, to int) *sheet {
	part := &sheet{columns: append(t.columns[:1:1], t.columns[from:to]...)}
	for _, row := range t.rows {
		part.rows = append(part.rows, append(row[:1:1], row[from:to]...))
	}
	return part
}

// draw writes the table itself.
func (t *sheet) draw(w io.Writer, width int) {
	tw := table.NewWriter()
	tw.SetStyle(table.Style{
		Name:    "ledger",
		Box:     table.BoxStyle{PaddingRight: "  ", MiddleHorizontal: "─", Left: "", Right: ""},
		Format:  table.FormatOptions{Header: text.FormatDefault},
		Options: table.Options{SeparateHeader: true},
	})
	head := table.Row{}
	var configs []table.ColumnConfig
	for i, c := range t.titles() {
		head = append(head, c)
		if t.right(i) {
			configs = append(
				configs,
				table.ColumnConfig{Number: i + 1, Align: text.AlignRight, AlignHeader: text.AlignRight},
			)
		}
	}
	for i, most := range t.widths(width) {
		if most > 0 {
			configs = slices.DeleteFunc(configs, func(c table.ColumnConfig) bool { return c.Number == i+1 })
			configs = append(
				configs,
				table.ColumnConfig{Number: i + 1, WidthMax: most, WidthMaxEnforcer: text.WrapSoft},
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
		if rule := strings.TrimRight(line, "─"); rule == "" { // it runs below the last gap too
			line = strings.TrimSuffix(line, strings.Repeat("─", columnGap))
		}
		fmt.Fprintln(w, line)
	}
}

// prose writes text, broken between words where a line would not fit into width.
func prose(w io.Writer, s string, width int) {
	if s == "" {
		return
	}
	for line := range strings.Lines(s) {
		line = strings.TrimRight(line, " \n")
		if width > 0 {
			line = text.WrapSoft(line, width)
		}
		for piece := range strings.Lines(line) {
			fmt.Fprintln(w, strings.TrimRight(piece, " \n"))
		}
	}
}

// widthOf is how many characters a line may have: those of the terminal, or what
// COLUMNS says; 0 where neither tells.
func widthOf(w io.Writer) int {
	if f, ok := w.(*os.File); ok {
		if width, _, err := term.GetSize(int(f.Fd())); err == nil {
			return width
		}
	}
	width, _ := strconv.Atoi(os.Getenv("COLUMNS"))
	return max(width, 0)
}

// widths bounds the widest columns of text so that a row fits into width. Numbers
// are never broken. 0 is no bound.
func (t *sheet) widths(width int) []int {
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
			if !t.right(i) && n > narrowest[i] && (widest < 0 || n > need[widest]) {
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

func (t *sheet) tabbed(w io.Writer) {
	clean := strings.NewReplacer("\t", " ", "\n", " ")
	for _, row := range append([][]string{t.titles()}, t.rows...) {
		cells := make([]string, len(row))
		for i, c := range row {
			cells[i] = clean.Replace(c)
		}
		fmt.Fprintln(w, strings.Join(cells, "\t"))
	}
}

func signed(x *float64) string {
	s := numerals.Value(x)
	if x != nil && *x >= 0 {
		s = "+" + s
	}
	return s
}

func list(items []string) string { return strings.Join(items, ", ") }
