package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Sort is the kind of a change's subject.
type Sort string

// The kinds of subject.
const (
	SortCatalogue  Sort = "catalogue"
	SortRig        Sort = "rig"
	SortChecklist  Sort = "checklist"
	SortReview     Sort = "review"
	SortPerson     Sort = "person"
	SortProposal   Sort = "proposal"
	SortFile       Sort = "file"
	SortQueue      Sort = "queue"
	SortPlan       Sort = "plan"
	SortKnownIssue Sort = "known-issue"
	SortPolicy     Sort = "policy"
	SortMapping    Sort = "mapping"
	SortReport     Sort = "report"
)

// Tx is one transaction that changes something.
type Tx struct {
	*sql.Tx
	ctx     context.Context
	person  string // id of the acting person; empty: the service itself
	now     time.Time
	number  int64
	sort    Sort // subject of the first change
	subject string
	fields  []FieldChange  // edits that are not recorded yet
	after   []func() error // determines what edits changed

	importID int64 // the import whose rows it writes in several transactions; 0: none
}

// Write runs do in one transaction, which commits if do returns nil, and returns the number of the last change that
// it logged. A transaction that the server chose as the victim of a deadlock is repeated after a pause.
//
// There are fewer writing transactions than connections. do must not use a second connection or call back: it reads
// everything through the Tx.
func (s *Store) Write(ctx context.Context, person string, now time.Time, do func(*Tx) error) (int64, error) {
	return s.inTurn(ctx, func() (int64, error) { return s.writeOnce(ctx, person, now, do) })
}

// inTurn makes a write once there is a slot for it, and repeats it if that can help: after a deadlock, a lock
// timeout, or a connection that was lost before anything was written.
func (s *Store) inTurn(ctx context.Context, once func() (int64, error)) (int64, error) {
	select {
	case s.writers <- struct{}{}:
		defer func() { <-s.writers }()
	case <-ctx.Done():
		return 0, fmt.Errorf("%w: %w", ErrBusy, ctx.Err())
	}
	var before error
	for try := 0; ; try++ {
		number, err := once()
		if errors.Is(err, ErrUnavailable) {
			err = errors.Join(err, s.RoomFor(0)) // which may be the reason
		}
		if err != nil && ctx.Err() != nil && before != nil {
			err = before // more informative than the timeout
		}
		if err == nil || try == tries-1 || !s.again(ctx, err) {
			return number, err
		}
		before = err
		select {
		case <-time.After(pause(try)):
		case <-ctx.Done():
			return 0, err
		}
	}
}

// again reports whether a failed write is worth another attempt. If the node is gone, it waits for another.
func (s *Store) again(ctx context.Context, err error) bool {
	if ctx.Err() != nil || errors.Is(err, ErrUnsettled) {
		return false
	}
	var my *mysql.MySQLError
	if errors.As(err, &my) && (my.Number == deadlock || my.Number == lockTimeout) {
		return true
	}
	return errors.Is(err, ErrUnavailable) && s.recovers(ctx)
}

// tries is how often a transaction is started that deadlocks each time.
const tries = 8

// pause returns a random time before the next attempt, so that the same transactions do not meet again; its maximum
// doubles: 10 ms after the first, 640 ms after the seventh.
func pause(try int) time.Duration { return rand.N(10 * time.Millisecond << try) }

func (s *Store) writeOnce(ctx context.Context, person string, now time.Time, do func(*Tx) error) (int64, error) {
	t, err := s.begin(ctx, person, now)
	if err != nil {
		return 0, err
	}
	a := asked(ctx)
	if err := do(t); err != nil {
		_ = t.Rollback() // the error that ends the transaction is more informative
		return 0, err
	}
	if err := a.enter(t); err != nil {
		_ = t.Rollback()
		return 0, err
	}
	if err := t.Commit(); err != nil && !rolledBack(err) {
		made, lost := s.settle(ctx, a.ID)
		switch {
		case lost != nil:
			return 0, unsettled(err, lost)
		case !made:
			return 0, translate(err)
		}
	} else if err != nil {
		return 0, translate(err)
	}
	a.committed(t)
	return t.number, nil
}

func (s *Store) begin(ctx context.Context, person string, now time.Time) (*Tx, error) {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return nil, translate(err)
	}
	return &Tx{Tx: tx, ctx: ctx, person: person, now: now.UTC().Truncate(time.Microsecond)}, nil
}

// rolledBack reports whether a failed commit certainly wrote nothing: the server said so, or was not asked.
func rolledBack(err error) bool {
	var my *mysql.MySQLError
	known := errors.As(err, &my) && my.Number != shutdown && my.Number != notPrepared && my.Number != commitFailed
	return known || errors.Is(err, sql.ErrTxDone) ||
		errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded)
}

// Log appends to the change log. Call it last: it locks the counter until the transaction ends.
func (t *Tx) Log(action string, sort Sort, subject, detail string) error {
	if t.subject == "" {
		t.sort, t.subject = sort, subject
	}
	if err := t.exec(`UPDATE change_counter SET number = number + 1`); err != nil {
		return err
	}
	if err := t.row(`SELECT number FROM change_counter`).Scan(&t.number); err != nil {
		return translate(err)
	}
	if err := t.exec(
		`INSERT INTO changes (number, at, person, action, sort, subject, detail) VALUES (?, ?, ?, ?, ?, ?, ?)`,
		t.number,
		t.now,
		null(t.person),
		action,
		sort,
		subject,
		detail,
	); err != nil {
		return err
	}
	for _, look := range t.after {
		if err := look(); err != nil {
			return err
		}
	}
	e := AuditEntry{
		Action: action, Sort: string(sort), Subject: subject, AuditPrivate: AuditPrivate{Detail: detail, Fields: t.fields},
	}
	t.fields, t.after = nil, nil
	if sort == SortPerson { // names change, and can be erased
		if err := t.row(`SELECT id FROM people WHERE name = ?`, subject).Scan(&e.Subject); err != nil {
			return translate(err)
		}
	}
	return t.audit(&e)
}

// LogMany appends a change that affects many reviews at once, or all if ids is nil.
func (t *Tx) LogMany(action string, ids []string, detail string) error {
	if err := t.Log(action, SortReview, "*", detail); err != nil {
		return err
	}
	const atOnce = 1000
	for some := range slices.Chunk(ids, atOnce) {
		args := make([]any, 0, 2*len(some))
		for _, id := range some {
			args = append(args, t.number, id)
		}
		query := `INSERT INTO touched (number, review) VALUES (?, ?)` + strings.Repeat(", (?, ?)", len(some)-1)
		if err := t.exec(query, args...); err != nil {
			return err
		}
	}
	return nil
}

func (t *Tx) exec(query string, args ...any) error {
	_, err := t.ExecContext(t.ctx, query, args...)
	return translate(err)
}

func (t *Tx) row(query string, args ...any) *sql.Row { return t.QueryRowContext(t.ctx, query, args...) }

// edit runs an UPDATE whose last two conditions are the id and revision on which it is based, and distinguishes a
// lost race from a missing row.
func (t *Tx) edit(table, id string, revision int, set string, args ...any) error {
	if err := t.noted(table, id, set, args); err != nil {
		return err
	}
	res, err := t.ExecContext(
		t.ctx,
		fmt.Sprintf("UPDATE %s SET %s, revision = revision + 1 WHERE id = ? AND revision = ?", table, set),
		append(args, id, revision)...)
	if err != nil {
		return translate(err)
	}
	if n, err := res.RowsAffected(); err != nil || n == 1 {
		return translate(err)
	}
	return ErrStale
}

// null returns s, or NULL if it is empty.
func null(s string) sql.NullString { return sql.NullString{String: s, Valid: s != ""} }

// asJSON returns v as JSON; the types used here can always be encoded.
func asJSON(v any) string {
	data, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return string(data)
}

// list returns JSON for a list of keys, never null.
func list(keys []string) string {
	if keys == nil {
		keys = []string{}
	}
	return asJSON(keys)
}

// orEmpty scans a text that can be NULL, which becomes the empty text.
type orEmpty struct{ text *string }

func (o orEmpty) Scan(src any) error {
	var s sql.NullString
	err := s.Scan(src)
	*o.text = s.String
	return err
}

// Now returns the time that the transaction records.
func (t *Tx) Now() time.Time { return t.now }
