package tables

import (
	"archive/zip"
	"bufio"
	"fmt"
	"io"
	"math"
	"strings"

	"github.com/klauspost/compress/flate"
	"github.com/xuri/excelize/v2"
)

func writeSheet(w io.Writer, t *Table) error { return WriteBook(w, []*Table{t}) }

// WriteBook writes tables as one spreadsheet, a sheet for each: typed cells, and headings that stay in view. It
// contains no time of the machine. A table with more rows than a sheet can have continues in further ones. Rows of a
// stream are written as they come; column widths and formats are determined from the first rows.
//
// The library writes everything except the rows, which it would hold until the last one.
func WriteBook(w io.Writer, all []*Table) error {
	b := &book{out: zip.NewWriter(w)}
	b.out.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) {
		return flate.NewWriter(w, flate.BestSpeed)
	})
	for _, t := range all {
		s := &sheet{book: b, name: t.Name[:min(len(t.Name), mostNamed)], keys: t.Keys()}
		err := t.apart(s.writeRow)
		if err == nil {
			err = s.end()
		}
		if err != nil {
			return fmt.Errorf("sheet %s: %w", s.name, err)
		}
	}
	return b.end()
}

// book is a spreadsheet in progress: its sheets, and finally their index.
type book struct {
	out   *zip.Writer
	names []string // of its sheets
}

// noClock is used where a spreadsheet must have a time.
const noClock = "1980-01-01T00:00:00Z"

// sheets returns the names of a book's sheet files, by number.
const sheets = "xl/worksheets/sheet"

// frame starts a book in the library, with sheets of these names.
func frame(names []string) (*excelize.File, styles, error) {
	f := excelize.NewFile()
	s, err := newStyles(f)
	if err == nil {
		// The library would set its own name and date.
		err = f.SetDocProps(&excelize.DocProperties{Creator: "Dapper Tally", Created: noClock, Modified: noClock})
	}
	for i, name := range names {
		switch {
		case err != nil:
		case i == 0:
			err = f.SetSheetName("Sheet1", name)
		default:
			_, err = f.NewSheet(name)
		}
	}
	return f, s, err
}

// end writes everything except the sheets.
func (b *book) end() error {
	f, _, err := frame(b.names)
	if err != nil {
		return err
	}
	defer f.Close()
	parts, err := partsOf(f)
	if err != nil {
		return err
	}
	for _, x := range parts {
		if strings.HasPrefix(x.name, sheets) {
			continue
		}
		to, err := b.out.Create(x.name)
		if err != nil {
			return err
		}
		if _, err := to.Write(x.Bytes()); err != nil {
			return err
		}
	}
	return b.out.Close()
}

// Limits of a spreadsheet, and how many rows determine the format of its columns.
const (
	mostNamed = 31
	mostRows  = 1_048_576
	lookedAt  = 5000
)

// packedAtOnce is how many bytes of a sheet are compressed at once.
const packedAtOnce = 1 << 16

// sheet is a table in progress.
type sheet struct {
	*book
	name      string
	keys      []string
	held      [][]any // the first rows, until the columns are formatted
	fractions []int   // the style of each column; nil: nothing was written yet
	widths    []float64
	columns   []string // by their letters
	number    int      // number of the current sheet, from 1
	row       int      // number of the last row
	out       *bufio.Writer
	after     []byte // the end of the sheet
}

func (s *sheet) writeRow(row []any) error {
	if s.fractions != nil {
		return s.write(row)
	}
	s.held = append(s.held, append([]any(nil), row...))
	if len(s.held) < lookedAt {
		return nil
	}
	return s.begin()
}

// begin formats the columns by the rows so far, and writes these.
func (s *sheet) begin() error {
	s.fractions, s.widths = make([]int, len(s.keys)), make([]float64, len(s.keys))
	f, styles, err := frame(nil)
	if err != nil {
		return err
	}
	defer f.Close()
	for i, key := range s.keys {
		s.fractions[i], s.widths[i] = styles.of(s.held, i), width(key, s.held, i)
		name, err := excelize.ColumnNumberToName(i + 1)
		if err != nil {
			return err
		}
		s.columns = append(s.columns, name)
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

// open starts a sheet with its headings.
func (s *sheet) open() error {
	s.number++
	name := s.name
	if s.number > 1 {
		name = fmt.Sprintf("%.28s %d", s.name, s.number)
	}
	s.names = append(s.names, name)
	before, after, err := s.headed()
	if err != nil {
		return err
	}
	entry, err := s.book.out.Create(fmt.Sprintf("%s%d.xml", sheets, len(s.names)))
	if err != nil {
		return err
	}
	s.out, s.after, s.row = bufio.NewWriterSize(entry, packedAtOnce), after, 1
	_, err = s.out.Write(before)
	return err
}

// headed returns a sheet with headings as the library writes it, before and after its further rows.
func (s *sheet) headed() (before, after []byte, err error) {
	names := []string{s.names[0]}
	if len(s.names) > 1 { // the first of a book is the one that it opens with
		names = append(names, s.names[len(s.names)-1])
	}
	f, styles, err := frame(names)
	if err != nil {
		return nil, nil, err
	}
	defer f.Close()
	out, err := f.NewStreamWriter(names[len(names)-1])
	if err != nil {
		return nil, nil, err
	}
	panes := &excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}
	if err := out.SetPanes(panes); err != nil {
		return nil, nil, err
	}
	head := make([]any, len(s.keys))
	for i, key := range s.keys {
		if err := out.SetColWidth(i+1, i+1, s.widths[i]); err != nil {
			return nil, nil, err
		}
		head[i] = excelize.Cell{StyleID: styles.bold, Value: key}
	}
	if err := out.SetRow("A1", head); err != nil {
		return nil, nil, err
	}
	if err := out.Flush(); err != nil {
		return nil, nil, err
	}
	return rowsOf(f, fmt.Sprintf("%s%d.xml", sheets, len(names)))
}

func (s *sheet) write(row []any) error {
	if s.row == mostRows {
		if err := s.close(); err != nil {
			return err
		}
		if err := s.open(); err != nil {
			return err
		}
	}
	s.row++
	text := s.appendRow(s.out.AvailableBuffer(), row)
	_, err := s.out.Write(text)
	return err
}

// close ends a sheet.
func (s *sheet) close() error {
	if _, err := s.out.Write(s.after); err != nil {
		return err
	}
	return s.out.Flush()
}

func (s *sheet) end() error {
	if s.fractions == nil {
		if err := s.begin(); err != nil {
			return err
		}
	}
	return s.close()
}

// styles are the cells' formats; their content stays exact.
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

// of returns the style of a column of fractions, or 0 if it needs none: shares need one more decimal than points.
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

// width returns the width of a column, in characters: that of its longest text, within what fits on a screen.
func width(key string, rows [][]any, column int) float64 {
	wide := len(key)
	for _, row := range rows {
		if s, ok := row[column].(string); ok {
			wide = max(wide, len(s))
		}
	}
	return float64(min(max(wide+2, 9), 60))
}
