package bundle

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"math"
	"reflect"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"dappertally/core/controls"
	"dappertally/core/fault"
	"dappertally/core/reading"
)

// Decode reads JSON into a struct and names every fault of form: unknown and
// repeated keys, missing ones, wrong types, numbers out of range. A key is
// required unless its field's tag says omitempty or omitzero. Unlike
// encoding/json it does not stop at the first fault.
func Decode(data []byte, into any) fault.List {
	if !utf8.Valid(data) {
		return fault.List{{Detail: "is not UTF-8 text"}}
	}
	if err := wellFormed(data); err != nil {
		return fault.List{{Detail: err.Error()}}
	}
	d := decoder{dec: json.NewDecoder(bytes.NewReader(data))}
	d.dec.UseNumber()
	d.value(reflect.ValueOf(into).Elem())
	if faults := d.book.List(); len(faults) > 0 {
		return faults
	}
	return controls.Document(data)
}

// wellFormed checks the syntax and reports line and column of the first error.
func wellFormed(data []byte) error {
	dec := json.NewDecoder(bytes.NewReader(data))
	var whole json.RawMessage
	err := dec.Decode(&whole)
	offset := dec.InputOffset()
	if err == nil {
		if _, err = dec.Token(); errors.Is(err, io.EOF) {
			return nil
		}
		err = errors.New("there is content after the end of the document")
	}
	var syntax *json.SyntaxError
	switch {
	case errors.As(err, &syntax):
		offset = syntax.Offset
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		err, offset = errors.New("the document ends too early"), int64(len(data))
	}
	before := data[:min(offset, int64(len(data)))]
	line := 1 + bytes.Count(before, []byte("\n"))
	column := len(before) - bytes.LastIndexByte(before, '\n')
	return errors.New(
		"is not JSON: line " + strconv.Itoa(line) + ", column " + strconv.Itoa(column) + ": " + err.Error(),
	)
}

type decoder struct {
	dec  *json.Decoder
	book fault.Book
}

var (
	timeType = reflect.TypeFor[time.Time]()
	factType = reflect.TypeFor[reading.Fact]()
)

// value reads the next value into v. The syntax was checked before, so token errors cannot occur.
func (d *decoder) value(v reflect.Value) {
	if v.Kind() == reflect.Pointer {
		v.Set(reflect.New(v.Type().Elem()))
		v = v.Elem()
	}
	if v.Type() == factType {
		d.whole(v)
		return
	}
	tok, _ := d.dec.Token()
	d.token(tok, v)
}

// whole reads a value whose type has its own UnmarshalJSON.
func (d *decoder) whole(v reflect.Value) {
	var raw json.RawMessage
	_ = d.dec.Decode(&raw)
	if err := json.Unmarshal(raw, v.Addr().Interface()); err != nil {
		d.book.Add("%s", err)
	}
}

func (d *decoder) token(tok json.Token, v reflect.Value) {
	if v.Type() == timeType {
		d.time(tok, v)
		return
	}
	switch v.Kind() {
	case reflect.Struct:
		if d.opens(tok, '{', "an object") {
			d.object(v)
		}
	case reflect.Map:
		if d.opens(tok, '{', "an object") {
			d.mapping(v)
		}
	case reflect.Slice:
		if d.opens(tok, '[', "a list") {
			d.list(v)
		}
	case reflect.Array:
		if d.opens(tok, '[', "a list") {
			d.array(v)
		}
	case reflect.String:
		if s, ok := tok.(string); ok {
			v.SetString(s)
		} else {
			d.wrong(tok, "a text")
		}
	case reflect.Bool:
		if b, ok := tok.(bool); ok {
			v.SetBool(b)
		} else {
			d.wrong(tok, "true or false")
		}
	default:
		d.decodeNumber(tok, v)
	}
}

func (d *decoder) opens(tok json.Token, delim json.Delim, wanted string) bool {
	if tok == delim {
		return true
	}
	d.wrong(tok, wanted)
	return false
}

func (d *decoder) object(v reflect.Value) {
	fields := fieldsOf(v.Type())
	seen := make([]bool, len(fields.order))
	for d.dec.More() {
		tok, _ := d.dec.Token()
		key := tok.(string)
		d.book.In(key, func() {
			i, known := fields.index[key]
			switch {
			case !known:
				d.book.Add("is an unknown key")
				d.skip()
			case seen[i]:
				d.book.Add("is duplicated")
				d.skip()
			default:
				seen[i] = true
				d.value(v.FieldByIndex(fields.order[i].index))
			}
		})
	}
	_, _ = d.dec.Token()
	for i, f := range fields.order {
		if f.required && !seen[i] {
			d.book.Field(f.name, "is missing")
		}
	}
}

func (d *decoder) mapping(v reflect.Value) {
	v.Set(reflect.MakeMap(v.Type()))
	for d.dec.More() {
		tok, _ := d.dec.Token()
		key := reflect.ValueOf(tok.(string))
		d.book.In(tok, func() {
			if v.MapIndex(key).IsValid() {
				d.book.Add("is duplicated")
			}
			element := reflect.New(v.Type().Elem()).Elem()
			d.value(element)
			v.SetMapIndex(key, element)
		})
	}
	_, _ = d.dec.Token()
}

func (d *decoder) list(v reflect.Value) {
	out := reflect.MakeSlice(v.Type(), 0, 0)
	for i := 0; d.dec.More(); i++ {
		if d.book.Full() { // the input is rejected anyway, and must not fill the memory
			d.skip()
			continue
		}
		element := reflect.New(v.Type().Elem()).Elem()
		d.book.In(i, func() { d.value(element) })
		out = reflect.Append(out, element)
	}
	_, _ = d.dec.Token()
	v.Set(out)
}

func (d *decoder) array(v reflect.Value) {
	n := 0
	for ; d.dec.More(); n++ {
		d.book.In(n, func() {
			if n < v.Len() {
				d.value(v.Index(n))
			} else {
				d.skip()
			}
		})
	}
	_, _ = d.dec.Token()
	if n != v.Len() {
		d.book.Add("holds %d values; it must hold %d", n, v.Len())
	}
}

func (d *decoder) decodeNumber(tok json.Token, v reflect.Value) {
	n, ok := tok.(json.Number)
	if !ok {
		d.wrong(tok, "a number")
		return
	}
	if v.Kind() == reflect.Float64 {
		x, err := n.Float64()
		if err != nil || math.IsInf(x, 0) {
			d.book.Add("the number %s is out of range", n)
			return
		}
		v.SetFloat(x)
		return
	}
	i, err := n.Int64()
	if err != nil || v.OverflowInt(i) {
		d.book.Add("%s is not a whole number in range", n)
		return
	}
	v.SetInt(i)
}

func (d *decoder) time(tok json.Token, v reflect.Value) {
	s, ok := tok.(string)
	if !ok {
		d.wrong(tok, "a time such as 2026-05-02T09:00:00Z")
		return
	}
	t, err := time.Parse(time.RFC3339Nano, s)
	if err != nil || t.Year() < 1 {
		d.book.Add("%q is not a time such as 2026-05-02T09:00:00Z (RFC 3339)", clip(s))
		return
	}
	if t.Nanosecond()%1000 != 0 {
		d.book.Add("%q is finer than a microsecond", clip(s))
		return
	}
	v.Set(reflect.ValueOf(t.UTC()))
}

// wrong reports that a value has the wrong type and skips the rest of it. tok is its first token, which has been
// read.
func (d *decoder) wrong(tok json.Token, wanted string) {
	found := "null"
	switch t := tok.(type) {
	case json.Delim:
		found = map[json.Delim]string{'{': "an object", '[': "a list"}[t]
		d.close()
	case string:
		found = strconv.Quote(clip(t))
	case json.Number:
		found = clip(t.String())
	case bool:
		found = strconv.FormatBool(t)
	}
	d.book.Add("must be %s, not %s", wanted, found)
}

// close skips to the end of the object or list that was just opened.
func (d *decoder) close() {
	for depth := 1; depth > 0; {
		tok, err := d.dec.Token()
		if err != nil {
			return
		}
		switch tok {
		case json.Delim('{'), json.Delim('['):
			depth++
		case json.Delim('}'), json.Delim(']'):
			depth--
		}
	}
}

func (d *decoder) skip() {
	var raw json.RawMessage
	_ = d.dec.Decode(&raw)
}

func clip(s string) string {
	if len(s) > 60 {
		return strings.ToValidUTF8(s[:60], "") + "…"
	}
	return s
}

// fields is a struct's fields as their tags have them.
type fields struct {
	order []field
	index map[string]int // by name
}

type field struct {
	name     string
	required bool
	index    []int // through embedded structs
}

var known sync.Map // fields by type

func fieldsOf(t reflect.Type) *fields {
	if fs, ok := known.Load(t); ok {
		return fs.(*fields)
	}
	fs := &fields{index: map[string]int{}}
	for _, f := range reflect.VisibleFields(t) {
		if f.Anonymous {
			continue // its fields are visible themselves
		}
		name, options, _ := strings.Cut(f.Tag.Get("json"), ",")
		fs.index[name] = len(fs.order)
		fs.order = append(fs.order, field{name, !strings.HasPrefix(options, "omit"), f.Index})
	}
	known.Store(t, fs)
	return fs
}
