package store

import (
	"context"
	"errors"
	"time"
)

// mostFailures is how many pairs of name and network with failures are stored.
const mostFailures = 100_000

// Failures reads how often signing in with a name failed from a network, and the last time; zero if it never did.
func (s *Store) Failures(ctx context.Context, name, network string) (tries int, last time.Time, err error) {
	err = translate(s.db.QueryRowContext(ctx, `SELECT tries, last FROM sign_in_failures WHERE name = ? AND network = ?`,
		Secret(name), network).Scan(&tries, &last))
	if errors.Is(err, ErrNotFound) {
		return 0, time.Time{}, nil
	}
	return tries, last, err
}

// AddFailure counts a failed attempt to sign in. It deletes those before since, and the oldest if there are too many.
func (s *Store) AddFailure(ctx context.Context, name, network string, now, since time.Time) error {
	if _, err := s.db.ExecContext(ctx, `DELETE FROM sign_in_failures WHERE last < ?`, since); err != nil {
		return translate(err)
	}
	if _, err := s.db.ExecContext(ctx, `INSERT INTO sign_in_failures (name, network, tries, last) VALUES (?, ?, 1, ?)
		ON DUPLICATE KEY UPDATE tries = tries + 1, last = VALUES(last)`, Secret(name), network, now); err != nil {
		return translate(err)
	}
	var n int
	if err := s.db.QueryRowContext(ctx, `SELECT COUNT(*) FROM sign_in_failures`).Scan(&n); err != nil {
		return translate(err)
	}
	if n <= mostFailures {
		return nil
	}
	_, err := s.db.ExecContext(ctx, `DELETE FROM sign_in_failures ORDER BY last LIMIT ?`, n-mostFailures)
	return translate(err)
}

// ForgetFailures deletes those of a name from a network, since it signed in from there.
func (s *Store) ForgetFailures(ctx context.Context, name, network string) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM sign_in_failures WHERE name = ? AND network = ?`, Secret(name), network)
	return translate(err)
}
