package store

import (
	"context"
	"database/sql"
	"strings"
	"time"
)

// Token is a personal token without its secret.
type Token struct {
	ID               string
	Label            string
	Roles            []string
	Review           string // id of the only review in which it can record; empty: any
	Created, Expires time.Time
	Used             time.Time // zero: never
	Address          string    // address of its last use
}

// AddToken stores a token under its hash, and deletes the person's expired ones. It returns ErrExists if the person
// has most already.
func (t *Tx) AddToken(x *Token, secret, person string, most int) error {
	if err := t.exec(`DELETE FROM tokens WHERE person = ? AND expires < ?`, person, x.Created); err != nil {
		return err
	}
	if err := t.fewer("tokens", person, most); err != nil {
		return err
	}
	x.ID = NewID()
	return t.exec(
		`INSERT INTO tokens (id, token, person, label, roles, review, created, expires) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
		x.ID, Secret(secret), person, x.Label, strings.Join(x.Roles, ","), null(x.Review), x.Created, x.Expires)
}

// fewer returns ErrExists if a person has so many rows of a table already. The person is locked, so that two at once
// cannot exceed the limit together.
func (t *Tx) fewer(table, person string, most int) error {
	var n int
	err := t.row(`SELECT (SELECT COUNT(*) FROM `+table+` WHERE person = p.id) FROM people p WHERE p.id = ? FOR UPDATE`,
		person).Scan(&n)
	if err == nil && n >= most {
		return ErrExists
	}
	return translate(err)
}

// Tokens reads a person's tokens, the oldest first.
func (s *Store) Tokens(ctx context.Context, person string) ([]Token, error) {
	tokens := []Token{}
	err := each(ctx, s.db, `SELECT `+tokenColumns+` FROM tokens t WHERE t.person = ? ORDER BY t.created, t.id`,
		[]any{person}, func(row *sql.Rows) error {
			var x tokenRow
			err := row.Scan(x.columns()...)
			tokens = append(tokens, x.token())
			return err
		})
	return tokens, err
}

const tokenColumns = `t.id, t.label, t.roles, t.review, t.created, t.expires, t.used, t.address`

// tokenRow is a token as it is read.
type tokenRow struct {
	Token
	roles string
	used  sql.NullTime
}

func (x *tokenRow) columns() []any {
	return []any{&x.ID, &x.Label, &x.roles, orEmpty{&x.Review}, &x.Created, &x.Expires, &x.used, &x.Address}
}

func (x *tokenRow) token() Token {
	x.Roles, x.Used = set(x.roles), x.used.Time
	return x.Token
}

// RevokeToken deletes one of a person's tokens.
func (t *Tx) RevokeToken(id, person string) error {
	return t.one(`DELETE FROM tokens WHERE id = ? AND person = ?`, id, person)
}

// EndTokens deletes all tokens of a person.
func (t *Tx) EndTokens(person string) error {
	return t.exec(`DELETE FROM tokens WHERE person = ?`, person)
}

// TokenPerson returns to whom a token belongs, with the roles that both the token and the person have; ErrNotFound if
// it has expired or they cannot sign in.
func (s *Store) TokenPerson(ctx context.Context, secret string, now time.Time) (Person, Token, error) {
	var x tokenRow
	p, err := scanPerson(also{s.db.QueryRowContext(ctx,
		`SELECT `+personColumns+`, `+tokenColumns+` FROM tokens t JOIN people p ON p.id = t.person
		WHERE t.token = ? AND t.expires > ? AND p.disabled IS NULL`, Secret(secret), now), x.columns()})
	if err != nil {
		return p, x.Token, translate(err)
	}
	token := x.token()
	var both []string
	for _, r := range token.Roles {
		for _, own := range p.Roles {
			if r == own {
				both = append(both, r)
			}
		}
	}
	p.Roles = both
	return p, token, nil
}

// TokenUsed records that a token is used now, and from where.
func (s *Store) TokenUsed(ctx context.Context, id string, now time.Time, address string) error {
	_, err := s.db.ExecContext(ctx, `UPDATE tokens SET used = ?, address = ? WHERE id = ?`, now, address, id)
	return translate(err)
}
