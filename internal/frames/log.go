// Package frames reads logs of frame times and draws them. It needs the same memory for a log of any length.
package frames

import (
	"bufio"
	"dappertally/internal/numerals"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"
)

// Form is the format of a log. With the zero value everything is detected if possible.
type Form struct {
	Column    string // name, or number from 1; empty: the one with a name for frame times
	Unit      string // one of Units; empty: the one in the heading, else ms
	Delimiter rune   // 0: the first of tab, semicolon, bar and comma that the log contains, else space
	Comma     bool   // the decimal separator is a comma, even if the delimiter does not show that
	Stamps    bool   // the column holds the time of each frame since a start
	Rate      bool   // the column holds the rate of each frame, in frames per second
}

// Units are the units of time of a log, in ms.
var Units = map[string]float64{"s": 1000, "ms": 1, "us": 1e-3, "ns": 1e-6}

// names are names of columns with frame times, best first.
var names = []string{
	"frametime",
	"frame_time",
	"frame time",
	"frametime_ms",
	"frametime (ms)",
	"frame time (ms)",
	"frame_time_ms",
	"frame-time",
	"ms",
	"time_ms",
	"delta",
	"duration",
	"dt",
}

// Fault is what is wrong with a log, and where.
type Fault struct {
	Line   int
	Detail string
}

func (f *Fault) Error() string { return fmt.Sprintf("line %d: %s", f.Line, f.Detail) }

// preamble is how many lines can precede the heading.
const preamble = 30

// Read reads a log. Harmless oddities are in the log's Remarks; a broken log is rejected with the line.
func Read(in io.Reader, form Form) (*Log, error) {
	if _, ok := Units[form.Unit]; !ok && form.Unit != "" {
		return nil, fmt.Errorf("the unit must be s, ms, us or ns, not %q", form.Unit)
	}
	if form.Rate && (form.Stamps || form.Unit != "") {
		return nil, errors.New("a rate is in frames per second: it cannot be combined with a unit of time or time stamps")
	}
	p := &parser{form: form, at: -1, log: &Log{}}
	if err := p.read(decoded(in)); err != nil {
		p.log.Close()
		return nil, err
	}
	return p.log, nil
}

type parser struct {
	form    Form
	perUnit float64
	log     *Log
	at      int // index of the column; −1 until it is found
	heading string
	columns int // of the heading; 0 if there is none
	line    int
	head    []string // lines before the heading
	last    float64  // time stamp of the previous frame
	stamped bool
	empty   int
	short   *Fault // an incomplete line: valid only if it is the last
	rising  int    // number of consecutive values that did not decrease
}

func (p *parser) read(in io.Reader) error {
	scanner := bufio.NewScanner(in)
	scanner.Buffer(make([]byte, 1<<16), 1<<20)
	for scanner.Scan() {
		p.line++
		line := strings.TrimRight(strings.TrimPrefix(scanner.Text(), "\ufeff"), "\r")
		if strings.TrimSpace(line) == "" {
			continue
		}
		if p.short != nil {
			return p.short
		}
		if err := p.parseLine(line); err != nil {
			return err
		}
	}
	if err := scanner.Err(); errors.Is(err, bufio.ErrTooLong) {
		return &Fault{p.line + 1, "is longer than a mebibyte: this is not a log of frame times"}
	} else if err != nil {
		return err
	}
	if p.at < 0 {
		return p.noColumn()
	}
	if p.short != nil {
		p.log.Remarks = append(p.log.Remarks, fmt.Sprintf("line %d, the last, is cut off and skipped", p.short.Line))
	}
	if p.empty > 0 {
		p.log.Remarks = append(p.log.Remarks, numerals.Count(p.empty, "line")+" without a frame time skipped")
	}
	if p.log.count == 0 {
		return errors.New("the log has no frame times")
	}
	if !p.form.Stamps && !p.form.Rate && p.rising > 100 && p.rising == p.log.count-1 {
		return errors.New("every value is larger than the one before: these are time stamps; add --timestamps")
	}
	return p.log.finish()
}

// parseLine parses one line that is not empty.
func (p *parser) parseLine(line string) error {
	if p.at < 0 {
		return p.find(line)
	}
	if line == p.heading {
		return &Fault{
			p.line,
			"the heading appears again: the log was restarted; split it into one file for each run",
		}
	}
	if extra := p.extra(line); extra > 0 {
		return &Fault{p.line, fmt.Sprintf("has %d columns, and the heading has %d", p.columns+extra, p.columns)}
	}
	cell, ok := p.cell(line)
	if !ok {
		p.short = &Fault{p.line, fmt.Sprintf("has %d columns and no column %d", len(p.cells(line)), p.at+1)}
		return nil
	}
	return p.value(cell)
}

// extra returns how many more columns a line has than the heading, not counting a delimiter at the end. The columns
// cannot be matched then.
func (p *parser) extra(line string) int {
	if p.form.Delimiter == ' ' || p.columns == 0 {
		return 0
	}
	line = strings.TrimRight(line, string(p.form.Delimiter)+" ")
	return strings.Count(line, string(p.form.Delimiter)) + 1 - p.columns
}

// cell returns the column's cell of a line, without splitting the rest of it.
func (p *parser) cell(line string) (cell string, ok bool) {
	if p.form.Delimiter == ' ' {
		cells := strings.Fields(line)
		if p.at >= len(cells) {
			return "", false
		}
		return cells[p.at], true
	}
	for range p.at {
		i := strings.IndexRune(line, p.form.Delimiter)
		if i < 0 {
			return "", false
		}
		line = line[i+utf8.RuneLen(p.form.Delimiter):]
	}
	if i := strings.IndexRune(line, p.form.Delimiter); i >= 0 {
		line = line[:i]
	}
	return strings.Trim(strings.TrimSpace(line), `"`), true
}

func (p *parser) value(cell string) error {
	if cell == "" {
		p.empty++
		return nil
	}
	x, err := p.parseNumber(cell)
	if err != nil {
		fault := &Fault{p.line, fmt.Sprintf("%q is not a frame time", cell)}
		if strings.Trim(cell, "0123456789.,-+eE") != "" {
			return fault
		}
		p.short = fault // the beginning of a number
		return nil
	}
	if p.form.Stamps {
		was := p.last
		p.last = x
		if !p.stamped {
			p.stamped = true
			return nil
		}
		if x <= was {
			return &Fault{
				p.line,
				fmt.Sprintf("time goes from %v to %v: the log is broken or was restarted here", was, x),
			}
		}
		x -= was
	} else {
		if p.log.count > 0 && x >= p.last {
			p.rising++
		}
		p.last = x
	}
	if p.form.Rate {
		x = 1 / x
	}
	x *= p.perUnit
	if !(x > 0) || x > 1e9 {
		return &Fault{p.line, fmt.Sprintf("%q is not a frame time above 0", cell)}
	}
	return p.log.add(x)
}

func (p *parser) parseNumber(cell string) (float64, error) {
	cell = strings.Trim(strings.TrimSpace(cell), `"`)
	if p.form.Comma || p.form.Delimiter != ',' {
		cell = strings.Replace(cell, ",", ".", 1)
	}
	return strconv.ParseFloat(cell, 64)
}

// cells splits a line. Logs quote at most their headings.
func (p *parser) cells(line string) []string {
	if p.form.Delimiter == ' ' {
		return strings.Fields(line)
	}
	cells := strings.Split(line, string(p.form.Delimiter))
	for i := range cells {
		cells[i] = strings.Trim(strings.TrimSpace(cells[i]), `"`)
	}
	return cells
}

// find looks for the column in a line that may be the heading, or the first line of figures if there is no heading.
func (p *parser) find(line string) error {
	given := p.form.Delimiter
	if given == 0 {
		p.form.Delimiter = delimiter(line, p.form.Comma)
	}
	cells := p.cells(line)
	if at := p.named(cells); at >= 0 {
		p.at, p.heading, p.columns, p.log.Column = at, line, len(cells), cells[at]
		return p.understand(cells[at])
	}
	if n, ok := p.numbered(cells); ok {
		if _, err := p.parseNumber(cells[n]); err == nil {
			p.at, p.log.Column = n, strconv.Itoa(n+1)
			if err := p.understand(p.above(n, len(cells))); err != nil {
				return err
			}
			return p.value(cells[n])
		}
	}
	p.head = append(p.head, line)
	p.form.Delimiter = given
	if len(p.head) > preamble {
		return p.noColumn()
	}
	return nil
}

// above returns the heading of column n: from the line before the figures, if it has as many columns; empty if there
// is none.
func (p *parser) above(n, columns int) string {
	if len(p.head) == 0 {
		return ""
	}
	if cells := p.cells(p.head[len(p.head)-1]); len(cells) == columns {
		p.log.Column = cells[n]
		return cells[n]
	}
	return ""
}

// understand determines unit and meaning from the column's heading, unless they were given, and remarks on what is
// uncertain.
func (p *parser) understand(heading string) error {
	m := meaningOf(heading)
	remark := func(format string, args ...any) { p.log.Remarks = append(p.log.Remarks, fmt.Sprintf(format, args...)) }
	switch {
	case m.sense == rates && !p.form.Rate:
		return fmt.Errorf(
			"column %q holds a rate, not times: name the column of frame times with --column; if every "+
				"line is one frame, --rate takes each frame's time from its rate",
			heading,
		)
	case p.form.Rate && heading != "" && m.sense != rates:
		remark("column %q is read as a rate, as requested, although its heading does not say so", heading)
	case m.sense == stamps && !p.form.Stamps:
		p.form.Stamps = true
		remark("column %q holds time stamps: frame times are their differences", heading)
	}
	unit := p.form.Unit
	switch {
	case p.form.Rate:
		unit = "s"
	case unit == "" && m.unit != "":
		unit = m.unit
	case unit == "":
		unit = "ms"
		remark("no unit is given: the times are read as ms; change that with --unit")
	case m.unit != "" && m.unit != unit:
		remark("the times are read as %s, as requested, although the heading of column %q says %s", unit, heading, m.unit)
	}
	p.perUnit, p.log.Unit = Units[unit], unit
	return nil
}

// delimiter returns the delimiter that a line contains.
func delimiter(line string, comma bool) rune {
	for _, d := range "\t;|," {
		if strings.ContainsRune(line, d) && !(d == ',' && comma) {
			return d
		}
	}
	return ' '
}

// named finds the column by its name.
func (p *parser) named(cells []string) int {
	wanted := names
	if p.form.Column != "" {
		wanted = []string{strings.ToLower(p.form.Column)}
	}
	for _, name := range wanted {
		if i := slices.IndexFunc(cells, func(c string) bool { return strings.ToLower(c) == name }); i >= 0 {
			return i
		}
	}
	if p.form.Column != "" {
		return -1
	}
	for _, fits := range []func(string) bool{timesFrames, stampsFrames, func(c string) bool { return meaningOf(c).sense == rates }} {
		if i := slices.IndexFunc(cells, func(c string) bool { return fits(c) && !strings.ContainsAny(c, "0123456789") }); i >= 0 {
			return i
		}
	}
	return -1
}

// numbered returns the index of the column if it is given by its number, or of the only one.
func (p *parser) numbered(cells []string) (int, bool) {
	if p.form.Column == "" {
		return 0, len(cells) == 1
	}
	n, err := strconv.Atoi(p.form.Column)
	return n - 1, err == nil && n >= 1 && n <= len(cells)
}

func (p *parser) noColumn() error {
	if len(p.head) == 0 {
		return errors.New("there is no first line")
	}
	if p.form.Column == "" {
		return fmt.Errorf(
			"which column holds the frame times? Name one with --column; the first line is %.200q", p.head[0],
		)
	}
	return fmt.Errorf("there is no column %q; the first line is %.200q", p.form.Column, p.head[0])
}
