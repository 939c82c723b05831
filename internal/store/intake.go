package store

import (
	"context"
	"database/sql"
	"encoding/json"

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

// DropMapping forgets a saved mapping.
func (t *Tx) DropMapping(ref Ref) error {
	return t.exec(`DELETE FROM mappings WHERE id = ? AND revision = ?`, ref.ID, ref.Revision)
}
