// Package results defines the tables of results: their columns, in one place, for the terminal, for files, and for
// the tables of a report. The data are the same everywhere; words for people come from whoever shows the table.
package results

import (
	"slices"
	"strings"

	"dappertally/core/scoring"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
)

// Namer returns the name of an edition for people.
type Namer func(edition string) string

// cell is an edition, as data and for people.
func (n Namer) cell(edition string) any {
	if n == nil || edition == "" {
		return edition
	}
	return tables.As{Data: edition, Text: n(edition)}
}

// perSection are the columns of the sections' scores.
func perSection(titles []Section) []tables.Column {
	columns := make([]tables.Column, len(titles))
	for i, s := range titles {
		title := s.Title
		if s.Share != nil {
			title = strings.TrimSpace(s.Title + " " + numerals.Share(*s.Share))
		}
		columns[i] = tables.Points("section."+s.Key, title, "").Yields()
	}
	return columns
}

// Section is a section in the heading of a column; Share can be nil.
type Section struct {
	Key, Title string
	Share      *float64
}

// scores returns the cells of perSection.
func scores(all []scoring.SectionScore) []any {
	cells := make([]any, len(all))
	for i := range all {
		cells[i] = all[i].Score
	}
	return cells
}

// row joins cells; a slice of cells stands for several.
func row(cells ...any) []any {
	out := make([]any, 0, len(cells))
	for _, c := range cells {
		if some, ok := c.([]any); ok {
			out = slices.Concat(out, some)
			continue
		}
		out = append(out, c)
	}
	return out
}
