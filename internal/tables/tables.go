// Package tables writes and reads rows of named columns in various formats.
package tables

import (
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"dappertally/internal/formula"
)

// NoteHeader is a header with a remark about a table that is not part of its data.
const NoteHeader = "Dtally-Note"

// Table is rows of defined columns.
type Table struct {
	Name    string // what its rows are, in the plural
	Columns []Column
	Rows    [][]any

	// Stream adds the rows one after the other, if they are too many to be held; nil: Rows has them. The cells of a
	// row can be in the memory of the previous one.
	Stream func(add func(cells ...any) error) error
}

// ErrTooMany is a table with more rows than can be written in a format that needs all of them at once.
var ErrTooMany = fmt.Errorf(
	"there are more than %d rows: use CSV, XLSX, JSON or JSON Lines, or filter them", mostHeld)

// mostHeld is how many rows of a stream can be held at once.
const mostHeld = 200_000

// hold reads the rows of a stream into memory.
func (t *Table) hold() error {
	if t.Stream == nil {
		return nil
	}
	err := t.Stream(func(cells ...any) error {
		if len(t.Rows) >= mostHeld {
			return ErrTooMany
		}
		t.Add(slices.Clone(cells)...)
		return nil
	})
	t.Stream = nil
	return err
}

// each calls visit with the rows for programs.
func (t *Table) each(visit func(row []any) error) error {
	visible := make([]any, 0, len(t.Columns))
	row := func(cells []any) error {
		visible = visible[:0]
		for i := range t.Columns {
			if t.Columns[i].Key != "" {
				visible = append(visible, data(cells[i]))
			}
		}
		return visit(visible)
	}
	if t.Stream != nil {
		return t.Stream(func(cells ...any) error {
			for i := range cells {
				cells[i] = plain(cells[i])
			}
			return row(cells)
		})
	}
	for _, cells := range t.Rows {
		if err := row(cells); err != nil {
			return err
		}
	}
	return nil
}

// Add appends a row, with a cell for each column: a string, a number or a pointer to one, a bool, a time, texts, As,
// or nil for nothing.
func (t *Table) Add(cells ...any) {
	for i := range cells {
		cells[i] = plain(cells[i])
	}
	t.Rows = append(t.Rows, cells)
}

// Keys returns the keys of the columns for programs.
func (t *Table) Keys() []string {
	var keys []string
	for i := range t.Columns {
		if t.Columns[i].Key != "" {
			keys = append(keys, t.Columns[i].Key)
		}
	}
	return keys
}

// Data returns the table for programs: keys, and cells that are a string, a float64, an int, a bool, or nil.
func (t *Table) Data() (keys []string, rows [][]any) {
	rows = make([][]any, len(t.Rows))
	for r, row := range t.Rows {
		rows[r] = make([]any, 0, len(row))
		for i := range t.Columns {
			if t.Columns[i].Key != "" {
				rows[r] = append(rows[r], data(row[i]))
			}
		}
	}
	return t.Keys(), rows
}

// Form is a format for writing tables.
type Form struct {
	Name, MediaType, Ending string
	write                   func(io.Writer, *Table) error
	flows                   bool // row by row
}

// Forms lists the formats that Write supports.
var Forms = []Form{
	{"csv", "text/csv; charset=utf-8", ".csv", WriteCSV, true},
	{"json", "application/json", ".json", writeJSON, true},
	{"jsonl", "application/jsonl", ".jsonl", writeLines, true},
	{"yaml", "application/yaml", ".yaml", writeYAML, false},
	{"xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", ".xlsx", writeSheet, true},
	{"md", "text/markdown; charset=utf-8", ".md", writeMarkdown, false},
}

// Find returns a format by its name.
func Find(name string) (Form, bool) {
	i := slices.IndexFunc(Forms, func(f Form) bool { return f.Name == name })
	if i < 0 {
		return Form{}, false
	}
	return Forms[i], true
}

// Write writes a table in this format. A stream of rows is written as it comes if the format allows that.
func (f Form) Write(w io.Writer, t *Table) error {
	if !f.flows {
		if err := t.hold(); err != nil {
			return err
		}
	}
	return f.write(w, t)
}

// text formats a cell for CSV and Markdown.
func text(cell any) string {
	switch c := cell.(type) {
	case nil:
		return ""
	case string:
		return c
	case float64:
		return strconv.FormatFloat(c, 'g', -1, 64)
	}
	return fmt.Sprint(cell)
}

// shown formats a cell for people: three decimals are enough.
func shown(cell any) string {
	if x, ok := cell.(float64); ok {
		return strconv.FormatFloat(math.Round(1000*x)/1000, 'f', -1, 64)
	}
	return text(cell)
}

// guard keeps a spreadsheet from taking a text for a formula; unguard reverses it.
func guard(cell any) string {
	s, ok := cell.(string)
	if !ok {
		return text(cell)
	}
	if formula.Looks(s) || guarded(s) {
		return "'" + s
	}
	return s
}

func guarded(s string) bool {
	rest := strings.TrimLeft(s, "'")
	return rest != s && formula.Begins(rest)
}

func unguard(s string) string {
	if guarded(s) {
		return s[1:]
	}
	return s
}

// WriteCSV writes a table as comma-separated values (RFC 4180), guarded against formulas.
func WriteCSV(w io.Writer, t *Table) error {
	out := csv.NewWriter(w)
	keys := t.Keys()
	if err := out.Write(keys); err != nil {
		return err
	}
	cells := make([]string, len(keys))
	err := t.each(func(row []any) error {
		for i, c := range row {
			cells[i] = guard(c)
		}
		return out.Write(cells)
	})
	out.Flush()
	return errors.Join(err, out.Error())
}

// WriteTSV writes a table as tab-separated text: a tab or a line break inside a cell becomes a space.
func WriteTSV(w io.Writer, t *Table) error {
	keys, rows := t.Data()
	var b strings.Builder
	b.WriteString(strings.Join(keys, "\t") + "\n")
	cells := make([]string, len(keys))
	for _, row := range rows {
		for i, c := range row {
			cells[i] = onOneLine.Replace(text(c))
		}
		b.WriteString(strings.Join(cells, "\t") + "\n")
	}
	_, err := io.WriteString(w, b.String())
	return err
}

var onOneLine = strings.NewReplacer("\t", " ", "\r\n", " ", "\n", " ", "\r", " ")

// object returns a row as a JSON object, its keys in the order of the columns, without the empty ones.
func object(keys []string, row []any) ([]byte, error) {
	out := []byte{'{'}
	for i, c := range row {
		if c == nil || c == "" {
			continue
		}
		if len(out) > 1 {
			out = append(out, ',')
		}
		out = append(strconv.AppendQuote(out, keys[i]), ':')
		value, err := json.Marshal(c)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", keys[i], err)
		}
		out = append(out, value...)
	}
	return append(out, '}'), nil
}

func writeLines(w io.Writer, t *Table) error {
	keys := t.Keys()
	return t.each(func(row []any) error {
		o, err := object(keys, row)
		if err != nil {
			return err
		}
		_, err = w.Write(append(o, '\n'))
		return err
	})
}

func writeJSON(w io.Writer, t *Table) error {
	if _, err := fmt.Fprintf(w, "{%q:[", t.Name); err != nil {
		return err
	}
	keys, sep := t.Keys(), "\n"
	err := t.each(func(row []any) error {
		o, err := object(keys, row)
		if err != nil {
			return err
		}
		_, err = io.WriteString(w, sep+string(o))
		sep = ",\n"
		return err
	})
	if err == nil {
		_, err = io.WriteString(w, "\n]}\n")
	}
	return err
}

func writeYAML(w io.Writer, t *Table) error {
	list := &yaml.Node{Kind: yaml.SequenceNode}
	keys, rows := t.Data()
	for _, row := range rows {
		entry := &yaml.Node{Kind: yaml.MappingNode}
		for i, c := range row {
			if c == nil || c == "" {
				continue
			}
			var key, value yaml.Node
			key.SetString(keys[i])
			if err := value.Encode(c); err != nil {
				return err
			}
			entry.Content = append(entry.Content, &key, &value)
		}
		list.Content = append(list.Content, entry)
	}
	var name yaml.Node
	name.SetString(t.Name)
	e := yaml.NewEncoder(w)
	e.SetIndent(2)
	if err := e.Encode(&yaml.Node{Kind: yaml.MappingNode, Content: []*yaml.Node{&name, list}}); err != nil {
		return err
	}
	return e.Close()
}

var cellEscapes = strings.NewReplacer("|", `\|`, "\n", " ", "\r", "", "<", "&lt;", "&", "&amp;")

func writeMarkdown(w io.Writer, t *Table) error {
	var b strings.Builder
	line := func(cells []string) {
		b.WriteString("| " + strings.Join(cells, " | ") + " |\n")
	}
	keys, rows := t.Data()
	rule := make([]string, len(keys))
	for i := range rule {
		rule[i] = "---"
		if slices.ContainsFunc(rows, func(r []any) bool { _, n := r[i].(float64); _, k := r[i].(int); return n || k }) {
			rule[i] = "---:"
		}
	}
	line(keys)
	line(rule)
	for _, row := range rows {
		cells := make([]string, len(row))
		for i, c := range row {
			cells[i] = cellEscapes.Replace(shown(c))
		}
		line(cells)
	}
	_, err := io.WriteString(w, b.String())
	return err
}
