package store

import (
	"context"
	"database/sql"
	"time"
)

// Session is somebody signed in by a browser, without its secret.
type Session struct {
	ID                     string
	Created, Used, Expires time.Time
	Proved                 time.Time // when they last showed who they are
	Enrol                  bool      // it does nothing until they have a passkey
	Address                string    // where it was used from last
	Program                string    // what it was used with last
}

// AddSession keeps a session under the hash of its secret, and sweeps away those that have ended.
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

// EndSession removes a session by its secret; one that is not there is no error.
func (s *Store) EndSession(ctx context.Context, secret string) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM sessions WHERE token = ?`, Secret(secret))
	return translate(err)
}

// SessionPerson finds who a session belongs to; ErrNotFound where it has ended or they may not sign in.
func (s *Store) SessionPerson(ctx context.Context, secret string, now time.Time) (Person, Session, error) {
	var x Session
	p, err := scanPerson(also{s.db.QueryRowContext(ctx,
		`SELECT `+personColumns+`, s.id, s.created, s.proved, s.used, s.expires, s.address, s.program, s.enrol
		FROM sessions s JOIN people p ON p.id = s.person
		WHERE s.token = ? AND s.expires > ? AND p.disabled IS NULL`, Secret(secret), now),
		[]any{&x.ID, &x.Created, &x.Proved, &x.Used, &x.Expires, &x.Address, &x.Program, &x.Enrol}})
	return p, x, translate(err)
}

// also scans more columns behind those of a person.
type also struct {
	row  *sql.Row
	more []any
}

func (a also) Scan(dest ...any) error { return a.row.Scan(append(dest, a.more...)...) }

// SessionUsed notes where and with what a session is used now.
func (s *Store) SessionUsed(ctx context.Context, id string, now time.Time, address, program string) error {
	_, err := s.db.ExecContext(ctx,
		`UPDATE sessions SET used = ?, address = ?, program = ? WHERE id = ?`, now, address, program, id)
	return translate(err)
}

// SessionProved notes that whom a session belongs to has shown again who they are.
func (s *Store) SessionProved(ctx context.Context, id string, now time.Time) error {
	_, err := s.db.ExecContext(ctx, `UPDATE sessions SET proved = ? WHERE id = ?`, now, id)
	return translate(err)
}

// Sessions reads a person's sessions that have not ended, the one used last first.
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

// EndSessions ends a person's sessions but the one kept, which may be none.
func (t *Tx) EndSessions(person, kept string) error {
	return t.exec(`DELETE FROM sessions WHERE person = ? AND id <> ?`, person, orNoID(kept))
}

// EndOneSession ends one of a person's sessions.
func (t *Tx) EndOneSession(person, id string) error {
	return t.one(`DELETE FROM sessions WHERE person = ? AND id = ?`, person, id)
}

// orNoID is an id that no record has where none is given.
func orNoID(id string) string {
	if id == "" {
		return "00000000-0000-0000-0000-000000000000"
	}
	return id
}

// one runs a statement that has to meet one row; ErrNotFound where it meets none.
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

// SetLink keeps the hash of a link's secret by which a person may choose a password, in the place of an older one.
func (t *Tx) SetLink(person, secret string, expires time.Time) error {
	return t.exec(`REPLACE INTO links (token, person, expires) VALUES (?, ?, ?)`, Secret(secret), person, expires)
}

// LinkPerson finds whom a link is for; ErrNotFound where it has ended or was used.
func (s *Store) LinkPerson(ctx context.Context, secret string, now time.Time) (Person, error) {
	p, err := scanPerson(s.db.QueryRowContext(ctx, `SELECT `+personColumns+` FROM links k JOIN people p ON p.id = k.person
		WHERE k.token = ? AND k.expires > ? AND p.disabled IS NULL`, Secret(secret), now))
	return p, translate(err)
}

// UseLink ends a link; ErrNotFound where it has ended, or somebody else used it meanwhile.
func (t *Tx) UseLink(secret string, now time.Time) error {
	return t.one(`DELETE FROM links WHERE token = ? AND expires > ?`, Secret(secret), now)
}
