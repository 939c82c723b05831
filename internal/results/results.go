// Package results defines the tables that results are given as: their columns, once, for
// the terminal, for files, and for the tables of a report. What people read beside the data
// comes from whoever shows them; the data are the same everywhere.
package results

import (
	"slices"
	"strings"

	"dappertally/core/scoring"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
)

// Namer gives the name under which people know an edition.
type Namer func(edition string) string

// cell is an edition as programs and people read it.
func (n Namer) cell(edition string) any {
	if n == nil || edition == "" {
		return edition
	}
	return tables.As{Data: edition, Text: n(edition)}
}

// perSection are a column for each section's score.
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

// Section is a section as the heading of a column has it; Share may be nil.
type Section struct {
	Key, Title string
	Share      *float64
}

// scores are the cells below perSection.
func scores(all []scoring.SectionScore) []any {
	cells := make([]any, len(all))
	for i := range all {
		cells[i] = all[i].Score
	}
	return cells
}

// row is cells, of which those that are slices of cells stand for several.
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
