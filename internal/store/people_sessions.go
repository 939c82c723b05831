package store

import (
	"context"
	"database/sql"
	"time"
)

// Session is a session in a browser, without its secret.
type Session struct {
	ID                     string
	Created, Used, Expires time.Time
	Proved                 time.Time // when they last proved their identity
	Enrol                  bool      // it allows nothing until they have a passkey
	Address                string    // address of its last use
	Program                string    // program of its last use
}

// AddSession stores a session under the hash of its secret, and deletes expired ones.
func (s *Store) AddSession(ctx context.Context, secret, person string, x *Session) error {
	if _, err := s.db.ExecContext(ctx, `DELETE FROM sessions WHERE expires < ?`, x.Created); err != nil {
		return translate(err)
	}
	x.ID = NewID()
	_, err := s.db.ExecContext(ctx,
		`INSERT INTO sessions (token, person, expires, id, created, proved, used, address, program, enrol)
		SELECT ?, id, ?, ?, ?, ?, ?, ?, ?, ? FROM people WHERE id = ? AND disabled IS NULL`,
		Secret(secret), x.Expires, x.ID, x.Created, x.Created, x.Created, x.Address, x.Program, x.Enrol, person)
	return translate(err)
}

// EndSession deletes a session by its secret; a missing one is not an error.
func (s *Store) EndSession(ctx context.Context, secret string) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM sessions WHERE token = ?`, Secret(secret))
	return translate(err)
}

// SessionPerson returns to whom a session belongs; ErrNotFound if it has expired or they cannot sign in.
func (s *Store) SessionPerson(ctx context.Context, secret string, now time.Time) (Person, Session, error) {
	var x Session
	p, err := scanPerson(also{s.db.QueryRowContext(ctx,
		`SELECT `+personColumns+`, s.id, s.created, s.proved, s.used, s.expires, s.address, s.program, s.enrol
		FROM sessions s JOIN people p ON p.id = s.person
		WHERE s.token = ? AND s.expires > ? AND p.disabled IS NULL`, Secret(secret), now),
		[]any{&x.ID, &x.Created, &x.Proved, &x.Used, &x.Expires, &x.Address, &x.Program, &x.Enrol}})
	return p, x, translate(err)
}

// also scans additional columns after those of a person.
type also struct {
	row  *sql.Row
	more []any
}

func (a also) Scan(dest ...any) error { return a.row.Scan(append(dest, a.more...)...) }

// SessionUsed records from where and with what a session is used now.
func (s *Store) SessionUsed(ctx context.Context, id string, now time.Time, address, program string) error {
	_, err := s.db.ExecContext(ctx,
		`UPDATE sessions SET used = ?, address = ?, program = ? WHERE id = ?`, now, address, program, id)
	return translate(err)
}

// SessionProved records that the person of a session has proved their identity again.
func (s *Store) SessionProved(ctx context.Context, id string, now time.Time) error {
	_, err := s.db.ExecContext(ctx, `UPDATE sessions SET proved = ? WHERE id = ?`, now, id)
	return translate(err)
}

// Sessions reads a person's valid sessions, the last used one first.
func (s *Store) Sessions(ctx context.Context, person string, now time.Time) ([]Session, error) {
	sessions := []Session{}
	err := each(ctx, s.db, `SELECT id, created, proved, used, expires, address, program FROM sessions
		WHERE person = ? AND expires > ? ORDER BY used DESC, id`, []any{person, now}, func(row *sql.Rows) error {
		var x Session
		err := row.Scan(&x.ID, &x.Created, &x.Proved, &x.Used, &x.Expires, &x.Address, &x.Program)
		sessions = append(sessions, x)
		return err
	})
	return sessions, err
}

// EndSessions deletes a person's sessions except the kept one, if any.
func (t *Tx) EndSessions(person, kept string) error {
	return t.exec(`DELETE FROM sessions WHERE person = ? AND id <> ?`, person, orNoID(kept))
}

// EndOneSession ends one of a person's sessions.
func (t *Tx) EndOneSession(person, id string) error {
	return t.one(`DELETE FROM sessions WHERE person = ? AND id = ?`, person, id)
}

// orNoID returns an id that no record has if id is empty.
func orNoID(id string) string {
	if id == "" {
		return "00000000-0000-0000-0000-000000000000"
	}
	return id
}

// one runs a statement that must affect one row; ErrNotFound if it affects none.
func (t *Tx) one(query string, args ...any) error {
	res, err := t.ExecContext(t.ctx, query, args...)
	if err != nil {
		return translate(err)
	}
	if n, err := res.RowsAffected(); err != nil || n > 0 {
		return translate(err)
	}
	return ErrNotFound
}

// SetLink stores the hash of the secret of a person's link for choosing a password, replacing an older one.
func (t *Tx) SetLink(person, secret string, expires time.Time) error {
	return t.exec(`REPLACE INTO links (token, person, expires) VALUES (?, ?, ?)`, Secret(secret), person, expires)
}

// LinkPerson returns for whom a link is; ErrNotFound if it has expired or was used.
func (s *Store) LinkPerson(ctx context.Context, secret string, now time.Time) (Person, error) {
	p, err := scanPerson(s.db.QueryRowContext(ctx, `SELECT `+personColumns+` FROM links k JOIN people p ON p.id = k.person
		WHERE k.token = ? AND k.expires > ? AND p.disabled IS NULL`, Secret(secret), now))
	return p, translate(err)
}

// UseLink deletes a link; ErrNotFound if it has expired, or somebody else used it.
func (t *Tx) UseLink(secret string, now time.Time) error {
	return t.one(`DELETE FROM links WHERE token = ? AND expires > ?`, Secret(secret), now)
}
