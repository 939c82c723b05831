package tables

import (
	"archive/zip"
	"bufio"
	"bytes"
	"cmp"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"
	"go.yaml.in/yaml/v3"

	"dappertally/core/controls"
)

// Row is one row of a table.
type Row struct {
	Line  int    // in the file, from 1
	Fault string // why the row cannot be read; empty if it can
	names map[string]int
	cells []string
}

// Get returns the cell of a column, and whether the row has one.
func (r *Row) Get(column string) (string, bool) {
	i, ok := r.names[column]
	if !ok || i >= len(r.cells) {
		return "", false
	}
	return r.cells[i], true
}

// Columns returns the columns for which the row has cells, in the table's order.
func (r *Row) Columns() []string {
	return slices.SortedFunc(maps.Keys(r.names), func(a, b string) int { return cmp.Compare(r.names[a], r.names[b]) })
}

// Source returns a table's rows one by one.
type Source struct {
	columns []string
	next    func() (Row, error)
	first   *Row // the first row, read for its columns
}

// Columns returns the table's columns: of the heading, or of the first row.
func (s *Source) Columns() []string { return s.columns }

// Next returns the next row, or io.EOF after the last.
func (s *Source) Next() (Row, error) {
	r, err := s.unchecked()
	for _, cell := range r.cells {
		if says := controls.Fault(cell, true); says != "" {
			r.Fault = says
		}
	}
	return r, err
}

func (s *Source) unchecked() (Row, error) {
	if s.first != nil {
		r := *s.first
		s.first = nil
		return r, nil
	}
	return s.next()
}

// Readable are the formats that Read supports.
var Readable = []string{"csv", "json", "jsonl", "yaml", "xlsx"}

// Read opens a table of rows in a format. delimiter separates the columns of CSV; 0: the first of tab, semicolon, bar
// and comma that the heading contains.
func Read(in io.Reader, form string, delimiter rune) (*Source, error) {
	switch form {
	case "csv":
		return readCSV(in, delimiter)
	case "jsonl":
		return readLines(in)
	case "json":
		return readDocument(in, json.Unmarshal)
	case "yaml":
		return readDocument(in, yaml.Unmarshal)
	case "xlsx":
		return readSheet(in)
	}
	return nil, fmt.Errorf("a table cannot be read from %q; use %s", form, strings.Join(Readable, ", "))
}

func readCSV(in io.Reader, delimiter rune) (*Source, error) {
	buffered := bufio.NewReaderSize(in, 1<<16)
	if mark, err := buffered.Peek(3); err == nil && bytes.Equal(mark, []byte("\ufeff")) {
		_, _ = buffered.Discard(3) // it was just peeked
	}
	if delimiter == 0 {
		head, err := buffered.Peek(1 << 14)
		if err != nil && !errors.Is(err, io.EOF) {
			return nil, err
		}
		line, _, _ := bytes.Cut(head, []byte("\n"))
		delimiter = ','
		for _, d := range "\t;|" {
			if bytes.ContainsRune(line, d) {
				delimiter = d
				break
			}
		}
	}
	r := csv.NewReader(buffered)
	r.Comma, r.FieldsPerRecord, r.ReuseRecord = delimiter, -1, false
	head, err := r.Read()
	if errors.Is(err, io.EOF) {
		return nil, errors.New("the file is empty")
	}
	if err != nil {
		return nil, err
	}
	names, err := index(head)
	if err != nil {
		return nil, err
	}
	columns := make([]string, len(head))
	for i, c := range head {
		columns[i] = strings.TrimSpace(c)
	}
	return &Source{columns: columns, next: func() (Row, error) {
		cells, err := r.Read()
		if err != nil {
			return Row{}, err
		}
		line, _ := r.FieldPos(0)
		row := Row{Line: line, names: names, cells: cells}
		if len(cells) != len(columns) {
			row.Fault = fmt.Sprintf("has %d columns, and the heading has %d", len(cells), len(columns))
		}
		for i, c := range cells {
			if !utf8.ValidString(c) {
				row.Fault = "is not UTF-8; save the file as UTF-8"
			}
			cells[i] = unguard(c)
		}
		return row, nil
	}}, nil
}

func index(head []string) (map[string]int, error) {
	names := map[string]int{}
	for i, name := range head {
		name = strings.TrimSpace(name)
		if _, twice := names[name]; twice && name != "" {
			return nil, fmt.Errorf("the heading has the column %q twice", name)
		}
		names[name] = i
	}
	return names, nil
}

func readLines(in io.Reader) (*Source, error) {
	scanner := bufio.NewScanner(in)
	scanner.Buffer(make([]byte, 1<<16), 1<<22)
	line := 0
	s := &Source{}
	s.next = func() (Row, error) {
		for scanner.Scan() {
			line++
			text := bytes.TrimSpace(scanner.Bytes())
			if len(text) == 0 {
				continue
			}
			return objectRow(text, line), nil
		}
		if err := scanner.Err(); err != nil {
			return Row{}, fmt.Errorf("line %d: %w", line+1, err)
		}
		return Row{}, io.EOF
	}
	return s.ahead()
}

// ahead reads the first row, whose columns stand for the table's.
func (s *Source) ahead() (*Source, error) {
	first, err := s.next()
	if errors.Is(err, io.EOF) {
		return nil, errors.New("the file holds no rows")
	}
	if err != nil {
		return nil, err
	}
	s.first = &first
	s.columns = make([]string, len(first.cells))
	for name, i := range first.names {
		s.columns[i] = name
	}
	return s, nil
}

// objectRow returns a JSON object as a row. Nested fields are named by their path.
func objectRow(text []byte, line int) Row {
	row := Row{Line: line, names: map[string]int{}}
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	var v map[string]any
	if err := d.Decode(&v); err != nil {
		row.Fault = "is not a JSON object: " + err.Error()
		return row
	}
	row.flatten("", v)
	return row
}

// flatten adds an object, its keys in order.
func (r *Row) flatten(prefix string, v map[string]any) {
	keys := make([]string, 0, len(v))
	for k := range v {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	for _, k := range keys {
		switch x := v[k].(type) {
		case map[string]any:
			r.flatten(prefix+k+".", x)
		case nil:
		default:
			r.names[prefix+k] = len(r.cells)
			r.cells = append(r.cells, cellOf(x))
		}
	}
}

// cellOf formats a value as a cell: a list of numbers separated by spaces, any other list as JSON.
func cellOf(v any) string {
	switch x := v.(type) {
	case string:
		return x
	case []any:
		words := make([]string, len(x))
		for i, e := range x {
			switch e.(type) {
			case json.Number, float64, int:
				words[i] = fmt.Sprint(e)
			default:
				data, err := json.Marshal(x)
				if err != nil {
					return fmt.Sprint(x)
				}
				return string(data)
			}
		}
		return strings.Join(words, " ")
	case float64:
		return strconv.FormatFloat(x, 'g', -1, 64)
	}
	return fmt.Sprint(v)
}

// largestDocument is the largest document that is held in memory.
const largestDocument = 64 << 20

func readDocument(in io.Reader, parse func([]byte, any) error) (*Source, error) {
	data, err := io.ReadAll(io.LimitReader(in, largestDocument+1))
	if err != nil {
		return nil, err
	}
	if len(data) > largestDocument {
		return nil, fmt.Errorf("is larger than %d MiB; write it as CSV or JSON Lines", largestDocument>>20)
	}
	var doc any
	if err := parse(data, &doc); err != nil {
		return nil, err
	}
	if named, ok := doc.(map[string]any); ok && len(named) == 1 {
		for _, v := range named {
			doc = v
		}
	}
	list, ok := doc.([]any)
	if !ok {
		return nil, errors.New("holds no list of rows")
	}
	n := 0
	s := &Source{next: func() (Row, error) {
		if n == len(list) {
			return Row{}, io.EOF
		}
		n++
		row := Row{Line: n, names: map[string]int{}}
		if v, ok := list[n-1].(map[string]any); ok {
			row.flatten("", v)
		} else {
			row.Fault = "is not an object with named values"
		}
		return row, nil
	}}
	return s.ahead()
}

// A small workbook can unpack to a very large one. These limits apply to the unpacked size, on the disk: of
// everything, and of the shared texts of its cells, which are held in memory.
const (
	largestUnpacked = 256 << 20
	largestShared   = 16 << 20
)

// unpacks refuses a workbook that unpacks to more than allowed, before unpacking it.
func unpacks(packed []byte) error {
	archive, err := zip.NewReader(bytes.NewReader(packed), int64(len(packed)))
	if err != nil {
		return fmt.Errorf("is not a workbook: %w", err)
	}
	var all, shared uint64
	for _, f := range archive.File {
		all += min(f.UncompressedSize64, largestUnpacked+1)
		if !strings.HasPrefix(f.Name, "xl/worksheets/") {
			shared += min(f.UncompressedSize64, largestUnpacked+1)
		}
		if all > largestUnpacked || shared > largestShared {
			return fmt.Errorf(
				"the workbook unpacks to more than %d MiB, or to more than %d MiB beside its sheets; save it as CSV",
				largestUnpacked>>20,
				largestShared>>20,
			)
		}
	}
	return nil
}

func readSheet(in io.Reader) (*Source, error) {
	packed, err := io.ReadAll(io.LimitReader(in, largestDocument))
	if err != nil {
		return nil, err
	}
	if err := unpacks(packed); err != nil {
		return nil, err
	}
	f, err := excelize.OpenReader(
		bytes.NewReader(packed), excelize.Options{UnzipSizeLimit: largestUnpacked, UnzipXMLSizeLimit: 1 << 20},
	)
	if err != nil {
		return nil, fmt.Errorf("is not a workbook: %w", err)
	}
	rows, err := f.Rows(f.GetSheetName(0))
	if err != nil {
		return nil, err
	}
	if !rows.Next() {
		return nil, errors.New("the first sheet is empty")
	}
	head, err := rows.Columns()
	if err != nil {
		return nil, err
	}
	names, err := index(head)
	if err != nil {
		return nil, err
	}
	line := 1
	return &Source{columns: head, next: func() (Row, error) {
		if !rows.Next() {
			return Row{}, errors.Join(rows.Error(), f.Close(), io.EOF)
		}
		line++
		cells, err := rows.Columns(excelize.Options{RawCellValue: true})
		if err != nil {
			return Row{}, err
		}
		for len(cells) < len(head) {
			cells = append(cells, "") // empty cells at the end are not stored
		}
		return Row{Line: line, names: names, cells: cells}, nil
	}}, nil
}
