package imports

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"

	"dappertally/internal/numerals"
	"dappertally/internal/tables"
)

// Draft is one reading in a file, before it is checked against the checklist.
type Draft struct {
	Line   int
	Column string // of the answer
	Fault  string // why the row cannot be read; empty if it can

	ID, Review, Edition, Criterion, Reviewer, Rig, System, Method, Setup, Phase string
	Answer, Unit, NotTested, NotApplicable                                      string
	Adjustment                                                                  *float64
	AdjustmentReason, Bound, Disturbance, Replaces, Note, Boots                 string
	Repeat                                                                      bool
	At                                                                          time.Time // zero if the file does not state it
}

// Reader returns the drafts of a file one by one.
type Reader struct {
	mapping *Mapping
	source  *tables.Source
	layouts []string
	zone    *time.Location
	ready   []Draft
}

// Open opens a table with a mapping. It rejects missing columns, all of them at once.
func Open(in io.Reader, m *Mapping) (*Reader, error) {
	if m.Form == "tap" {
		return openTAP(in, m)
	}
	source, err := tables.Read(in, m.Form, m.delimiter())
	if err != nil {
		return nil, err
	}
	layouts, err := m.layouts()
	if err != nil {
		return nil, err
	}
	zone, err := time.LoadLocation(m.Zone)
	if err != nil {
		return nil, err
	}
	r := &Reader{mapping: m, source: source, layouts: layouts, zone: zone}
	// Rows of objects can each have other columns.
	if m.Form != "csv" && m.Form != "xlsx" {
		return r, nil
	}
	var missing []string
	for _, name := range m.columns() {
		if !slices.Contains(source.Columns(), name) {
			missing = append(missing, strconv.Quote(name))
		}
	}
	if len(missing) > 0 {
		return nil, fmt.Errorf(
			"the file has no column %s; it has %s", strings.Join(missing, ", "), strings.Join(source.Columns(), ", "),
		)
	}
	return r, nil
}

// columns returns the columns that the mapping requires. Fields of our own export can be missing.
func (m *Mapping) columns() []string {
	var names []string
	for _, f := range Fields {
		if c := m.Fields[f].Column; c != "" && (m.Name != "own" || f == "answer" || f == "criterion") {
			names = append(names, c)
		}
	}
	for _, a := range m.Answers {
		names = append(names, a.Columns...)
	}
	return names
}

// Next returns the next draft, or io.EOF after the last. A row with a column for each criterion gives one draft for
// each that is not empty.
func (r *Reader) Next() (Draft, error) {
	for len(r.ready) == 0 {
		if r.source == nil {
			return Draft{}, io.EOF
		}
		row, err := r.source.Next()
		if err != nil {
			return Draft{}, err
		}
		r.readRow(&row)
	}
	d := r.ready[0]
	r.ready = r.ready[1:]
	return d, nil
}

func (r *Reader) readRow(row *tables.Row) {
	d := Draft{Line: row.Line, Fault: row.Fault}
	if d.Fault == "" {
		r.fill(&d, row)
	}
	if len(r.mapping.Answers) == 0 || d.Fault != "" {
		r.ready = append(r.ready, d)
		return
	}
	for _, a := range r.mapping.Answers {
		one := d
		one.Column = a.Columns[0]
		var runs []string
		for _, c := range a.Columns {
			if cell, _ := row.Get(c); strings.TrimSpace(cell) != "" {
				runs = append(runs, r.normalizeNumber(strings.TrimSpace(cell)))
			}
		}
		if len(runs) == 0 {
			continue // this row has no answer to that criterion
		}
		one.Answer = strings.Join(runs, " ")
		one.Unit = or(a.Unit, one.Unit)
		one.Criterion, one.Method, one.Setup, one.Phase = or(a.Criterion, one.Criterion), or(a.Method, one.Method), or(
			a.Setup, one.Setup,
		), or(a.Phase, one.Phase)
		r.ready = append(r.ready, one)
	}
}

func or(s, otherwise string) string {
	if s == "" {
		return otherwise
	}
	return s
}

// fill reads the fields of a row.
func (r *Reader) fill(d *Draft, row *tables.Row) {
	get := func(name string) string {
		f := r.mapping.Fields[name]
		if f.Column == "" {
			return f.Value
		}
		cell, _ := row.Get(f.Column)
		cell = strings.TrimSpace(cell)
		if means, ok := f.Values[cell]; ok {
			return means
		}
		return cell
	}
	for _, f := range []struct {
		name string
		into *string
	}{
		{"id", &d.ID}, {"review", &d.Review}, {"edition", &d.Edition}, {"criterion", &d.Criterion},
		{"reviewer", &d.Reviewer}, {"rig", &d.Rig}, {"system", &d.System}, {"method", &d.Method}, {"setup", &d.Setup},
		{"phase", &d.Phase}, {"answer", &d.Answer}, {"unit", &d.Unit}, {"notTested", &d.NotTested},
		{"notApplicable", &d.NotApplicable},
		{"adjustmentReason", &d.AdjustmentReason}, {"bound", &d.Bound}, {"disturbance", &d.Disturbance}, {"replaces", &d.Replaces}, {"note", &d.Note},
		{"boots", &d.Boots},
	} {
		*f.into = get(f.name)
	}
	d.Column = r.mapping.Fields["answer"].Column
	d.Answer = r.normalizeNumber(d.Answer)
	wrong := func(field, format string, args ...any) {
		if d.Fault == "" {
			d.Column = or(r.mapping.Fields[field].Column, field)
			d.Fault = fmt.Sprintf(format, args...)
		}
	}
	if text := get("adjustment"); text != "" {
		x, ok := numerals.Parse(r.normalizeNumber(text))
		if !ok {
			wrong("adjustment", "%.70q is not a number", text)
		}
		d.Adjustment = &x
	}
	switch text := strings.ToLower(get("repeat")); text {
	case "", "false", "no", "0":
	case "true", "yes", "1":
		d.Repeat = true
	default:
		wrong("repeat", "%.70q is neither true nor false", text)
	}
	if text := get("at"); text != "" {
		at, err := r.time(text)
		if err != nil {
			wrong("at", "%s", err)
		}
		d.At = at
	}
}

// normalizeNumber replaces the decimal comma of a number by a point, if the mapping says so.
func (r *Reader) normalizeNumber(text string) string {
	if r.mapping.Decimal == "comma" {
		return strings.ReplaceAll(text, ",", ".")
	}
	return text
}

func (r *Reader) time(text string) (time.Time, error) {
	for _, layout := range r.layouts {
		if at, err := time.ParseInLocation(layout, text, r.zone); err == nil {
			return at.UTC(), nil
		}
	}
	return time.Time{}, fmt.Errorf(
		"%.70q is not a time of the form %s", text, or(r.mapping.Times, "2026-11-20T09:30:00Z or 2026-11-20"),
	)
}

// All reads every draft of a file.
func (r *Reader) All(most int, progress func(rows int)) ([]Draft, error) {
	var all []Draft
	for {
		d, err := r.Next()
		if errors.Is(err, io.EOF) {
			return all, nil
		}
		if err != nil {
			return nil, err
		}
		if len(all) == most {
			return nil, fmt.Errorf("has more than %d readings; split it", most)
		}
		all = append(all, d)
		if progress != nil && len(all)%5000 == 0 {
			progress(len(all))
		}
	}
}
