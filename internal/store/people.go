package store

import (
	"cmp"
	"context"
	"crypto/sha256"
	"database/sql"
	"slices"
	"strings"
	"time"
)

// Person is an account. Without a password and an identity, or disabled, a person cannot sign in.
type Person struct {
	ID         string
	Name       string
	Title      string
	Roles      []string
	Grades     bool   // the account has the role reviewer, whatever the present token has
	Password   string // argon2id hash
	Disclosure string
	Revision   int
	Disabled   time.Time // zero: not
	Second     bool      // they want a second step after the password
	Passkeys   int       // number of their passkeys
	Identities int       // number of their identities at providers
	Invited    time.Time // expiry of the link with which they can choose a password; zero: none
}

// Active reports whether somebody can sign in.
func (p *Person) Active() bool { return (p.Password != "" || p.Identities > 0) && p.Disabled.IsZero() }

const personColumns = `p.id, p.name, p.title, p.roles, p.password, p.disclosure, p.revision, p.disabled, p.second, ` +
	`(SELECT COUNT(*) FROM passkeys k WHERE k.person = p.id), ` +
	`(SELECT COUNT(*) FROM identities i WHERE i.person = p.id), ` +
	`(SELECT l.expires FROM links l WHERE l.person = p.id AND l.expires > UTC_TIMESTAMP())`

func scanPerson(row interface{ Scan(...any) error }) (Person, error) {
	var p Person
	var roles string
	var disabled, invited sql.NullTime
	err := row.Scan(&p.ID, &p.Name, &p.Title, &roles, &p.Password, &p.Disclosure, &p.Revision, &disabled,
		&p.Second, &p.Passkeys, &p.Identities, &invited)
	p.Roles, p.Disabled, p.Invited = set(roles), disabled.Time, invited.Time
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

// AddPerson adds an account, with a new id if it has none.
func (t *Tx) AddPerson(p *Person) error {
	p.ID, p.Revision = cmp.Or(p.ID, NewID()), 1
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

// EditPerson changes name, title, roles and disclosure of an account; ErrStale if its revision differs.
func (t *Tx) EditPerson(p *Person) error {
	return t.edit("people", p.ID, p.Revision, `name = ?, title = ?, roles = ?, disclosure = ?`,
		p.Name, p.Title, strings.Join(p.Roles, ","), p.Disclosure)
}

// SetPassword stores the hash of a person's new password.
func (t *Tx) SetPassword(person, hash string) error {
	return t.exec(`UPDATE people SET password = ? WHERE id = ?`, hash, person)
}

// RenewPassword replaces the hash of a password by another of the same password.
func (s *Store) RenewPassword(ctx context.Context, person, old, renewed string) error {
	_, err := s.db.ExecContext(
		ctx, `UPDATE people SET password = ? WHERE id = ? AND password = ?`, renewed, person, old,
	)
	return translate(err)
}

// Disable disables signing in for somebody, and ends their sessions, tokens, links and calendar.
func (t *Tx) Disable(person string) error {
	if err := t.exec(
		`UPDATE people SET disabled = ?, calendar = NULL, revision = revision + 1 WHERE id = ? AND disabled IS NULL`,
		t.now, person,
	); err != nil {
		return err
	}
	if err := t.exec(`DELETE FROM links WHERE person = ?`, person); err != nil {
		return err
	}
	if err := t.EndSessions(person, ""); err != nil {
		return err
	}
	return t.EndTokens(person)
}

// ForgetPerson removes what identifies a person, and their old name from the log of changes to accounts.
func (t *Tx) ForgetPerson(person, name, instead string) error {
	if err := t.exec(`UPDATE people SET password = '', mail = '', mailing = 'off', unsubscribe = NULL WHERE id = ?`,
		person); err != nil {
		return err
	}
	if err := t.DropPasskeys(person); err != nil {
		return err
	}
	if err := t.exec(`DELETE FROM identities WHERE person = ?`, person); err != nil {
		return err
	}
	return t.exec(`UPDATE changes SET subject = ?, detail = '' WHERE sort = ? AND subject = ?`, instead, SortPerson, name)
}

// Enable enables signing in for somebody again.
func (t *Tx) Enable(person string) error {
	return t.exec(
		`UPDATE people SET disabled = NULL, revision = revision + 1 WHERE id = ? AND disabled IS NOT NULL`, person,
	)
}

// Administrators counts those who can sign in as administrators, and locks all accounts until the transaction ends,
// so that nobody else changes one in the meantime.
func (t *Tx) Administrators() (n int, err error) {
	err = each(
		t.ctx,
		t,
		`SELECT p.roles, p.password <> '' OR EXISTS (SELECT 1 FROM identities i WHERE i.person = p.id), p.disabled IS NOT NULL
		FROM people p FOR UPDATE`,
		nil,
		func(row *sql.Rows) error {
			var roles string
			var can, disabled bool
			err := row.Scan(&roles, &can, &disabled)
			if slices.Contains(set(roles), "administrator") && can && !disabled {
				n++
			}
			return err
		},
	)
	return n, err
}

// PeopleIDs returns the ids of all accounts by name.
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

// Secret returns the hash under which a session's or token's secret is stored.
func Secret(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}

// SetCalendar stores the hash of a person's calendar secret; empty removes it.
func (s *Store) SetCalendar(ctx context.Context, person, secret string) error {
	hash := any(nil)
	if secret != "" {
		hash = Secret(secret)
	}
	_, err := s.db.ExecContext(ctx, `UPDATE people SET calendar = ? WHERE id = ?`, hash, person)
	return translate(err)
}

// CalendarPerson returns whose calendar secret that is.
func (s *Store) CalendarPerson(ctx context.Context, secret string) (Person, error) {
	p, err := scanPerson(s.db.QueryRowContext(ctx,
		`SELECT `+personColumns+` FROM people p WHERE p.calendar = ? AND p.disabled IS NULL`, Secret(secret)))
	return p, translate(err)
}
