package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"
)

// Measurement is one that is under way on a machine.
type Measurement struct {
	ID, Review string
	Person     string // name
	Rig        string
	Began      time.Time
	Silent     time.Duration // since the client was last heard of
	Progress   json.RawMessage
	Stopper    string // name of whoever asked for it to be stopped; empty: nobody
}

// forgotten is after how many seconds of silence a measurement is forgotten.
const forgotten = 6 * 3600

// PutMeasurement keeps how far a measurement is, and returns who has asked for it to be stopped; person is an id. One
// that a person has begun is nobody else's: ErrNotFound.
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

// EndMeasurement forgets a measurement of a person.
func (s *Store) EndMeasurement(ctx context.Context, review, id, person string) error {
	_, err := s.db.ExecContext(ctx,
		`DELETE FROM measurements WHERE id = ? AND review = ? AND person = ?`, id, review, person)
	return translate(err)
}

// StopMeasurement asks for a measurement to be stopped; ErrNotFound where it is not under way.
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

// Measurements reads what is under way in reviews, by rig, then begin.
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
