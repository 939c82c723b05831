package store

import (
	"bytes"
	"encoding/json"
	"errors"
	"strconv"
	"time"

	"dappertally/core/reading"
)

// The widths of the values at the beginning of a row: five ids, two times, and whether it is a repetition.
const (
	uuidWidth   = 36
	momentWidth = len("2006-01-02 15:04:05.000000")
	fixedWidth  = 5*uuidWidth + 2*momentWidth + 1
)

// fixed cuts off a value of a fixed width from the beginning of a row.
func fixed(row *[]byte, width int) []byte {
	value := (*row)[:width]
	*row = (*row)[width:]
	return value
}

// reading decodes a row.
func (r *rowReader) reading(columns [rowColumns][]byte) (x reading.Reading, err error) {
	row := columns[0][uuidWidth:]
	x.ID = string(fixed(&row, uuidWidth))
	x.Reviewer, x.Rig = r.names[string(fixed(&row, uuidWidth))], r.names[string(fixed(&row, uuidWidth))]
	if replaces := fixed(&row, uuidWidth); replaces[0] != '-' {
		x.Replaces = string(replaces)
	}
	if x.At, err = asMoment(fixed(&row, momentWidth)); err != nil {
		return x, err
	}
	if received := fixed(&row, momentWidth); received[0] != '-' {
		at, err := asMoment(received)
		if err != nil {
			return x, err
		}
		x.Received = &at
	}
	x.Repeat = fixed(&row, 1)[0] == '1'
	var boots string
	for _, text := range []*string{
		&x.Criterion, &x.System, &x.Context.Method, &x.Context.Setup, &x.Context.Phase, &x.Bound, &boots,
	} {
		value, rest, _ := bytes.Cut(row, []byte{'\n'})
		*text, row = r.text(value), rest
	}
	if x.Boots, err = reading.ParseBoots(boots); err != nil {
		return x, err
	}
	x.Disturbance, x.Note = r.text(columns[2]), r.text(columns[3])
	amount, answer, whole := bytes.Cut(row, []byte{'\n'})
	if !whole {
		return x, errors.New("a row of it is not whole")
	}
	if len(amount) > 0 {
		x.Adjustment = &reading.Adjustment{Reason: r.text(columns[1])}
		if x.Adjustment.Amount, err = strconv.ParseFloat(string(amount), 64); err != nil {
			return x, err
		}
	}
	return x, r.answer(answer, &x.Answer)
}

// asMoment parses a time as the database formats it, in UTC.
func asMoment(text []byte) (time.Time, error) {
	var parts [7]int // from year to microsecond
	i := 0
	for _, c := range text {
		switch {
		case c >= '0' && c <= '9':
			parts[i] = 10*parts[i] + int(c-'0')
		case i < len(parts)-1:
			i++
		default:
			return time.Time{}, errors.New("a moment is not as the database writes it")
		}
	}
	return time.Date(
		parts[0], time.Month(parts[1]), parts[2], parts[3], parts[4], parts[5], 1000*parts[6], time.UTC,
	), nil
}

// longestKept is the longest text that is reused for the next row.
const longestKept = 64

// text returns a column's text.
func (r *rowReader) text(raw []byte) string {
	if len(raw) == 0 {
		return ""
	}
	if known, ok := r.texts[string(raw)]; ok {
		return known
	}
	text := string(raw)
	if len(text) <= longestKept {
		r.texts[text] = text
	}
	return text
}

// answer decodes an answer as it is encoded here. The common ones have a fast path.
func (r *rowReader) answer(document []byte, into *reading.Answer) error {
	name, value, plain := plainly(document)
	switch {
	case !plain:
	case name == "grade":
		if x, err := strconv.ParseFloat(string(value), 64); err == nil {
			into.Grade = &x
			return nil
		}
	case name == "check" || name == "level":
		if text, ok := quoted(value); ok {
			if name == "check" {
				into.Check = r.text(text)
			} else {
				into.Level = r.text(text)
			}
			return nil
		}
	case name == "runs":
		if runs, ok := numbers(value); ok {
			into.Runs = runs
			return nil
		}
	case name == "count":
		if count, ok := ofMany(value); ok {
			into.Count = count
			return nil
		}
	}
	return json.Unmarshal(document, into)
}

// plainly splits a document with one field: {"name":value}.
func plainly(document []byte) (name string, value []byte, ok bool) {
	rest, opens := bytes.CutPrefix(document, []byte(`{"`))
	rest, closes := bytes.CutSuffix(rest, []byte(`}`))
	key, value, named := bytes.Cut(rest, []byte(`":`))
	return string(key), value, opens && closes && named
}

// quoted parses a quoted text without escapes.
func quoted(value []byte) (text []byte, ok bool) {
	if len(value) < 2 || value[0] != '"' || value[len(value)-1] != '"' {
		return nil, false
	}
	text = value[1 : len(value)-1]
	return text, !bytes.ContainsAny(text, `"\`)
}

// numbers parses a list of numbers.
func numbers(value []byte) (all []float64, ok bool) {
	if len(value) < 3 || value[0] != '[' || value[len(value)-1] != ']' {
		return nil, false
	}
	value = value[1 : len(value)-1]
	all = make([]float64, 0, bytes.Count(value, []byte(","))+1)
	for part := range bytes.SplitSeq(value, []byte(",")) {
		x, err := strconv.ParseFloat(string(part), 64)
		if err != nil {
			return nil, false
		}
		all = append(all, x)
	}
	return all, true
}

// ofMany parses a count of so many: {"k":13,"n":20}.
func ofMany(value []byte) (*reading.Count, bool) {
	rest, opens := bytes.CutPrefix(value, []byte(`{"k":`))
	rest, closes := bytes.CutSuffix(rest, []byte(`}`))
	left, right, both := bytes.Cut(rest, []byte(`,"n":`))
	k, badK := strconv.Atoi(string(left))
	n, badN := strconv.Atoi(string(right))
	if !opens || !closes || !both || badK != nil || badN != nil {
		return nil, false
	}
	return &reading.Count{K: &k, N: &n}, true
}
