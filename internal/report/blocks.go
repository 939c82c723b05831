package report

import (
	"fmt"
	"slices"
	"strings"

	"dappertally/internal/tables"
)

// Section is one part of a report, laid out: for people, and as rows for programs.
type Section struct {
	ID, Kind, Title string
	Blocks          []Block
	Data            *tables.Table // nil if the part is only text
}

// Block is one element of the page; exactly one of its fields is set.
type Block struct {
	Prose   string // Markdown of the authors, with figures filled in
	Heading string
	Note    string // a sentence of this program
	List    []Item
	Table   *Table
	Figure  *Figure
	Shots   []Shot
}

// Item is an entry of a list.
type Item struct {
	Name string // in the typeface of names
	Text string
}

// Term is a name with its entries in a list.
type Term struct {
	Name string
	Says []string
}

// Terms returns a list with the entries of each name together.
func (b *Block) Terms() []Term {
	var terms []Term
	for _, x := range b.List {
		if n := len(terms); n == 0 || terms[n-1].Name != x.Name {
			terms = append(terms, Term{Name: x.Name})
		}
		last := &terms[len(terms)-1]
		last.Says = append(last.Says, x.Text)
	}
	return terms
}

// Table is a table for people.
type Table struct {
	Columns []Column
	Rows    []Row
	Caption string // caption for screen readers
	Repeats int    // columns that every sheet begins with, if each further one is an edition's; 0: a single sheet
}

// mostAcross is how many editions fit side by side on a sheet of paper.
const mostAcross = 10

// Sheets splits the table into as many parts as its editions need on paper, each with the common columns.
func (t *Table) Sheets() []*Table {
	further := len(t.Columns) - t.Repeats
	n := (further + mostAcross - 1) / mostAcross
	if t.Repeats == 0 || n < 2 {
		return []*Table{t}
	}
	var sheets []*Table
	for i := range n {
		from, to := t.Repeats+i*further/n, t.Repeats+(i+1)*further/n
		s := &Table{
			Columns: slices.Concat(t.Columns[:t.Repeats], t.Columns[from:to]),
			Caption: fmt.Sprintf("%s, part %d of %d", t.Caption, i+1, n),
		}
		for _, r := range t.Rows {
			s.Rows = append(s.Rows, Row{slices.Concat(r.Cells[:t.Repeats], r.Cells[from:to])})
		}
		sheets = append(sheets, s)
	}
	return sheets
}

// Column is a column of a table; figures align right.
type Column struct {
	Title string
	Small string // below the title: unit, direction
	Left  bool
}

// Row is a row of a table.
type Row struct{ Cells []Cell }

// Cell is a cell of a table.
type Cell struct {
	Text   string
	Small  string // below it
	Strong bool
	Name   bool // name of an edition or distribution
	Best   bool // the best of its row, shown by a mark
	Link   string
}

// Shot is a picture in a gallery.
type Shot struct {
	Title, Caption, Edition string
	SHA256                  string
}

func cell(text string) Cell { return Cell{Text: text} }

func sentences(s ...string) string { return strings.TrimSpace(strings.Join(s, " ")) }

// add appends blocks to the section.
func (s *Section) add(b ...Block) { s.Blocks = append(s.Blocks, b...) }

func (s *Section) note(says ...string) {
	if t := sentences(says...); t != "" {
		s.add(Block{Note: t})
	}
}

// data starts the rows for programs.
func (s *Section) data(d *tables.Definition) *tables.Table {
	s.Data = d.Table()
	return s.Data
}
