// Package imports turns tables and test results of others into readings: which column holds what, and which name
// means what.
package imports

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/internal/tables"
)

// Forms are the forms that readings are imported from.
var Forms = append(slices.Clone(tables.Readable), "tap")

// Mapping is how a file's columns and names become readings.
type Mapping struct {
	Name      string           `json:"name"`
	Title     string           `json:"title,omitempty"`
	Form      string           `json:"form"`                // csv, json, jsonl, yaml, xlsx or tap
	Delimiter string           `json:"delimiter,omitempty"` // of CSV, if it cannot be detected
	Decimal   string           `json:"decimal,omitempty"`   // comma, if it is the decimal separator
	Times     string           `json:"times,omitempty"`     // such as DD.MM.YYYY hh:mm; empty: RFC 3339 or YYYY-MM-DD
	Zone      string           `json:"zone,omitempty"`      // of times without one; empty: UTC
	Fields    map[string]Field `json:"fields,omitempty"`    // by the name of our field
	Answers   []Answer         `json:"answers,omitempty"`   // of a table with a column for each criterion
	Tests     []Test           `json:"tests,omitempty"`     // of TAP, the first match counts
}

// Field is where a field of a reading comes from: a column, or a value for all rows.
type Field struct {
	Column string            `json:"column,omitempty"`
	Value  string            `json:"value,omitempty"`
	Values map[string]string `json:"values,omitempty"` // the meaning of the column's words; others stay
}

// Answer is a column, or several with one run each, that answers a criterion.
type Answer struct {
	Columns   []string `json:"columns"`
	Criterion string   `json:"criterion,omitempty"` // empty: from the field
	Unit      string   `json:"unit,omitempty"`      // of a measure, if it differs from the criterion's
	Method    string   `json:"method,omitempty"`
	Setup     string   `json:"setup,omitempty"`
	Phase     string   `json:"phase,omitempty"`
}

// Test is the meaning of a test's name: a criterion, criterion/item of a count, or - to ignore it. A * matches
// anything.
type Test struct {
	Name string `json:"name"`
	Is   string `json:"is"`
}

// Fields are the fields of a reading that a file can hold.
var Fields = []string{
	"id", "review", "edition", "criterion", "reviewer", "rig", "at", "system", "method", "setup", "phase", "answer", "unit", "notTested", "notApplicable",
	"adjustment", "adjustmentReason", "bound", "disturbance", "repeat", "replaces", "note", "boots",
}

// Own returns the mapping of our own exports: columns have the names of fields.
func Own(form string) Mapping {
	m := Mapping{Name: "own", Title: "As exported here", Form: form, Fields: map[string]Field{}}
	for _, f := range Fields {
		m.Fields[f] = Field{Column: f}
	}
	return m
}

const (
	manyColumns = 500
	longWord    = 500
)

// Validate reports the faults of a mapping.
func (m *Mapping) Validate(book *fault.Book) {
	checklist.NoteKey(book, "name", m.Name)
	if !slices.Contains(Forms, m.Form) {
		book.Field("form", "must be one of %s, not %.70q", strings.Join(Forms, ", "), m.Form)
	}
	if d := []rune(m.Delimiter); len(d) > 1 {
		book.Field("delimiter", "must be one character")
	}
	if m.Decimal != "" && m.Decimal != "comma" && m.Decimal != "point" {
		book.Field("decimal", "must be comma or point, not %.70q", m.Decimal)
	}
	if _, err := m.layouts(); err != nil {
		book.Field("times", "%s", err)
	}
	if _, err := time.LoadLocation(m.Zone); err != nil {
		book.Field("zone", "there is no time zone %.70q", m.Zone)
	}
	book.In("fields", func() { m.validateFields(book) })
	book.In("answers", func() { m.validateAnswers(book) })
	book.In("tests", func() { m.validateTests(book) })
	if m.Form != "tap" && len(m.Answers) == 0 && m.Fields["answer"].empty() {
		book.Field("fields", "no column has the answer")
	}
}

func (m *Mapping) validateAnswers(book *fault.Book) {
	for i, a := range m.Answers {
		book.In(i, func() {
			if len(a.Columns) == 0 || slices.Contains(a.Columns, "") {
				book.Field("columns", "name the column with the answer, or one column for each run")
			}
			if a.Criterion == "" && m.Fields["criterion"].empty() {
				book.Field("criterion", "is missing")
			}
		})
	}
	if len(m.Answers) > manyColumns {
		book.Add("are %d; at most %d", len(m.Answers), manyColumns)
	}
}

func (m *Mapping) validateTests(book *fault.Book) {
	for i, t := range m.Tests {
		if t.Name == "" || t.Is == "" {
			book.In(i, func() { book.Add("needs a name and its target: a criterion, criterion/item, or -") })
		}
	}
}

func (m *Mapping) validateFields(book *fault.Book) {
	for _, name := range slices.Sorted(maps.Keys(m.Fields)) {
		f := m.Fields[name]
		switch {
		case !slices.Contains(Fields, name):
			book.Field(name, "a reading has no such field; it has %s", strings.Join(Fields, ", "))
		case f.Column != "" && f.Value != "":
			book.Field(name, "has both the column %.70q and the value %.70q: choose one", f.Column, f.Value)
		case len(f.Column) > longWord || len(f.Value) > longWord:
			book.Field(name, "is too long")
		}
	}
}

func (f Field) empty() bool { return f.Column == "" && f.Value == "" }

// layouts are the formats of times.
func (m *Mapping) layouts() ([]string, error) {
	if m.Times == "" {
		return []string{
			time.RFC3339Nano,
			"2006-01-02 15:04:05",
			"2006-01-02T15:04:05",
			"2006-01-02 15:04",
			"2006-01-02T15:04",
			time.DateOnly,
		}, nil
	}
	layout := m.Times
	for _, part := range [][2]string{{"YYYY", "2006"}, {"YY", "06"}, {"MMMM", "January"}, {"MMM", "Jan"}, {"MM", "01"}, {"DD", "02"}, {"D", "2"}, {"hh", "15"}, {"mm", "04"}, {"ss", "05"}} {
		layout = strings.ReplaceAll(layout, part[0], part[1])
	}
	if !strings.Contains(layout, "06") || !strings.ContainsAny(m.Times, "D") || !strings.Contains(m.Times, "M") {
		return nil, fmt.Errorf("%.70q is not a format of times such as DD.MM.YYYY hh:mm", m.Times)
	}
	return []string{layout}, nil
}

func (m *Mapping) delimiter() rune {
	if m.Delimiter == "" {
		return 0
	}
	return []rune(m.Delimiter)[0]
}
