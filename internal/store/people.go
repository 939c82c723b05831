package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"slices"
	"strings"
	"time"
)

// Person is an account. Somebody without a password cannot sign in.
type Person struct {
	ID         string
	Name       string
	Title      string
	Roles      []string
	Grades     bool   // the account has the role reviewer, whatever the token at hand has
	Password   string // argon2id hash
	Disclosure string
}

const personColumns = `p.id, p.name, p.title, p.roles, p.password, p.disclosure`

func scanPerson(row interface{ Scan(...any) error }) (Person, error) {
	var p Person
	var roles string
	err := row.Scan(&p.ID, &p.Name, &p.Title, &roles, &p.Password, &p.Disclosure)
	p.Roles = set(roles)
	p.Grades = slices.Contains(p.Roles, "reviewer")
	return p, err
}

func set(s string) []string {
	if s == "" {
		return []string{}
	}
	return strings.Split(s, ",")
}

// People reads all accounts, by name.
func (s *Store) People(ctx context.Context) ([]Person, error) {
	people := []Person{}
	err := each(ctx, s.db, `SELECT `+personColumns+` FROM people p ORDER BY p.name`, nil, func(row *sql.Rows) error {
		p, err := scanPerson(row)
		people = append(people, p)
		return err
	})
	return people, err
}

// Person reads one account by its name.
func (s *Store) Person(ctx context.Context, name string) (Person, error) {
	p, err := scanPerson(s.db.QueryRowContext(ctx, `SELECT `+personColumns+` FROM people p WHERE p.name = ?`, name))
	return p, translate(err)
}

// AddPerson adds an account.
func (t *Tx) AddPerson(p *Person) error {
	p.ID = NewID()
	return t.exec(
		`INSERT INTO people (id, name, title, roles, password, disclosure, created) VALUES (?, ?, ?, ?, ?, ?, ?)`,
		p.ID,
		p.Name,
		p.Title,
		strings.Join(p.Roles, ","),
		p.Password,
		p.Disclosure,
		t.now,
	)
}

// PeopleIDs gives the ids of all accounts by name.
func (t *Tx) PeopleIDs() (map[string]string, error) {
	ids := map[string]string{}
	err := each(t.ctx, t, `SELECT name, id FROM people`, nil, func(row *sql.Rows) error {
		var name, id string
		err := row.Scan(&name, &id)
		ids[name] = id
		return err
	})
	return ids, err
}

// Secret is the hash under which a session's or token's secret is kept.
func Secret(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}

// AddSession keeps a session and sweeps away those that have ended.
func (s *Store) AddSession(ctx context.Context, secret, person string, now, expires time.Time) error {
	if _, err := s.db.ExecContext(ctx, `DELETE FROM sessions WHERE expires < ?`, now.UTC()); err != nil {
		return translate(err)
	}
	_, err := s.db.ExecContext(
		ctx,
		`INSERT INTO sessions (token, person, expires) VALUES (?, ?, ?)`,
		Secret(secret),
		person,
		expires.UTC(),
	)
	return translate(err)
}

// EndSession removes a session; one that is not there is no error.
func (s *Store) EndSession(ctx context.Context, secret string) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM sessions WHERE token = ?`, Secret(secret))
	return translate(err)
}

// SessionPerson finds who a session belongs to.
func (s *Store) SessionPerson(ctx context.Context, secret string, now time.Time) (Person, error) {
	p, err := scanPerson(
		s.db.QueryRowContext(
			ctx,
			`SELECT `+personColumns+` FROM sessions s JOIN people p ON p.id = s.person WHERE s.token = ? AND s.expires > ?`,
			Secret(secret),
			now.UTC(),
		),
	)
	return p, translate(err)
}

// Token is a personal token without its secret.
type Token struct {
	ID               string
	Label            string
	Roles            []string
	Created, Expires time.Time
}

// AddToken keeps a token under its hash.
func (s *Store) AddToken(ctx context.Context, t *Token, secret, person string) error {
	t.ID = NewID()
	_, err := s.db.ExecContext(
		ctx,
		`INSERT INTO tokens (id, token, person, label, roles, created, expires) VALUES (?, ?, ?, ?, ?, ?, ?)`,
		t.ID,
		Secret(secret),
		person,
		t.Label,
		strings.Join(t.Roles, ","),
		t.Created,
		t.Expires,
	)
	return translate(err)
}

// Tokens reads a person's tokens, the oldest first.
func (s *Store) Tokens(ctx context.Context, person string) ([]Token, error) {
	tokens := []Token{}
	err := each(
		ctx,
		s.db,
		`SELECT id, label, roles, created, expires FROM tokens WHERE person = ? ORDER BY created, id`,
		[]any{person},
		func(row *sql.Rows) error {
			var t Token
			var roles string
			err := row.Scan(&t.ID, &t.Label, &roles, &t.Created, &t.Expires)
			t.Roles = set(roles)
			tokens = append(tokens, t)
			return err
		},
	)
	return tokens, err
}

// RevokeToken ends one of a person's tokens.
func (s *Store) RevokeToken(ctx context.Context, id, person string) error {
	res, err := s.db.ExecContext(ctx, `DELETE FROM tokens WHERE id = ? AND person = ?`, id, person)
	if err != nil {
		return translate(err)
	}
	if n, err := res.RowsAffected(); err != nil || n == 1 {
		return translate(err)
	}
	return ErrNotFound
}

// TokenPerson finds who a token belongs to, with the roles that the token has
// and the person still has.
func (s *Store) TokenPerson(ctx context.Context, secret string, now time.Time) (Person, error) {
	var roles string
	row := s.db.QueryRowContext(
		ctx,
		`SELECT `+personColumns+`, t.roles FROM tokens t JOIN people p ON p.id = t.person WHERE t.token = ? AND t.expires > ?`,
		Secret(secret),
		now.UTC(),
	)
	p, err := scanPerson(also{row, &roles})
	if err != nil {
		return p, translate(err)
	}
	var both []string
	for _, r := range set(roles) {
		for _, own := range p.Roles {
			if r == own {
				both = append(both, r)
			}
		}
	}
	p.Roles = both
	return p, nil
}

// also scans one more column behind those of a person.
type also struct {
	row  *sql.Row
	last any
}

func (a also) Scan(dest ...any) error { return a.row.Scan(append(dest, a.last)...) }

// SetCalendar keeps the hash of a person's calendar secret; empty takes it away.
func (s *Store) SetCalendar(ctx context.Context, person, secret string) error {
	hash := any(nil)
	if secret != "" {
		hash = Secret(secret)
	}
	_, err := s.db.ExecContext(ctx, `UPDATE people SET calendar = ? WHERE id = ?`, hash, person)
	return translate(err)
}

// CalendarPerson finds whose calendar secret that is.
func (s *Store) CalendarPerson(ctx context.Context, secret string) (Person, error) {
	p, err := scanPerson(
		s.db.QueryRowContext(ctx, `SELECT `+personColumns+` FROM people p WHERE p.calendar = ?`, Secret(secret)),
	)
	return p, translate(err)
}
