package imports

import (
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/xuri/excelize/v2"

	"dappertally/core/catalogue"
	"dappertally/core/fault"
	"dappertally/internal/numerals"
)

// Kind is the kind of a catalogue entry.
type Kind string

// The kinds.
const (
	Distribution Kind = "distribution"
	Release      Kind = "release"
	Edition      Kind = "edition"
	Rig          Kind = "rig"
)

// Kinds lists the kinds, each after its parent.
var Kinds = []Kind{Rig, Distribution, Release, Edition}

func kindWords() string {
	words := make([]string, len(Kinds))
	for i, k := range Kinds {
		words[i] = string(k)
	}
	return strings.Join(words, ", ")
}

// depth returns the number of keys above its own.
func (k Kind) depth() int {
	return map[Kind]int{Release: 1, Edition: 2}[k]
}

func (k Kind) article() string {
	if k == Edition {
		return "an edition"
	}
	return "a " + string(k)
}

func (k Kind) keyForm() string {
	return map[Kind]string{Distribution: "one word, such as mossgate", Release: "distribution/version, such as mossgate/3.1",
		Edition: "distribution/version/edition, such as mossgate/3.1/latchwork", Rig: "one word, such as bench-old"}[k]
}

// empty returns a new object of this kind.
func (k Kind) empty() any {
	switch k {
	case Distribution:
		return &catalogue.Distribution{}
	case Release:
		return &catalogue.Release{}
	case Edition:
		return &catalogue.Edition{}
	}
	return &catalogue.Rig{}
}

// keyed are the fields given by an entry's key and its place in the file.
var keyed = []string{"key", "version", "releases", "editions"}

// fieldsOf returns the fields of an object that a file can state, by their JSON names.
func fieldsOf(thing any) map[string]reflect.Value {
	fields := map[string]reflect.Value{}
	collectFields(reflect.ValueOf(thing).Elem(), "", func(name string, v reflect.Value) { fields[name] = v })
	return fields
}

func collectFields(v reflect.Value, prefix string, note func(string, reflect.Value)) {
	for i := range v.NumField() {
		name, _, _ := strings.Cut(v.Type().Field(i).Tag.Get("json"), ",")
		switch {
		case prefix == "" && slices.Contains(keyed, name):
		case v.Field(i).Kind() == reflect.Struct:
			collectFields(v.Field(i), prefix+name+".", note)
		default:
			note(prefix+name, v.Field(i))
		}
	}
}

// ColumnsOf lists the columns of a kind, in the order of its type.
func ColumnsOf(k Kind) []string {
	var names []string
	collectFields(
		reflect.ValueOf(k.empty()).Elem(), "", func(name string, _ reflect.Value) { names = append(names, name) },
	)
	return names
}

// CatalogueColumns lists the columns of all kinds, each once.
var CatalogueColumns = sync.OnceValue(func() []string {
	var names []string
	for _, k := range []Kind{Distribution, Release, Edition, Rig} {
		for _, name := range ColumnsOf(k) {
			if !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
	}
	return names
})

// Apply sets the fields that the entry states on an object of its kind, and reports those that cannot be set. Other
// fields stay the same.
func (e *Entry) Apply(thing any, book *fault.Book) {
	fields := fieldsOf(thing)
	for _, c := range e.cells {
		field, ok := fields[c.name]
		if !ok {
			book.Field(
				c.name, "is not a field of %s; the fields are %s", e.Kind.article(), strings.Join(ColumnsOf(e.Kind), ", "),
			)
			continue
		}
		if err := c.set(field); err != nil {
			book.Field(c.name, "%s", err)
		}
	}
}

// LineOf returns the line of the file with a field of the entry; the entry's own line if the file does not state the
// field.
func (e *Entry) LineOf(field string) int {
	for _, c := range e.cells {
		if c.name == field {
			return c.line
		}
	}
	return e.Line
}

func (c *cell) set(field reflect.Value) error {
	if field.Kind() == reflect.Slice {
		field.Set(reflect.ValueOf(c.parts()))
		return nil
	}
	if c.list {
		return errors.New("must be one value, not a list")
	}
	text := c.values[0]
	if field.Kind() == reflect.Pointer {
		field.Set(reflect.New(field.Type().Elem()))
		field = field.Elem()
	}
	switch field.Kind() {
	case reflect.String:
		field.SetString(text)
	case reflect.Bool:
		is, ok := truths[strings.ToLower(text)]
		if !ok {
			return fmt.Errorf("must be true or false, not %.70q", text)
		}
		field.SetBool(is)
	case reflect.Int, reflect.Int64:
		n, err := strconv.ParseInt(text, 10, 32)
		if err != nil {
			return fmt.Errorf("must be a whole number, not %.70q", text)
		}
		field.SetInt(n)
	case reflect.Float64:
		x, ok := numerals.Parse(strings.Replace(text, ",", ".", 1))
		if !ok {
			return fmt.Errorf("must be a number, not %.70q", text)
		}
		field.SetFloat(x)
	default:
		panic("a field of the catalogue has a type that no file can state: " + field.Type().String())
	}
	return nil
}

var truths = map[string]bool{"true": true, "yes": true, "1": true, "false": false, "no": false, "0": false}

// parts returns the values of a list, also of one written with commas or semicolons.
func (c *cell) parts() []string {
	if c.list {
		return c.values
	}
	parts := []string{}
	for _, p := range strings.FieldsFunc(c.values[0], func(r rune) bool { return r == ',' || r == ';' }) {
		if p = strings.TrimSpace(p); p != "" {
			parts = append(parts, p)
		}
	}
	return parts
}

// dayOfSheet converts a day that a workbook stores as a number; anything else stays.
func dayOfSheet(text string) string {
	n, err := strconv.ParseFloat(text, 64)
	if err != nil {
		return text
	}
	day, err := excelize.ExcelDateToTime(n, false)
	if err != nil {
		return text
	}
	return day.Format("2006-01-02")
}

// shownCell returns a field as a table holds it, nil if it is empty.
func shownCell(field reflect.Value) any {
	if field.Kind() == reflect.Pointer {
		if field.IsNil() {
			return nil
		}
		return field.Elem().Interface()
	}
	if list, ok := field.Interface().([]string); ok && len(list) > 0 {
		return strings.Join(list, ", ")
	}
	if field.IsZero() || field.Kind() == reflect.Slice {
		return nil
	}
	return field.Interface()
}

// Difference is a field that differs between two objects of one kind.
type Difference struct{ Field, Was, Is string }

// Differences lists the fields in which two objects of one kind differ, in the order of their type.
func Differences(was, is any) []Difference {
	before, after := fieldsOf(was), fieldsOf(is)
	var found []Difference
	collectFields(reflect.ValueOf(is).Elem(), "", func(name string, _ reflect.Value) {
		a, b := shownCell(before[name]), shownCell(after[name])
		if fmt.Sprint(a) != fmt.Sprint(b) {
			found = append(found, Difference{name, inCell(a), inCell(b)})
		}
	})
	return found
}

func inCell(v any) string {
	switch v := v.(type) {
	case nil:
		return "nothing"
	case bool:
		return map[bool]string{true: "yes", false: "no"}[v]
	}
	return fmt.Sprint(v)
}
