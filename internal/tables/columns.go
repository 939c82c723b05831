package tables

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"dappertally/internal/numerals"
)

// Type is what the cells of a column are.
type Type string

// The types of column, as the documentation names them.
const (
	TypeText    Type = "text"
	TypeInteger Type = "integer"
	TypeNumber  Type = "number"
	TypePoints  Type = "points"  // 0 to 100
	TypeShare   Type = "share"   // of 1; people read percent
	TypePercent Type = "percent" // of a change, with a sign
	TypeTruth   Type = "true or false"
	TypeDay     Type = "day"    // YYYY-MM-DD
	TypeMoment  Type = "moment" // RFC 3339
	TypeList    Type = "list"   // texts, apart by spaces where none holds one, else by "; "
)

// Column is one column of a table. Data are headed with its key and never change with
// the language or the audience; people read its title. A column without a key is for
// people alone, one without a title for programs alone.
type Column struct {
	Key, Title string
	Type       Type
	Unit       string
	Means      string
	Decimals   int  // of a share; people read so many
	GivesWay   int  // where a terminal is narrow: 2 before 1; 0 never
	Hidden     bool // from people in this table
}

// Text is a column of words.
func Text(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypeText, Means: means}
}

// Integer is a column of whole numbers.
func Integer(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypeInteger, Means: means}
}

// Number is a column of measured values.
func Number(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypeNumber, Means: means}
}

// Points is a column of points or scores, 0 to 100.
func Points(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypePoints, Means: means}
}

// Share is a column of shares of 1.
func Share(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypeShare, Means: means}
}

// Percent is a column of changes in percent.
func Percent(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypePercent, Means: means}
}

// Truth is a column of what is so or not.
func Truth(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypeTruth, Means: means}
}

// Day is a column of days, such as 2026-11-23.
func Day(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypeDay, Means: means}
}

// Moment is a column of times.
func Moment(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypeMoment, Means: means}
}

// List is a column of several texts in one cell.
func List(key, title, means string) Column {
	return Column{Key: key, Title: title, Type: TypeList, Means: means}
}

// Beside is a column of words that people read beside the data.
func Beside(title string) Column { return Column{Title: title, Type: TypeText} }

// BesideNumber is such a column whose cells align as numbers do.
func BesideNumber(title string) Column { return Column{Title: title, Type: TypeNumber} }

// In gives the column's unit.
func (c Column) In(unit string) Column { c.Unit = unit; return c }

// Yields lets the column give way in a narrow terminal.
func (c Column) Yields() Column { c.GivesWay = 1; return c }

// YieldsFirst lets the column give way before others.
func (c Column) YieldsFirst() Column { c.GivesWay = 2; return c }

// To gives how many decimals of a share in percent people read.
func (c Column) To(decimals int) Column { c.Decimals = decimals; return c }

// Numeric reports whether the cells are numbers, which align right.
func (c *Column) Numeric() bool {
	switch c.Type {
	case TypeInteger, TypeNumber, TypePoints, TypeShare, TypePercent:
		return true
	}
	return false
}

// As is a cell that people read in other words than programs.
type As struct {
	Data any
	Text string
}

// Shown is a cell of the column as people read it.
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

// plain is a cell without the forms that only make it easier to fill in: a pointer is
// what it points to, or nothing, and so is a time that is none.
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

// data is a cell as programs read it: a string, a float64, an int, a bool, or nil.
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

// Definition says once what the rows of a table are and what its columns mean; whatever
// writes the table, writes these columns.
type Definition struct {
	Name    string // in the plural, lower case
	Means   string
	Columns []Column
}

var defined []*Definition

// Define defines a table. Each name is defined once in a program.
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

// Table begins a table with the definition's columns. A column whose key ends in a star
// stands for those that are given.
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
