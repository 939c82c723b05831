package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"
)

// Measurement is a measurement in progress on a machine.
type Measurement struct {
	ID, Review string
	Person     string // name
	Rig        string
	Began      time.Time
	Silent     time.Duration // time since the client's last report
	Progress   json.RawMessage
	Stopper    string // name of the person who asked to stop it; empty: nobody
}

// forgotten is after how many seconds of silence a measurement is deleted.
const forgotten = 6 * 3600

// PutMeasurement stores the progress of a measurement, and returns who asked to stop it; person is an id. For a
// measurement that another person began it returns ErrNotFound.
func (s *Store) PutMeasurement(ctx context.Context, m Measurement, person string) (stopper string, err error) {
	if _, err := s.db.ExecContext(ctx,
		`DELETE FROM measurements WHERE review = ? AND alive < UTC_TIMESTAMP(6) - INTERVAL ? SECOND`, m.Review, forgotten,
	); err != nil {
		return "", translate(err)
	}
	if _, err := s.db.ExecContext(ctx,
		`INSERT INTO measurements (id, review, person, rig, began, alive, progress)
		VALUES (?, ?, ?, ?, ?, UTC_TIMESTAMP(6), ?)
		ON DUPLICATE KEY UPDATE alive = IF(review = VALUES(review) AND person = VALUES(person), VALUES(alive), alive),
		progress = IF(review = VALUES(review) AND person = VALUES(person), VALUES(progress), progress)`,
		m.ID, m.Review, person, m.Rig, m.Began, string(m.Progress),
	); err != nil {
		return "", translate(err)
	}
	err = s.db.QueryRowContext(ctx,
		`SELECT stopper FROM measurements WHERE id = ? AND review = ? AND person = ?`, m.ID, m.Review, person,
	).Scan(&stopper)
	if errors.Is(err, sql.ErrNoRows) {
		return "", ErrNotFound
	}
	return stopper, translate(err)
}

// EndMeasurement deletes a measurement of a person.
func (s *Store) EndMeasurement(ctx context.Context, review, id, person string) error {
	_, err := s.db.ExecContext(ctx,
		`DELETE FROM measurements WHERE id = ? AND review = ? AND person = ?`, id, review, person)
	return translate(err)
}

// StopMeasurement asks to stop a measurement; ErrNotFound if it is not in progress.
func (s *Store) StopMeasurement(ctx context.Context, review, id, stopper string) error {
	done, err := s.db.ExecContext(ctx,
		`UPDATE measurements SET stopper = ? WHERE id = ? AND review = ? AND stopper = ''`, stopper, id, review)
	if err != nil {
		return translate(err)
	}
	if n, err := done.RowsAffected(); err != nil || n > 0 {
		return err
	}
	var asked string
	err = s.db.QueryRowContext(ctx,
		`SELECT stopper FROM measurements WHERE id = ? AND review = ?`, id, review).Scan(&asked)
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNotFound
	}
	return translate(err)
}

// Measurements reads the measurements in progress in reviews, by rig, then beginning.
func (s *Store) Measurements(ctx context.Context, reviews []string) ([]Measurement, error) {
	if len(reviews) == 0 {
		return nil, nil
	}
	var all []Measurement
	err := each(ctx, s.db, `SELECT m.id, m.review, p.name, m.rig, m.began,
		TIMESTAMPDIFF(MICROSECOND, m.alive, UTC_TIMESTAMP(6)), m.progress, m.stopper
		FROM measurements m STRAIGHT_JOIN people p ON p.id = m.person WHERE m.review IN (?`+among(reviews)+`)
		AND m.alive >= UTC_TIMESTAMP(6) - INTERVAL ? SECOND ORDER BY m.rig, m.began, m.id`,
		append(anys(reviews), forgotten), func(row *sql.Rows) error {
			var m Measurement
			var silent int64
			var progress []byte
			err := row.Scan(&m.ID, &m.Review, &m.Person, &m.Rig, &m.Began, &silent, &progress, &m.Stopper)
			m.Silent, m.Progress = time.Duration(silent)*time.Microsecond, progress
			all = append(all, m)
			return err
		})
	return all, err
}
