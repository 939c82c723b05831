package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"

	"dappertally/core/reading"
)

// TakenBack is a reading that its reviewer undid.
type TakenBack struct {
	reading.Reading
	At time.Time // when it was undone
}

// IsPinned reports whether an acceptance has pinned a reading.
func (t *Tx) IsPinned(review, id string) (pinned bool, err error) {
	err = t.row(`SELECT pinned FROM readings WHERE review = ? AND id = ?`, review, id).Scan(&pinned)
	return pinned, translate(err)
}

// TakeBack moves a reading out of its review, so that it no longer counts, and stores it as undone.
func (t *Tx) TakeBack(review string, x *reading.Reading) error {
	if err := t.exec(`INSERT INTO taken_back (review, id, person, at, document) VALUES (?, ?, ?, ?, ?)`, review, x.ID, null(t.person), t.now, asJSON(x)); err != nil {
		return err
	}
	return t.exec(`DELETE FROM readings WHERE review = ? AND id = ? AND NOT pinned`, review, x.ID)
}

// WasTakenBack reports whether the reading with that id was undone.
func (t *Tx) WasTakenBack(review, id string) (was bool, err error) {
	err = t.row(`SELECT EXISTS (SELECT 1 FROM taken_back WHERE review = ? AND id = ?)`, review, id).Scan(&was)
	return was, translate(err)
}

// EntryBefore reads the revision of an entry before the given one; ErrNotFound if that was the first.
func (t *Tx) EntryBefore(review, id string, revision int) (row EntryRow, dropped bool, err error) {
	row, dropped, err = scanEntry(
		t.row(
			selectEntries+` WHERE e.review = ? AND e.id = ? AND e.revision < ? ORDER BY e.revision DESC LIMIT 1`,
			review,
			id,
			revision,
		),
	)
	return row, dropped, translate(err)
}

// RestoreEntry writes a revision with the content of an earlier one; without an earlier one it removes the entry.
func (t *Tx) RestoreEntry(newest, earlier *EntryRow) error {
	from := newest
	if earlier != nil {
		from = earlier
	}
	if err := t.AddEntry(newest.Review, newest.Revision+1, &from.Entry, earlier == nil, false); err != nil ||
		earlier == nil {
		return err
	}
	restores := earlier.Revision
	if earlier.Restores > 0 {
		restores = earlier.Restores
	}
	_, head := newest.Part()
	return t.exec(
		`UPDATE review_entries SET restores = ? WHERE review = ? AND id = ? AND revision = ?`,
		restores,
		newest.Review,
		head.ID,
		newest.Revision+1,
	)
}

// TakenBack lists the undone readings of a review, by the time of undoing.
func (s *Store) TakenBack(ctx context.Context, review string) ([]TakenBack, error) {
	all := []TakenBack{}
	err := each(
		ctx,
		s.db,
		`SELECT at, document FROM taken_back WHERE review = ? ORDER BY at, id`,
		[]any{review},
		func(row *sql.Rows) error {
			var x TakenBack
			var document []byte
			if err := row.Scan(&x.At, &document); err != nil {
				return err
			}
			all = append(all, x)
			return json.Unmarshal(document, &all[len(all)-1].Reading)
		},
	)
	return all, err
}
