package store

import (
	"context"
	"database/sql"
	"time"
)

// Identity is a person's identity at a provider of single sign-on.
type Identity struct {
	Provider, Subject string
	Created, Used     time.Time
}

// IdentityPerson returns who has an identity; ErrNotFound if nobody has.
func (s *Store) IdentityPerson(ctx context.Context, provider, subject string) (Person, error) {
	p, err := scanPerson(
		s.db.QueryRowContext(ctx, `SELECT `+personColumns+` FROM identities i JOIN people p ON p.id = i.person
		WHERE i.provider = ? AND i.subject = ?`, provider, subject),
	)
	return p, translate(err)
}

// Identities reads a person's identities, by provider.
func (s *Store) Identities(ctx context.Context, person string) ([]Identity, error) {
	all := []Identity{}
	err := each(ctx, s.db, `SELECT provider, subject, created, used FROM identities WHERE person = ? ORDER BY provider`,
		[]any{person}, func(row *sql.Rows) error {
			var x Identity
			err := row.Scan(&x.Provider, &x.Subject, &x.Created, &x.Used)
			all = append(all, x)
			return err
		})
	return all, err
}

// AddIdentity stores a person's identity at a provider; ErrExists if somebody has it already, or the person has
// another one there.
func (t *Tx) AddIdentity(person string, x *Identity) error {
	return t.exec(`INSERT INTO identities (provider, subject, person, created, used) VALUES (?, ?, ?, ?, ?)`,
		x.Provider, x.Subject, person, x.Created, x.Used)
}

// IdentityUsed records that somebody signed in with a provider.
func (s *Store) IdentityUsed(ctx context.Context, provider, subject string, now time.Time) error {
	_, err := s.db.ExecContext(
		ctx,
		`UPDATE identities SET used = ? WHERE provider = ? AND subject = ?`,
		now,
		provider,
		subject,
	)
	return translate(err)
}

// DropIdentity deletes a person's identity at a provider.
func (t *Tx) DropIdentity(person, provider string) error {
	return t.one(`DELETE FROM identities WHERE person = ? AND provider = ?`, person, provider)
}
