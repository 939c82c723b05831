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
	"golang.org/x/term"
	"gopkg.in/yaml.v3"

	"dappertally/internal/formula"
	"dappertally/internal/numerals"
)

func known(output string) bool {
	return slices.Contains([]string{"", "json", "csv", "table", "yaml"}, output)
}

// sheet is an answer as rows and columns.
type sheet struct {
	heading string   // one line for people, above the table
	columns []string // a leading > aligns right
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
	case "csv":
		return printCSV(w, sheets)
	}
	terminal := s.output == "table" || isTerminal(w)
	for i, t := range sheets {
		if i > 0 {
			fmt.Fprintln(w)
		}
		if terminal {
			t.render(w)
		} else {
			t.tabbed(w)
		}
	}
	return nil
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
		out[i] = strings.TrimPrefix(c, ">")
	}
	return out
}

func (t *sheet) render(w io.Writer) {
	if t.heading != "" {
		fmt.Fprintln(w, t.heading)
	}
	if len(t.rows) == 0 && t.note != "" {
		fmt.Fprintln(w, t.note)
		return
	}
	tw := table.NewWriter()
	tw.SetStyle(table.Style{
		Name:    "ledger",
		Box:     table.BoxStyle{PaddingRight: "  ", MiddleHorizontal: "─", Left: "", Right: ""},
		Format:  table.FormatOptions{Header: text.FormatDefault},
		Options: table.Options{SeparateHeader: true},
	})
	head := table.Row{}
	var configs []table.ColumnConfig
	for i, c := range t.columns {
		head = append(head, strings.TrimPrefix(c, ">"))
		if strings.HasPrefix(c, ">") {
			configs = append(configs, table.ColumnConfig{Number: i + 1, Align: text.AlignRight, AlignHeader: text.AlignRight})
		}
	}
	for i, most := range t.widths(widthOf(w)) {
		if most > 0 {
			configs = slices.DeleteFunc(configs, func(c table.ColumnConfig) bool { return c.Number == i+1 })
			configs = append(configs, table.ColumnConfig{Number: i + 1, WidthMax: most, WidthMaxEnforcer: text.WrapSoft})
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
		fmt.Fprintln(w, strings.TrimRight(line, " \n"))
	}
	if t.note != "" {
		fmt.Fprintln(w, t.note)
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
	const gap, least = 2, 14
	need := make([]int, len(t.columns))
	for _, row := range append([][]string{t.titles()}, t.rows...) {
		for i, cell := range row {
			need[i] = max(need[i], text.LongestLineLen(cell))
		}
	}
	bounds := make([]int, len(need))
	over := gap*len(need) - width
	for _, n := range need {
		over += n
	}
	for width > 0 && over > 0 {
		widest := -1
		for i, n := range need {
			if !strings.HasPrefix(t.columns[i], ">") && n > least && (widest < 0 || n > need[widest]) {
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
