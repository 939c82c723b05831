package store

import (
	"context"
	"database/sql"
	"time"

	"dappertally/core/checklist"
)

// Draft is what somebody is typing and has not recorded.
type Draft struct {
	Criterion string
	Rig       string
	Context   checklist.Context
	Text      string
}

const deleteDraft = `DELETE FROM drafts WHERE review = ? AND person = ? AND criterion = ? AND rig = ? AND method = ? AND setup = ? AND phase = ?`

// SaveDraft stores what is typed, replacing the draft for the same criterion, person, rig and context; an empty text
// deletes it. Drafts are not in the change log: they are not results yet.
func (s *Store) SaveDraft(ctx context.Context, review, person string, d Draft, now time.Time) error {
	args := []any{review, person, d.Criterion, d.Rig, d.Context.Method, d.Context.Setup, d.Context.Phase}
	if d.Text == "" {
		_, err := s.db.ExecContext(ctx, deleteDraft, args...)
		return translate(err)
	}
	_, err := s.db.ExecContext(
		ctx,
		`INSERT INTO drafts (review, person, criterion, rig, method, setup, phase, text, saved) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)
		ON DUPLICATE KEY UPDATE text = VALUES(text), saved = VALUES(saved)`,
		append(args, d.Text, now.UTC())...)
	return translate(err)
}

// Drafts reads what a person has typed in a review.
func (s *Store) Drafts(ctx context.Context, review, person string) ([]Draft, error) {
	drafts := []Draft{}
	err := each(
		ctx,
		s.db,
		`SELECT criterion, rig, method, setup, phase, text FROM drafts WHERE review = ? AND person = ? ORDER BY criterion, rig`,
		[]any{review, person},
		func(row *sql.Rows) error {
			var d Draft
			err := row.Scan(&d.Criterion, &d.Rig, &d.Context.Method, &d.Context.Setup, &d.Context.Phase, &d.Text)
			drafts = append(drafts, d)
			return err
		},
	)
	return drafts, err
}

// DropDraft deletes the draft of a reading that is now recorded.
func (t *Tx) DropDraft(review, person, criterion, rig string, c checklist.Context) error {
	return t.exec(deleteDraft, review, person, criterion, rig, c.Method, c.Setup, c.Phase)
}
