package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"
)

// Passkey is a public key with which somebody signs in.
type Passkey struct {
	ID         string
	Credential []byte // its id, as the authenticator made it
	Document   json.RawMessage
	Label      string
	Created    time.Time
	Used       time.Time // zero: never
}

// Passkeys reads a person's passkeys, the oldest first.
func (s *Store) Passkeys(ctx context.Context, person string) ([]Passkey, error) {
	passkeys := []Passkey{}
	err := each(ctx, s.db, `SELECT id, credential, document, label, created, used FROM passkeys WHERE person = ?
		ORDER BY created, id`, []any{person}, func(row *sql.Rows) error {
		var x Passkey
		var used sql.NullTime
		err := row.Scan(&x.ID, &x.Credential, (*[]byte)(&x.Document), &x.Label, &x.Created, &used)
		x.Used = used.Time
		passkeys = append(passkeys, x)
		return err
	})
	return passkeys, err
}

// AddPasskey stores a passkey of a person; ErrExists if it is known, or the person has most already.
func (t *Tx) AddPasskey(person string, x *Passkey, most int) error {
	if err := t.fewer("passkeys", person, most); err != nil {
		return err
	}
	x.ID = NewID()
	return t.exec(`INSERT INTO passkeys (id, person, credential, document, label, created) VALUES (?, ?, ?, ?, ?, ?)`,
		x.ID, person, x.Credential, []byte(x.Document), x.Label, x.Created)
}

// DropPasskey deletes one of a person's passkeys, and returns how many are left.
func (t *Tx) DropPasskey(person, id string) (left int, err error) {
	if err := t.one(`DELETE FROM passkeys WHERE person = ? AND id = ?`, person, id); err != nil {
		return 0, err
	}
	err = t.row(`SELECT COUNT(*) FROM passkeys WHERE person = ?`, person).Scan(&left)
	return left, translate(err)
}

// DropPasskeys deletes all passkeys and recovery codes of a person.
func (t *Tx) DropPasskeys(person string) error {
	if err := t.exec(`DELETE FROM passkeys WHERE person = ?`, person); err != nil {
		return err
	}
	return t.exec(`DELETE FROM recovery_codes WHERE person = ?`, person)
}

// PasskeyUsed stores the new state of a used passkey, such as its counter.
func (s *Store) PasskeyUsed(ctx context.Context, id string, document json.RawMessage, now time.Time) error {
	_, err := s.db.ExecContext(ctx, `UPDATE passkeys SET document = ?, used = ? WHERE id = ?`, []byte(document), now, id)
	return translate(err)
}

// PersonByID reads one account by its id.
func (s *Store) PersonByID(ctx context.Context, id string) (Person, error) {
	p, err := scanPerson(s.db.QueryRowContext(ctx, `SELECT `+personColumns+` FROM people p WHERE p.id = ?`, id))
	return p, translate(err)
}

// AddCeremony stores the state of a pending sign-in under the hash of a secret; person can be empty.
func (s *Store) AddCeremony(
	ctx context.Context, secret, kind, person string, document any, now, expires time.Time,
) error {
	if _, err := s.db.ExecContext(ctx, `DELETE FROM ceremonies WHERE expires < ?`, now); err != nil {
		return translate(err)
	}
	_, err := s.db.ExecContext(ctx, `INSERT INTO ceremonies (id, kind, person, document, expires) VALUES (?, ?, ?, ?, ?)`,
		Secret(secret), kind, null(person), asJSON(document), expires)
	return translate(err)
}

// TakeCeremony reads and deletes the state of a pending sign-in: it is answered once. ErrNotFound if it has expired.
func (s *Store) TakeCeremony(
	ctx context.Context, secret, kind string, now time.Time, document any,
) (person string, err error) {
	var text []byte
	err = s.db.QueryRowContext(ctx,
		`DELETE FROM ceremonies WHERE id = ? AND kind = ? AND expires > ? RETURNING person, document`,
		Secret(secret), kind, now).Scan(orEmpty{&person}, &text)
	if err != nil {
		return "", translate(err)
	}
	return person, json.Unmarshal(text, document)
}

// SetRecoveryCodes replaces the hashes of a person's recovery codes.
func (t *Tx) SetRecoveryCodes(person string, codes []string) error {
	if err := t.exec(`DELETE FROM recovery_codes WHERE person = ?`, person); err != nil {
		return err
	}
	for _, code := range codes {
		if err := t.exec(`INSERT INTO recovery_codes (person, code) VALUES (?, ?)`, person, Secret(code)); err != nil {
			return err
		}
	}
	return nil
}

// UseRecoveryCode deletes one of a person's recovery codes; ErrNotFound if it is not one.
func (t *Tx) UseRecoveryCode(person, code string) error {
	return t.one(`DELETE FROM recovery_codes WHERE person = ? AND code = ?`, person, Secret(code))
}

// RecoveryCodes counts a person's recovery codes.
func (s *Store) RecoveryCodes(ctx context.Context, person string) (n int, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT COUNT(*) FROM recovery_codes WHERE person = ?`, person).Scan(&n)
	return n, translate(err)
}

// WantSecond sets whether a person wants a second step after the password.
func (t *Tx) WantSecond(person string, wanted bool) error {
	return t.exec(`UPDATE people SET second = ?, revision = revision + 1 WHERE id = ?`, wanted, person)
}

// Enrolled activates the sessions of a person that waited for a passkey.
func (t *Tx) Enrolled(person string) error {
	return t.exec(`UPDATE sessions SET enrol = FALSE WHERE person = ?`, person)
}

// SetSecondStep sets whether leads and administrators need a second step after the password: required or optional.
func (t *Tx) SetSecondStep(rule string) error {
	return t.one(`UPDATE policy SET document = JSON_SET(document, '$.secondStep', ?), revision = revision + 1`, rule)
}
