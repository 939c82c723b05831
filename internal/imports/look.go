package imports

import (
	"errors"
	"io"

	"dappertally/internal/tables"
)

// Glance is a preview of a file, for writing a mapping.
type Glance struct {
	Columns []string   `json:"columns"` // of a table
	Rows    [][]string `json:"rows"`    // the first ones
	Tests   []string   `json:"tests"`   // names, of TAP results
}

// Look returns a preview of a file.
func Look(in io.Reader, form, delimiter string) (Glance, error) {
	g := Glance{Columns: []string{}, Rows: [][]string{}, Tests: []string{}}
	if form == "tap" {
		results, err := parseTAP(in)
		for _, r := range results {
			g.Tests = append(g.Tests, r.name)
		}
		return g, err
	}
	m := Mapping{Delimiter: delimiter}
	source, err := tables.Read(in, form, m.delimiter())
	if err != nil {
		return g, err
	}
	g.Columns = source.Columns()
	const few = 5
	for len(g.Rows) < few {
		row, err := source.Next()
		if errors.Is(err, io.EOF) {
			return g, nil
		}
		if err != nil {
			return g, err
		}
		cells := make([]string, len(g.Columns))
		for i, c := range g.Columns {
			cells[i], _ = row.Get(c)
		}
		g.Rows = append(g.Rows, cells)
	}
	return g, nil
}
