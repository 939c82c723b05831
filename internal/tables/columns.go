package tables

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"dappertally/internal/numerals"
)

// Type is the type of a column's cells.
type Type string

// The types of column, as the documentation names them.
const (
	TypeText    Type = "text"
	TypeInteger Type = "integer"
	TypeNumber  Type = "number"
	TypePoints  Type = "points"  // 0 to 100
	TypeShare   Type = "share"   // of 1; shown as percent
	TypePercent Type = "percent" // of a change, with a sign
	TypeTruth   Type = "true or false"
	TypeDay     Type = "day"    // YYYY-MM-DD
	TypeMoment  Type = "moment" // RFC 3339
	TypeList    Type = "list"   // texts, separated by spaces if none contains one, else by "; "
)

// Column is one column of a table. Data have its key as the heading, which never changes; people see its title. A
// column without a key is only for people, one without a title only for programs.
type Column struct {
	Key, Title string
	Type       Type
	Unit       string
	Means      string
	Decimals   int  // of a share, for people
	GivesWay   int  // order of removal on a narrow terminal: 2 before 1; 0: never
	Hidden     bool // not shown to people in this table
}

// Text returns a column of words.
func Text(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypeText, Means: means}
}

// Integer returns a column of integers.
func Integer(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypeInteger, Means: means}
}

// Number returns a column of measured values.
func Number(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypeNumber, Means: means}
}

// Points returns a column of points or scores, 0 to 100.
func Points(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypePoints, Means: means}
}

// Share returns a column of shares of 1.
func Share(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypeShare, Means: means}
}

// Percent returns a column of changes in percent.
func Percent(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypePercent, Means: means}
}

// Truth returns a column of true or false.
func Truth(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypeTruth, Means: means}
}

// Day returns a column of days, such as 2026-11-23.
func Day(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypeDay, Means: means}
}

// Moment returns a column of times.
func Moment(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypeMoment, Means: means}
}

// List returns a column of several texts in one cell.
func List(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypeList, Means: means}
}

// Beside returns a column of words that only people see.
func Beside(title string) Column { return Column{Title: title, Type: TypeText} }

// BesideNumber returns such a column with cells aligned like numbers.
func BesideNumber(title string) Column { return Column{Title: title, Type: TypeNumber} }

// In sets the column's unit.
func (c Column) In(unit string) Column { c.Unit = unit; return c }

// Yields allows a narrow terminal to leave the column out.
func (c Column) Yields() Column { c.GivesWay = 1; return c }

// YieldsFirst is Yields, before other columns.
func (c Column) YieldsFirst() Column { c.GivesWay = 2; return c }

// To sets the decimals of a share in percent for people.
func (c Column) To(decimals int) Column { c.Decimals = decimals; return c }

// Numeric reports whether the cells are numbers, which are right-aligned.
func (c *Column) Numeric() bool {
	switch c.Type {
	case TypeInteger, TypeNumber, TypePoints, TypeShare, TypePercent:
		return true
	}
	return false
}

// As is a cell with other words for people than for programs.
type As struct {
	Data any
	Text string
}

// Shown formats a cell of the column for people.
func (c *Column) Shown(cell any) string {
	switch x := cell.(type) {
	case As:
		return x.Text
	case nil:
		if c.Numeric() {
			return numerals.None
		}
		return ""
	case bool:
		if x {
			return "yes"
		}
		return ""
	case time.Time:
		return x.UTC().Format("2006-01-02 15:04 UTC")
	case []string:
		return strings.Join(x, ", ")
	case float64:
		return c.figure(x)
	}
	return fmt.Sprint(cell)
}

func (c *Column) figure(x float64) string {
	switch c.Type {
	case TypePoints:
		return numerals.Score(&x)
	case TypeShare:
		return numerals.Rounded(100*x, c.Decimals) + " %"
	case TypePercent:
		return numerals.Change(&x)
	case TypeInteger:
		return numerals.Rounded(x, 0)
	}
	return numerals.Value(&x)
}

// plain resolves the forms of a cell that only make it easier to fill in: a pointer becomes its target, or nothing,
// and so does a zero time.
func plain(cell any) any {
	switch x := cell.(type) {
	case *float64:
		if x == nil {
			return nil
		}
		return *x
	case *int:
		if x == nil {
			return nil
		}
		return *x
	case int64:
		return int(x)
	case time.Time:
		if x.IsZero() {
			return nil
		}
	case As:
		return As{plain(x.Data), x.Text}
	}
	return cell
}

// data returns a cell for programs: a string, a float64, an int, a bool, or nil.
func data(cell any) any {
	switch x := cell.(type) {
	case As:
		return data(x.Data)
	case time.Time:
		return x.UTC().Format(time.RFC3339Nano)
	case []string:
		if slices.ContainsFunc(x, func(s string) bool { return strings.Contains(s, " ") }) {
			return strings.Join(x, "; ")
		}
		return strings.Join(x, " ")
	}
	return cell
}

// Definition defines in one place what the rows of a table are and what its columns mean; everything that writes the
// table uses these columns.
type Definition struct {
	Name    string // in the plural, lower case
	Means   string
	Columns []Column
}

var defined []*Definition

// Define defines a table. Each name is defined only once in a program.
func Define(name, means string, columns ...Column) *Definition {
	d := &Definition{name, means, columns}
	if slices.ContainsFunc(defined, func(other *Definition) bool { return other.Name == name }) {
		panic("two tables are called " + name)
	}
	defined = append(defined, d)
	return d
}

// Defined lists all definitions of the program by name.
func Defined() []*Definition {
	return slices.SortedFunc(slices.Values(defined), func(a, b *Definition) int {
		return strings.Compare(a.Name, b.Name)
	})
}

// Table starts a table with the definition's columns. A column whose key ends with a star is replaced by the given
// ones.
func (d *Definition) Table(each ...Column) *Table {
	t := &Table{Name: d.Name}
	for _, c := range d.Columns {
		if strings.HasSuffix(c.Key, "*") {
			t.Columns = append(t.Columns, each...)
			continue
		}
		t.Columns = append(t.Columns, c)
	}
	return t
}
