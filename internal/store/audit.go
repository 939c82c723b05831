package store

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"
)

// AuditHead is the number and hash of the newest entry; number 0 if there is none.
func (s *Store) AuditHead(ctx context.Context) (number int64, hash []byte, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT number, hash FROM audit_head`).Scan(&number, &hash)
	return number, hash, translate(err)
}

// AuditHeadOf returns the number and hash of the newest entry about one of these kinds of subject; number 0 if there
// is none.
func (s *Store) AuditHeadOf(ctx context.Context, sorts ...Sort) (number int64, hash []byte, err error) {
	args := make([]any, len(sorts))
	for i, sort := range sorts {
		args[i] = sort
	}
	places := "?" + strings.Repeat(", ?", len(sorts)-1)
	err = s.db.QueryRowContext(ctx, `SELECT number, hash FROM audit WHERE sort IN (`+places+`) ORDER BY number DESC LIMIT 1`,
		args...).Scan(&number, &hash)
	if err = translate(err); errors.Is(err, ErrNotFound) {
		return 0, nil, nil
	}
	return number, hash, err
}

// AuditFilter selects entries; an empty field selects all.
type AuditFilter struct {
	Person, Sort, Subject, Action string
	From, To                      time.Time
	Before                        int64 // only those with a smaller number
	Limit                         int
}

const auditColumns = `a.number, a.at, a.person, a.way, a.action, a.sort, a.subject, a.private, a.salt, a.committed, a.hash`

func scanAudit(row *sql.Rows) (AuditEntry, error) {
	var e AuditEntry
	var person sql.NullString
	err := row.Scan(&e.Number, &e.At, &person, &e.Way, &e.Action, &e.Sort, &e.Subject, &e.private, &e.salt, &e.committed,
		&e.Hash)
	if err != nil {
		return e, err
	}
	e.Person, e.Erased = person.String, e.salt == nil
	if !e.Erased {
		_ = json.Unmarshal(e.private, &e.AuditPrivate) // Verify reports what was altered so that it cannot be read
	}
	return e, nil
}

// Audit reads entries, the newest first.
func (s *Store) Audit(ctx context.Context, f *AuditFilter) ([]AuditEntry, error) {
	query, args := `SELECT `+auditColumns+` FROM audit a WHERE TRUE`, []any{}
	where := func(condition string, value any, wanted bool) {
		if wanted {
			query += ` AND ` + condition
			args = append(args, value)
		}
	}
	where(`a.person = ?`, f.Person, f.Person != "")
	where(`a.sort = ?`, f.Sort, f.Sort != "")
	where(`a.subject = ?`, f.Subject, f.Subject != "")
	where(`a.action = ?`, f.Action, f.Action != "")
	where(`a.at >= ?`, f.From.UTC(), !f.From.IsZero())
	where(`a.at < ?`, f.To.UTC(), !f.To.IsZero())
	where(`a.number < ?`, f.Before, f.Before > 0)
	entries := []AuditEntry{}
	err := each(ctx, s.db, query+` ORDER BY a.number DESC LIMIT ?`, append(args, f.Limit), func(row *sql.Rows) error {
		e, err := scanAudit(row)
		entries = append(entries, e)
		return err
	})
	return entries, err
}

// AuditFault is the first entry that differs from what was written.
type AuditFault struct {
	Number int64
	What   string
}

func (f *AuditFault) Error() string { return fmt.Sprintf("entry %d %s", f.Number, f.What) }

// VerifyAudit checks the whole trail and returns how many entries it has and how many have an erased part. The error
// is an *AuditFault if an entry was altered, removed or inserted.
func (s *Store) VerifyAudit(ctx context.Context) (entries, erased int, err error) {
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return 0, 0, translate(err)
	}
	defer func() { _ = tx.Rollback() }() // nothing was written
	var last int64
	var head, previous []byte
	var number int64
	if err := tx.QueryRowContext(ctx, `SELECT number, hash, first, before_first FROM audit_head`).
		Scan(&last, &head, &number, &previous); err != nil {
		return 0, 0, translate(err)
	}
	err = each(ctx, tx, `SELECT `+auditColumns+` FROM audit a ORDER BY a.number`, nil, func(row *sql.Rows) error {
		e, err := scanAudit(row)
		if err != nil {
			return err
		}
		switch {
		case e.Number > number+1:
			return &AuditFault{number + 1, "is missing"}
		case e.Number != number+1:
			return &AuditFault{e.Number, "was added"}
		case !e.Erased && !bytes.Equal(commitment(e.salt, e.private), e.committed):
			return &AuditFault{e.Number, "was altered: its details were changed"}
		}
		hash, err := e.seal(previous)
		if err != nil {
			return err
		}
		if !bytes.Equal(hash, e.Hash) {
			return &AuditFault{e.Number, "was altered, or the entry before it was removed or added"}
		}
		number, previous = e.Number, hash
		entries++
		if e.Erased {
			erased++
		}
		return nil
	})
	if err == nil && (number != last || !bytes.Equal(previous, head)) {
		err = &AuditFault{number + 1, "is missing: the trail ends before its head"}
	}
	var at *AuditFault
	if errors.As(err, &at) {
		return entries, erased, at
	}
	return entries, erased, err
}

// AuditHashOf returns the hash of an entry, to compare it with a noted one; ErrNotFound if the entry is not stored.
func (s *Store) AuditHashOf(ctx context.Context, number int64) (hash []byte, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT hash FROM audit WHERE number = ?`, number).Scan(&hash)
	return hash, translate(err)
}

// PruneAudit deletes the entries before a moment. The chain then begins after them.
func (s *Store) PruneAudit(ctx context.Context, before time.Time) (n int64, err error) {
	_, err = s.Write(ctx, "", before, func(t *Tx) error {
		var number int64
		var hash []byte
		err := t.row(`SELECT number, hash FROM audit WHERE at < ? ORDER BY number DESC LIMIT 1`, before.UTC()).
			Scan(&number, &hash)
		if errors.Is(err, sql.ErrNoRows) {
			return nil
		}
		if err != nil {
			return translate(err)
		}
		if err := t.exec(`UPDATE audit_head SET first = ?, before_first = ? WHERE first < ?`, number, hash, number); err != nil {
			return err
		}
		res, err := t.ExecContext(t.ctx, `DELETE FROM audit WHERE number <= ?`, number)
		if err != nil {
			return translate(err)
		}
		n, err = res.RowsAffected()
		return err
	})
	return n, err
}

// LastBackup returns when the newest backup in the audit trail was made; zero if there is none.
func (s *Store) LastBackup(ctx context.Context) (time.Time, error) {
	var at sql.NullTime
	err := s.db.QueryRowContext(
		ctx, `SELECT MAX(at) FROM audit WHERE sort = 'backup' AND action = 'backed up'`).Scan(&at)
	return at.Time, translate(err)
}
