package store

import (
	"context"
	"database/sql"
	"strings"
	"time"
)

// Hook is an address that is notified of changes.
type Hook struct {
	ID      string
	URL     string
	Secret  string   // signs deliveries
	Sorts   []string // kinds of changes; empty: all
	Active  bool
	Created time.Time
}

// Delivery is a change as it is sent to a hook.
type Delivery struct {
	ID, Hook string
	Number   int64 // of the change
	Event    string
	Created  time.Time
	Tries    int
	Due      time.Time // zero: no further attempt
	Status   int       // of the last answer; 0: none
	Said     string    // the last error
	Finished time.Time // zero: not delivered
}

// Hooks reads all hooks, the oldest first.
func (s *Store) Hooks(ctx context.Context) ([]Hook, error) { return hooks(ctx, s.db) }

func hooks(ctx context.Context, q querier) ([]Hook, error) {
	all := []Hook{}
	err := each(ctx, q, `SELECT id, url, secret, sorts, active, created FROM hooks ORDER BY created, id`, nil,
		func(row *sql.Rows) error {
			var h Hook
			var sorts string
			err := row.Scan(&h.ID, &h.URL, &h.Secret, &sorts, &h.Active, &h.Created)
			h.Sorts = set(sorts)
			all = append(all, h)
			return err
		})
	return all, err
}

// AddHook adds a hook.
func (s *Store) AddHook(ctx context.Context, h *Hook) error {
	h.ID = NewID()
	_, err := s.db.ExecContext(ctx,
		`INSERT INTO hooks (id, url, secret, sorts, active, created) VALUES (?, ?, ?, ?, ?, ?)`,
		h.ID, h.URL, h.Secret, strings.Join(h.Sorts, ","), h.Active, h.Created)
	return translate(err)
}

// SetHook changes of what a hook is notified and whether it is active.
func (s *Store) SetHook(ctx context.Context, id string, sorts []string, active bool) error {
	var there bool
	if err := s.db.QueryRowContext(ctx, `SELECT EXISTS (SELECT 1 FROM hooks WHERE id = ?)`, id).Scan(&there); err != nil {
		return translate(err)
	}
	if !there {
		return ErrNotFound
	}
	_, err := s.db.ExecContext(ctx, `UPDATE hooks SET sorts = ?, active = ? WHERE id = ?`, strings.Join(sorts, ","),
		active, id)
	return translate(err)
}

// DropHook deletes a hook with its deliveries.
func (s *Store) DropHook(ctx context.Context, id string) error {
	res, err := s.db.ExecContext(ctx, `DELETE FROM hooks WHERE id = ?`, id)
	if err != nil {
		return translate(err)
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return ErrNotFound
	}
	return nil
}

const selectDeliveries = `SELECT id, hook, number, event, created, tries, due, status, said, finished FROM deliveries `

func deliveries(ctx context.Context, q querier, where string, args ...any) ([]Delivery, error) {
	all := []Delivery{}
	err := each(ctx, q, selectDeliveries+where, args, func(row *sql.Rows) error {
		var d Delivery
		var due, finished sql.NullTime
		err := row.Scan(&d.ID, &d.Hook, &d.Number, &d.Event, &d.Created, &d.Tries, &due, &d.Status, &d.Said, &finished)
		d.Due, d.Finished = due.Time, finished.Time
		all = append(all, d)
		return err
	})
	return all, err
}

// Deliveries reads the latest deliveries to a hook, the newest first.
func (s *Store) Deliveries(ctx context.Context, hook string, most int) ([]Delivery, error) {
	return deliveries(ctx, s.db, `WHERE hook = ? ORDER BY created DESC, number DESC LIMIT ?`, hook, most)
}

// ClaimDeliveries reserves up to most due deliveries: nobody else gets them until then.
func (s *Store) ClaimDeliveries(ctx context.Context, now, until time.Time, most int) ([]Delivery, error) {
	found, err := deliveries(ctx, s.db, `WHERE due <= ? ORDER BY due, number LIMIT ?`, now, most)
	if err != nil {
		return nil, err
	}
	mine := found[:0]
	for _, d := range found {
		res, err := s.db.ExecContext(ctx, `UPDATE deliveries SET due = ? WHERE id = ? AND due = ?`, until, d.ID, d.Due)
		if err != nil {
			return mine, translate(err)
		}
		if n, err := res.RowsAffected(); err == nil && n == 1 {
			mine = append(mine, d)
		}
	}
	return mine, nil
}

// EndDelivery stores the result of an attempt.
func (s *Store) EndDelivery(ctx context.Context, d *Delivery) error {
	_, err := s.db.ExecContext(ctx,
		`UPDATE deliveries SET tries = ?, due = ?, status = ?, said = ?, finished = ? WHERE id = ?`,
		d.Tries, nullTime(d.Due), d.Status, d.Said, nullTime(d.Finished), d.ID)
	return translate(err)
}

// SendAgain makes a delivery due now, whatever its state.
func (s *Store) SendAgain(ctx context.Context, id string, now time.Time) error {
	res, err := s.db.ExecContext(ctx, `UPDATE deliveries SET due = ?, tries = 0 WHERE id = ?`, now, id)
	if err != nil {
		return translate(err)
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return ErrNotFound
	}
	return nil
}

// ForgetDeliveries deletes what was delivered, or given up, before a moment.
func (s *Store) ForgetDeliveries(ctx context.Context, before time.Time) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM deliveries WHERE due IS NULL AND created < ? LIMIT 1000`, before)
	return translate(err)
}

// ReadForNotices reads the changes after those that were read for notices, at most most of them, and the number that
// was read so far.
func (s *Store) ReadForNotices(ctx context.Context, most int) (after int64, changes []Change, err error) {
	if err := s.db.QueryRowContext(ctx, `SELECT number FROM notices_read`).Scan(&after); err != nil {
		return 0, nil, translate(err)
	}
	changes, err = changesAfter(ctx, s.db, after, most)
	return after, changes, err
}

// KeepNotices stores the results for the changes after one number up to another. If another instance has done so
// already, it stores nothing.
func (s *Store) KeepNotices(ctx context.Context, after, to int64, mentions []Mention, sent []Delivery) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return translate(err)
	}
	defer tx.Rollback() //nolint:errcheck // the result was committed
	res, err := tx.ExecContext(ctx, `UPDATE notices_read SET number = ? WHERE number = ?`, to, after)
	if err != nil {
		return translate(err)
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return translate(err)
	}
	for _, m := range mentions {
		if _, err := tx.ExecContext(ctx, `INSERT IGNORE INTO mentions (id, person, writer, at, sort, subject, source, excerpt)
			SELECT ?, ?, (SELECT id FROM people WHERE name = ?), ?, ?, ?, ?, ?`,
			NewID(), m.Person, m.Writer, m.At, m.Sort, m.Subject, m.Source, m.Excerpt); err != nil {
			return translate(err)
		}
	}
	for _, d := range sent {
		if _, err := tx.ExecContext(ctx,
			`INSERT INTO deliveries (id, hook, number, event, created, due) VALUES (?, ?, ?, ?, ?, ?)`,
			NewID(), d.Hook, d.Number, d.Event, d.Created, d.Due); err != nil {
			return translate(err)
		}
	}
	return translate(tx.Commit())
}

func nullTime(t time.Time) sql.NullTime { return sql.NullTime{Time: t, Valid: !t.IsZero()} }
