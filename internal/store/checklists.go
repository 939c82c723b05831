package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"

	"dappertally/core/checklist"
)

// Checklists is all versions of all checklists, by key and version.
type Checklists struct {
	Lists    []checklist.Checklist
	Versions map[string]Ref // by key@version
}

func loadChecklists(ctx context.Context, q querier) (*Checklists, error) {
	c := &Checklists{Lists: []checklist.Checklist{}, Versions: map[string]Ref{}}
	err := each(ctx, q, "SELECT v.id, v.revision, v.state, v.document FROM checklist_versions v JOIN checklists c ON c.id = v.checklist ORDER BY c.key, v.version", nil, func(row *sql.Rows) error {
		var ref Ref
		var state checklist.State
		var document []byte
		if err := row.Scan(&ref.ID, &ref.Revision, &state, &document); err != nil {
			return err
		}
		var list checklist.Checklist
		if err := json.Unmarshal(document, &list); err != nil {
			return fmt.Errorf("checklist version %s: %w", ref.ID, err)
		}
		list.State = state
		c.Lists = append(c.Lists, list)
		c.Versions[list.Name()] = ref
		return nil
	})
	return c, err
}

// AddChecklist adds a version; its key comes into being with the first.
func (t *Tx) AddChecklist(c *checklist.Checklist) (id string, err error) {
	if err := t.exec("INSERT INTO checklists (id, `key`) VALUES (?, ?) ON DUPLICATE KEY UPDATE id = id", NewID(), c.Key); err != nil {
		return "", err
	}
	var parent string
	if err := t.row("SELECT id FROM checklists WHERE `key` = ?", c.Key).Scan(&parent); err != nil {
		return "", translate(err)
	}
	id = NewID()
	if err := t.exec(`INSERT INTO checklist_versions (id, checklist, version, state, document, in_force) VALUES (?, ?, ?, ?, ?, ?)`,
		id, parent, c.Version, c.State, asJSON(c), t.inForce(c)); err != nil {
		return "", err
	}
	return id, t.addCriteria(id, c)
}

func (t *Tx) inForce(c *checklist.Checklist) sql.NullTime {
	return sql.NullTime{Time: t.now, Valid: c.State == checklist.InForce}
}

func (t *Tx) addCriteria(version string, c *checklist.Checklist) error {
	for _, s := range c.Sections {
		for _, criterion := range s.Criteria {
			if err := t.exec("INSERT INTO criteria (checklist_version, `key`) VALUES (?, ?)", version, criterion.Key); err != nil {
				return err
			}
		}
	}
	return nil
}

// EditDraft replaces a draft's document, and puts it in force where its state
// says so.
func (t *Tx) EditDraft(ref Ref, c *checklist.Checklist) error {
	if err := t.edit("checklist_versions", ref.ID, ref.Revision, "state = ?, document = ?, in_force = ?", c.State, asJSON(c), t.inForce(c)); err != nil {
		return err
	}
	if err := t.exec(`DELETE FROM criteria WHERE checklist_version = ?`, ref.ID); err != nil {
		return err
	}
	return t.addCriteria(ref.ID, c)
}

// SetChecklistState moves a version that is frozen to another state.
func (t *Tx) SetChecklistState(ref Ref, state checklist.State) error {
	return t.edit("checklist_versions", ref.ID, ref.Revision, "state = ?", state)
}
