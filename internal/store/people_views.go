package store

import (
	"context"
	"database/sql"
	"time"
)

// SavedView is the address of a page that a person saved.
type SavedView struct {
	ID      string
	Title   string
	Address string
	Created time.Time
}

// SavedViews reads a person's views, by title.
func (s *Store) SavedViews(ctx context.Context, person string) ([]SavedView, error) {
	views := []SavedView{}
	err := each(ctx, s.db, `SELECT id, title, address, created FROM saved_views WHERE person = ? ORDER BY title`,
		[]any{person}, func(row *sql.Rows) error {
			var v SavedView
			if err := row.Scan(&v.ID, &v.Title, &v.Address, &v.Created); err != nil {
				return err
			}
			views = append(views, v)
			return nil
		})
	return views, err
}

// SaveView saves a view of a person, replacing one with the same title. It returns ErrExists if the person has most
// views already and none is replaced.
func (s *Store) SaveView(ctx context.Context, person string, v *SavedView, most int) error {
	v.ID = NewID()
	// One statement, so that two at once exceed the limit by one at most.
	res, err := s.db.ExecContext(ctx, `INSERT INTO saved_views (id, person, title, address, created)
		SELECT ?, ?, ?, ?, ? FROM (SELECT COUNT(*) n, COUNT(IF(title = ?, 1, NULL)) same FROM saved_views WHERE person = ?) there
		WHERE n < ? OR same > 0 ON DUPLICATE KEY UPDATE address = VALUES(address), created = VALUES(created)`,
		v.ID, person, v.Title, v.Address, v.Created, v.Title, person, most)
	if err != nil {
		return translate(err)
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return ErrExists
	}
	return translate(s.db.QueryRowContext(ctx, `SELECT id FROM saved_views WHERE person = ? AND title = ?`, person,
		v.Title).
		Scan(&v.ID))
}

// DropView removes a view of a person.
func (s *Store) DropView(ctx context.Context, person, id string) error {
	res, err := s.db.ExecContext(ctx, `DELETE FROM saved_views WHERE person = ? AND id = ?`, person, id)
	if err != nil {
		return translate(err)
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return ErrNotFound
	}
	return nil
}
