package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"time"

	"dappertally/core/checklist"
)

// Checklists is all versions of all checklists, by key and version.
type Checklists struct {
	Lists    []checklist.Checklist
	Versions map[string]Ref // by key@version
	Shown    map[string]int // the version shown by default, by key; 0: the newest in force
	// ShowShare is, by key, the share of the ranked editions, 0–1, that must have a review on the newest version in
	// force for it to be shown automatically; 0: a lead decides.
	ShowShare map[string]float64
	InForce   map[string]time.Time
}

func loadChecklists(ctx context.Context, q querier) (*Checklists, error) {
	c := &Checklists{
		Lists:     []checklist.Checklist{},
		Versions:  map[string]Ref{},
		Shown:     map[string]int{},
		ShowShare: map[string]float64{},
		InForce:   map[string]time.Time{},
	}
	audiences, err := loadAudiences(ctx, q)
	if err != nil {
		return nil, err
	}
	err = each(
		ctx,
		q,
		"SELECT v.id, v.revision, v.state, v.document, c.shown, c.show_share, v.in_force FROM checklist_versions v JOIN checklists c ON c.id = v.checklist ORDER BY c.key, v.version",
		nil,
		func(row *sql.Rows) error {
			var ref Ref
			var state checklist.State
			var document []byte
			var shown sql.NullInt64
			var share sql.NullFloat64
			var inForce sql.NullTime
			if err := row.Scan(&ref.ID, &ref.Revision, &state, &document, &shown, &share, &inForce); err != nil {
				return err
			}
			var list checklist.Checklist
			if err := json.Unmarshal(document, &list); err != nil {
				return fmt.Errorf("checklist version %s: %w", ref.ID, err)
			}
			list.State = state
			if newest, ok := audiences[ref.ID]; ok {
				list.Audiences = revised(list.Audiences, newest)
			}
			c.Shown[list.Key] = int(shown.Int64)
			c.ShowShare[list.Key] = share.Float64
			c.InForce[list.Name()] = inForce.Time
			c.Lists = append(c.Lists, list)
			c.Versions[list.Name()] = ref
			return nil
		},
	)
	return c, err
}

// AddChecklist adds a version with a new id, and its key if it is the first. A version that is not a draft is in
// force since then or, if it is imported, since the work on it began.
func (t *Tx) AddChecklist(id string, c *checklist.Checklist, since time.Time) error {
	if err := t.exec("INSERT INTO checklists (id, `key`) VALUES (?, ?) ON DUPLICATE KEY UPDATE id = id", NewID(), c.Key); err != nil {
		return err
	}
	var parent string
	if err := t.row("SELECT id FROM checklists WHERE `key` = ?", c.Key).Scan(&parent); err != nil {
		return translate(err)
	}
	if err := t.exec(`INSERT INTO checklist_versions (id, checklist, version, state, document, in_force) VALUES (?, ?, ?, ?, ?, ?)`,
		id, parent, c.Version, c.State, asJSON(c), sql.NullTime{Time: since.UTC(), Valid: c.State != checklist.Draft}); err != nil {
		return err
	}
	if c.State != checklist.Draft {
		if err := t.freezeAudiences(id, c, since); err != nil {
			return err
		}
	}
	return t.addCriteria(id, c)
}

// Show sets the version that is shown by default; 0 stands for the newest in force. share is the share of the ranked
// editions that must have a review on the newest version in force for it to be shown automatically; 0: a lead
// decides.
func (t *Tx) Show(key string, version int, share float64) error {
	return t.exec(
		"UPDATE checklists SET shown = ?, show_share = ? WHERE `key` = ?",
		sql.NullInt64{
			Int64: int64(version),
			Valid: version > 0,
		},
		sql.NullFloat64{Float64: share, Valid: share > 0},
		key,
	)
}

// ShownNow returns the version chosen to be shown, 0 for the newest in force. It locks the choice until the
// transaction ends.
func (t *Tx) ShownNow(key string) (version int, err error) {
	var shown sql.NullInt64
	err = t.row("SELECT shown FROM checklists WHERE `key` = ? FOR UPDATE", key).Scan(&shown)
	return int(shown.Int64), translate(err)
}

// DropVersion removes a draft. It must not have reviews or proposals.
func (t *Tx) DropVersion(ref Ref) error {
	res, err := t.ExecContext(
		t.ctx,
		`DELETE FROM checklist_versions WHERE id = ? AND revision = ? AND state = ?`,
		ref.ID,
		ref.Revision,
		checklist.Draft,
	)
	if err != nil {
		return translate(err)
	}
	if n, err := res.RowsAffected(); err != nil || n == 1 {
		return translate(err)
	}
	return ErrStale
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

// EditDraft replaces a draft's document, and puts it in force if its state says so.
func (t *Tx) EditDraft(ref Ref, c *checklist.Checklist) error {
	if err := t.edit("checklist_versions", ref.ID, ref.Revision, "state = ?, document = ?, in_force = ?", c.State, asJSON(c), t.inForce(c)); err != nil {
		return err
	}
	if err := t.exec(`DELETE FROM criteria WHERE checklist_version = ?`, ref.ID); err != nil {
		return err
	}
	if c.State == checklist.InForce {
		if err := t.freezeAudiences(ref.ID, c, t.now); err != nil {
			return err
		}
	}
	return t.addCriteria(ref.ID, c)
}

// SetChecklistState moves a frozen version to another state.
func (t *Tx) SetChecklistState(ref Ref, state checklist.State) error {
	return t.edit("checklist_versions", ref.ID, ref.Revision, "state = ?", state)
}
