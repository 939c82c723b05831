package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"

	"dappertally/internal/imports"
)

// Mapping is a saved mapping with its revision.
type Mapping struct {
	Ref
	imports.Mapping
}

// Mappings reads all saved mappings, by name.
func (s *Store) Mappings(ctx context.Context) ([]Mapping, error) {
	all := []Mapping{}
	err := each(ctx, s.db, `SELECT id, revision, document FROM mappings ORDER BY name`, nil, func(row *sql.Rows) error {
		var m Mapping
		var document []byte
		if err := row.Scan(&m.ID, &m.Revision, &document); err != nil {
			return err
		}
		if err := json.Unmarshal(document, &m.Mapping); err != nil {
			return err
		}
		all = append(all, m)
		return nil
	})
	return all, err
}

// AddMapping saves a mapping under a new name.
func (t *Tx) AddMapping(m *imports.Mapping) error {
	return t.exec(
		`INSERT INTO mappings (id, name, document, person, written) VALUES (?, ?, ?, ?, ?)`,
		NewID(),
		m.Name,
		asJSON(m),
		null(t.person),
		t.now,
	)
}

// EditMapping replaces a saved mapping.
func (t *Tx) EditMapping(ref Ref, m *imports.Mapping) error {
	return t.edit(
		"mappings", ref.ID, ref.Revision, "document = ?, person = ?, written = ?", asJSON(m), null(t.person), t.now,
	)
}

// DropMapping deletes a saved mapping.
func (t *Tx) DropMapping(ref Ref) error {
	return t.exec(`DELETE FROM mappings WHERE id = ? AND revision = ?`, ref.ID, ref.Revision)
}

// ScanReadings reads all readings in storage order, only to count them. It is the reference for other reading speeds.
func (s *Store) ScanReadings(ctx context.Context) (rows int, err error) {
	var values []any
	err = each(ctx, s.db, `SELECT * FROM readings`, nil, func(row *sql.Rows) error {
		if values == nil {
			columns, err := row.Columns()
			if err != nil {
				return err
			}
			values = make([]any, len(columns))
			for i := range values {
				values[i] = new(sql.RawBytes)
			}
		}
		rows++
		return row.Scan(values...)
	})
	return rows, err
}

// Unchecked runs do without checks of foreign keys and unique keys by the database: for large amounts of made-up
// data.
func (t *Tx) Unchecked(do func() error) error {
	if err := t.exec(`SET SESSION foreign_key_checks = 0, SESSION unique_checks = 0`); err != nil {
		return err
	}
	err := do()
	// A connection on which that fails is discarded, and the transaction with it.
	return errors.Join(err, t.exec(`SET SESSION foreign_key_checks = 1, SESSION unique_checks = 1`))
}
