package store

import (
	"context"
	"database/sql"
	"time"
)

// NobodySignsIn reports whether no account has a password or an identity, so that nobody can sign in.
func (s *Store) NobodySignsIn(ctx context.Context) (nobody bool, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT NOT EXISTS (SELECT 1 FROM people WHERE password <> '')
		AND NOT EXISTS (SELECT 1 FROM identities)`).
		Scan(&nobody)
	return nobody, translate(err)
}

// AddSetUpCode stores the hash of a code with which the service is set up, and deletes those made before since.
func (s *Store) AddSetUpCode(ctx context.Context, code string, now, since time.Time) error {
	if _, err := s.db.ExecContext(ctx, `DELETE FROM set_up_codes WHERE made < ?`, since); err != nil {
		return translate(err)
	}
	_, err := s.db.ExecContext(ctx, `INSERT INTO set_up_codes (code, made) VALUES (?, ?)`, Secret(code), now)
	return translate(err)
}

// UseSetUpCode deletes all codes if this is one of those made since; ErrNotFound if it is not. It locks all accounts
// until the transaction ends.
func (t *Tx) UseSetUpCode(code string, since time.Time) error {
	if err := t.one(`DELETE FROM set_up_codes WHERE code = ? AND made >= ?`, Secret(code), since); err != nil {
		return err
	}
	return t.exec(`DELETE FROM set_up_codes`)
}

// NobodySignsIn is Store.NobodySignsIn within the transaction.
func (t *Tx) NobodySignsIn() (nobody bool, err error) {
	nobody = true
	err = each(
		t.ctx,
		t,
		`SELECT p.password <> '' OR EXISTS (SELECT 1 FROM identities i WHERE i.person = p.id) FROM people p FOR UPDATE`,
		nil,
		func(row *sql.Rows) error {
			var can bool
			err := row.Scan(&can)
			nobody = nobody && !can
			return err
		},
	)
	return nobody, err
}
