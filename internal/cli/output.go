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
		if _, err := strconv.ParseFloat(cell, 64); err != nil && cell != "" && strings.ContainsRune("=+-@\t\r", rune(cell[0])) {
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
