package tables

import (
	"fmt"
	"io"
	"math"

	"github.com/xuri/excelize/v2"
)

func writeSheet(w io.Writer, t *Table) error { return WriteBook(w, []*Table{t}) }

// WriteBook writes tables as one spreadsheet, a sheet for each: typed cells, headings
// that stay in sight. No clock is in it. A table of more rows than a sheet has goes on in
// further ones. Rows of a stream are written as they come; how wide columns are, and how
// their figures look, is told from the first of them.
func WriteBook(w io.Writer, all []*Table) error {
	f := excelize.NewFile()
	defer f.Close()
	parts := &parts{}
	defer parts.drop()
	f.SetZipWriter(func(io.Writer) excelize.ZipWriter { return parts })
	styles, err := newStyles(f)
	if err == nil {
		// The library would name itself and a day of its own.
		err = f.SetDocProps(&excelize.DocProperties{Creator: "Dapper Tally", Created: noClock, Modified: noClock})
	}
	if err != nil {
		return err
	}
	for i, t := range all {
		s := &sheet{book: f, styles: styles, name: t.Name[:min(len(t.Name), mostNamed)], first: i == 0, keys: t.Keys()}
		if err := t.each(s.take); err != nil {
			return err
		}
		if err := s.end(); err != nil {
			return fmt.Errorf("sheet %s: %w", s.name, err)
		}
	}
	if _, err := f.WriteToBuffer(); err != nil { // which stays empty: the parts have all
		return err
	}
	return parts.pack(w)
}

// noClock stands where a spreadsheet must have a time.
const noClock = "1980-01-01T00:00:00Z"

// What a spreadsheet has room for, and how many rows tell how its columns are to look.
const (
	mostNamed = 31
	mostRows  = 1_048_576
	lookedAt  = 5000
)

// sheet is a table being written.
type sheet struct {
	book      *excelize.File
	styles    styles
	name      string
	first     bool // of the book
	keys      []string
	held      [][]any // the first rows, until they are looked at
	fractions []int   // the style of each column; nil: nothing is written yet
	widths    []float64
	number    int // of the sheet that is written, from 1
	row       int // that was written last
	cells     []any
	out       *excelize.StreamWriter
}

func (s *sheet) take(row []any) error {
	if s.fractions != nil {
		return s.write(row)
	}
	s.held = append(s.held, append([]any(nil), row...))
	if len(s.held) < lookedAt {
		return nil
	}
	return s.begin()
}

// begin looks at the rows so far, and writes them.
func (s *sheet) begin() error {
	s.fractions, s.widths = make([]int, len(s.keys)), make([]float64, len(s.keys))
	for i, key := range s.keys {
		s.fractions[i], s.widths[i] = s.styles.of(s.held, i), width(key, s.held, i)
	}
	if err := s.open(); err != nil {
		return err
	}
	for _, row := range s.held {
		if err := s.write(row); err != nil {
			return err
		}
	}
	s.held = nil
	return nil
}

// open begins a sheet with its headings.
func (s *sheet) open() (err error) {
	s.number++
	name := s.name
	if s.number > 1 {
		name = fmt.Sprintf("%.28s %d", s.name, s.number)
	}
	if s.first && s.number == 1 {
		err = s.book.SetSheetName("Sheet1", name)
	} else {
		_, err = s.book.NewSheet(name)
	}
	if err != nil {
		return err
	}
	if s.out, err = s.book.NewStreamWriter(name); err != nil {
		return err
	}
	panes := &excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}
	if err := s.out.SetPanes(panes); err != nil {
		return err
	}
	head := make([]any, len(s.keys))
	for i, key := range s.keys {
		if err := s.out.SetColWidth(i+1, i+1, s.widths[i]); err != nil {
			return err
		}
		head[i] = excelize.Cell{StyleID: s.styles.bold, Value: key}
	}
	s.row = 1
	return s.out.SetRow("A1", head)
}

func (s *sheet) write(row []any) error {
	if s.row == mostRows {
		if err := s.out.Flush(); err != nil {
			return err
		}
		if err := s.open(); err != nil {
			return err
		}
	}
	s.row++
	at, err := excelize.CoordinatesToCellName(1, s.row)
	if err != nil {
		return err
	}
	s.cells = append(s.cells[:0], row...)
	for n, c := range row {
		if x, ok := c.(float64); ok && s.fractions[n] != 0 {
			s.cells[n] = excelize.Cell{StyleID: s.fractions[n], Value: x}
		} else if c == "" {
			s.cells[n] = nil // an empty cell takes no room
		}
	}
	return s.out.SetRow(at, s.cells)
}

func (s *sheet) end() error {
	if s.fractions == nil {
		if err := s.begin(); err != nil {
			return err
		}
	}
	return s.out.Flush()
}

// styles is how cells look; what is in them is as exact as it was.
type styles struct{ bold, hundredths, thousandths int }

func newStyles(f *excelize.File) (s styles, err error) {
	if s.bold, err = f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}}); err != nil {
		return s, err
	}
	two, three := "0.00", "0.000"
	if s.hundredths, err = f.NewStyle(&excelize.Style{CustomNumFmt: &two}); err != nil {
		return s, err
	}
	s.thousandths, err = f.NewStyle(&excelize.Style{CustomNumFmt: &three})
	return s, err
}

// of is the style of a column of fractions, or 0 where it has none: shares need a
// decimal more than points.
func (s *styles) of(rows [][]any, column int) (style int) {
	large := false
	for _, row := range rows {
		if x, ok := row[column].(float64); ok {
			large = large || math.Abs(x) > 1
			if x != math.Trunc(x) {
				style = s.thousandths
			}
		}
	}
	if style != 0 && large {
		return s.hundredths
	}
	return style
}

// width is how wide a column is to be, in characters: as its longest text, within
// what a screen has room for.
func width(key string, rows [][]any, column int) float64 {
	wide := len(key)
	for _, row := range rows {
		if s, ok := row[column].(string); ok {
			wide = max(wide, len(s))
		}
	}
	return float64(min(max(wide+2, 9), 60))
}
