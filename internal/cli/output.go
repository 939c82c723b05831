package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v3"
	"golang.org/x/term"

	"dappertally/internal/tables"
)

// outputs lists the output formats.
var outputs = []string{"json", "csv", "table", "yaml"}

func known(output string) bool { return output == "" || slices.Contains(outputs, output) }

// print writes value as JSON or YAML, or the sheets as a table or CSV, as the call asks.
func (s *session) print(cmd *cobra.Command, value any, sheets ...*sheet) error {
	w := cmd.OutOrStdout()
	switch {
	case s.output == "json":
		e := json.NewEncoder(w)
		e.SetIndent("", "  ")
		e.SetEscapeHTML(false)
		return e.Encode(value)
	case s.output == "yaml":
		return printYAML(w, value)
	case s.forPeople(cmd):
		for i, t := range sheets {
			if i > 0 {
				fmt.Fprintln(w)
			}
			t.render(shown(w))
		}
		return nil
	}
	t, others, err := s.chosen(sheets)
	if err != nil {
		return err
	}
	aside(shown(cmd.ErrOrStderr()), sheets, others)
	if s.output == "csv" {
		return tables.WriteCSV(w, t) // not by its form: the client leaves out what XLSX needs
	}
	return tables.WriteTSV(w, t)
}

// chosen returns the table for programs: one per call, so that every row has the same columns. It is the main one or
// the first, or the one of --table; others lists the rest.
func (s *session) chosen(sheets []*sheet) (chosen *tables.Table, others []string, err error) {
	byName := map[string]*tables.Table{}
	var names []string
	want := s.table
	for _, one := range sheets {
		t := one.forPrograms()
		if len(t.Keys()) == 0 {
			continue
		}
		if before := byName[t.Name]; before != nil { // people read all of them
			if before != t {
				byName[t.Name] = &tables.Table{
					Name:    t.Name,
					Columns: t.Columns,
					Rows:    slices.Concat(before.Rows, t.Rows),
				}
			}
			continue
		}
		byName[t.Name] = t
		names = append(names, t.Name)
		if one.main && want == "" {
			want = t.Name
		}
	}
	if want == "" && len(names) > 0 {
		want = names[0]
	}
	if byName[want] == nil {
		return nil, nil, wrongUsage("this result has no table %q; it has %s", want, list(names))
	}
	return byName[want], slices.DeleteFunc(names, func(n string) bool { return n == want }), nil
}

// aside writes the remarks of the sheets, if the data go into a pipe.
func aside(w io.Writer, sheets []*sheet, others []string) {
	width := widthOf(w)
	for _, t := range sheets {
		prose(w, t.heading, width)
		prose(w, t.note, width)
	}
	if len(others) > 0 {
		prose(w, fmt.Sprintf("Other tables of this result, for --table: %s.", list(others)), width)
	}
}

// forPeople reports whether the output is for people, not for programs.
func (s *session) forPeople(cmd *cobra.Command) bool {
	return s.output == "table" || (s.output == "" && isTerminal(cmd.OutOrStdout()))
}

func isTerminal(w io.Writer) bool {
	_, is := terminal(w)
	return is
}

// printYAML converts by way of JSON, so that both formats have the same names.
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

// plain removes JSON's braces and quotes from a document for YAML.
func plain(n *yaml.Node) {
	n.Style &^= yaml.FlowStyle | yaml.DoubleQuotedStyle
	for _, c := range n.Content {
		plain(c)
	}
}

// prose writes text, wrapped between words at width.
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

// widthOf returns the length of a line in characters: that of the terminal, or COLUMNS; 0 if neither is known.
func widthOf(w io.Writer) int {
	if fd, is := terminal(w); is {
		if width, _, err := term.GetSize(fd); err == nil {
			return width
		}
	}
	width, _ := strconv.Atoi(os.Getenv("COLUMNS"))
	return max(width, 0)
}

func list(items []string) string { return strings.Join(items, ", ") }
