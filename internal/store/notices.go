package store

import (
	"context"
	"database/sql"
	"time"
)

// Mention is a place where somebody is mentioned with an @.
type Mention struct {
	ID      string
	Person  string // its id
	Writer  string // a name; empty: the service
	At      time.Time
	Sort    Sort // review or proposal
	Subject string
	Source  string // the text with the mention, once per text
	Excerpt string
}

// Mentions reads the mentions of a person that were not dismissed, the newest first.
func (s *Store) Mentions(ctx context.Context, person string) ([]Mention, error) {
	all := []Mention{}
	err := each(ctx, s.db, `SELECT m.id, m.person, w.name, m.at, m.sort, m.subject, m.source, m.excerpt
		FROM mentions m LEFT JOIN people w ON w.id = m.writer WHERE m.person = ? AND NOT m.seen ORDER BY m.at DESC LIMIT 200`,
		[]any{person}, func(row *sql.Rows) error {
			var m Mention
			err := row.Scan(&m.ID, &m.Person, orEmpty{&m.Writer}, &m.At, &m.Sort, &m.Subject, &m.Source, &m.Excerpt)
			all = append(all, m)
			return err
		})
	return all, err
}

// NoticesSeen reads which notices of a person were dismissed, and which were mailed.
func (s *Store) NoticesSeen(ctx context.Context, person string) (seen, mailed map[string]bool, err error) {
	seen, mailed = map[string]bool{}, map[string]bool{}
	err = each(ctx, s.db, `SELECT notice, seen, mailed FROM notices_seen WHERE person = ?`, []any{person},
		func(row *sql.Rows) error {
			var notice string
			var wasSeen, wasMailed bool
			if err := row.Scan(&notice, &wasSeen, &wasMailed); err != nil {
				return err
			}
			seen[notice], mailed[notice] = wasSeen, wasMailed
			return nil
		})
	return seen, mailed, err
}

// SeeNotice dismisses a notice.
func (s *Store) SeeNotice(ctx context.Context, person, notice string, at time.Time) error {
	_, err := s.db.ExecContext(ctx, `INSERT INTO notices_seen (person, notice, seen, at) VALUES (?, ?, TRUE, ?)
		ON DUPLICATE KEY UPDATE seen = TRUE`, person, notice, at)
	return translate(err)
}

// SeeMention dismisses a mention; a missing one is not an error.
func (s *Store) SeeMention(ctx context.Context, person, id string) error {
	_, err := s.db.ExecContext(ctx, `UPDATE mentions SET seen = TRUE WHERE person = ? AND id = ?`, person, id)
	return translate(err)
}

// Mailing is how somebody wants notices by mail.
type Mailing struct {
	Mail, Mode string
	Mailed     time.Time // zero: never
	Secret     string    // secret that ends it without signing in
}

// Mailing reads how a person wants notices by mail.
func (s *Store) Mailing(ctx context.Context, person string) (Mailing, error) {
	var m Mailing
	var at sql.NullTime
	err := s.db.QueryRowContext(ctx, `SELECT mail, mailing, mailed, unsubscribe FROM people WHERE id = ?`, person).
		Scan(&m.Mail, &m.Mode, &at, orEmpty{&m.Secret})
	m.Mailed = at.Time
	return m, translate(err)
}

// SetMailing stores how a person wants notices by mail.
func (s *Store) SetMailing(ctx context.Context, person string, m *Mailing) error {
	_, err := s.db.ExecContext(ctx, `UPDATE people SET mail = ?, mailing = ?, unsubscribe = ? WHERE id = ?`,
		m.Mail, m.Mode, null(m.Secret), person)
	return translate(err)
}

// EndMailing ends the mails of the person to whom a secret belongs.
func (s *Store) EndMailing(ctx context.Context, secret string) error {
	res, err := s.db.ExecContext(ctx, `UPDATE people SET mailing = 'off' WHERE unsubscribe = ?`, secret)
	if err != nil {
		return translate(err)
	}
	if n, err := res.RowsAffected(); err == nil && n > 0 {
		return nil
	}
	var there bool // the person's mails have ended already
	err = s.db.QueryRowContext(ctx, `SELECT EXISTS (SELECT 1 FROM people WHERE unsubscribe = ?)`, secret).Scan(&there)
	if err == nil && !there {
		return ErrNotFound
	}
	return translate(err)
}

// MailedTo lists the ids and names of those who want mails in a mode.
func (s *Store) MailedTo(ctx context.Context, mode string) ([]Person, error) {
	people := []Person{}
	err := each(
		ctx,
		s.db,
		`SELECT `+personColumns+` FROM people p WHERE p.mailing = ? AND p.mail <> '' AND p.disabled IS NULL ORDER BY p.name`,
		[]any{mode},
		func(row *sql.Rows) error {
			p, err := scanPerson(row)
			people = append(people, p)
			return err
		},
	)
	return people, err
}

// ClaimMail reserves mailing notices to a person for this instance, given the time of the last mail: another instance
// that claims the same gets false. The notices count as mailed from then on.
func (s *Store) ClaimMail(ctx context.Context, person string, before, now time.Time, notices []string) (bool, error) {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return false, translate(err)
	}
	defer tx.Rollback() //nolint:errcheck // the reservation was committed
	res, err := tx.ExecContext(ctx, `UPDATE people SET mailed = ? WHERE id = ? AND mailed <=> ?`,
		now, person, nullTime(before))
	if err != nil {
		return false, translate(err)
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return false, translate(err)
	}
	for _, notice := range notices {
		if _, err := tx.ExecContext(ctx, `INSERT INTO notices_seen (person, notice, mailed, at) VALUES (?, ?, TRUE, ?)
			ON DUPLICATE KEY UPDATE mailed = TRUE`, person, notice, now); err != nil {
			return false, translate(err)
		}
	}
	return true, translate(tx.Commit())
}

// UnclaimMail releases what could not be sent, so that it is tried again.
func (s *Store) UnclaimMail(ctx context.Context, person string, before time.Time, notices []string) error {
	for _, notice := range notices {
		if _, err := s.db.ExecContext(ctx, `UPDATE notices_seen SET mailed = FALSE WHERE person = ? AND notice = ?`,
			person, notice); err != nil {
			return translate(err)
		}
	}
	_, err := s.db.ExecContext(ctx, `UPDATE people SET mailed = ? WHERE id = ?`,
		nullTime(before), person)
	return translate(err)
}
