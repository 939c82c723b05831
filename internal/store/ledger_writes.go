package store

import (
	"context"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"
	"time"
)

// ErrUnsettled is a write whose outcome is unknown: the answer to its commit was lost, and the database cannot be
// asked. Repeating it with the same id is safe.
var ErrUnsettled = errors.New("the database did not report whether it was written")

// ErrRepeated is a write that happened before.
var ErrRepeated = errors.New("was already written")

// WriteID identifies a write: a repeated request has the same id.
type WriteID [32]byte

// Asked is a requested write. One transaction stores its id, so that it happens only once however often it is
// requested.
type Asked struct {
	ID      WriteID
	Request [32]byte // hash of the request; the caller of Made refuses another request with the same id

	made Made // once it is
}

type askedKey struct{}

// WithAsked assigns a to the first transaction that writes under the context; later ones have ids of their own.
func WithAsked(ctx context.Context, a *Asked) context.Context {
	return context.WithValue(ctx, askedKey{}, a)
}

// Written returns the write of the context, if it has an id; nil if there was none.
func Written(ctx context.Context) *Made {
	if a, ok := ctx.Value(askedKey{}).(*Asked); ok && a.made.made {
		return &a.made
	}
	return nil
}

// Made is a completed write.
type Made struct {
	Request [32]byte
	Number  int64  // of its last change; 0: it logged none
	Sort    Sort   // of what its first change is about
	Subject string // the same
	Status  int    // status of the stored answer; 0: none
	Answer  []byte

	made bool
}

// asked returns the id of a transaction: the requested one, once, or else a new one.
func asked(ctx context.Context) *Asked {
	if a, ok := ctx.Value(askedKey{}).(*Asked); ok && !a.made.made {
		return a
	}
	a := &Asked{}
	_, _ = rand.Read(a.ID[:]) // it never fails
	return a
}

// enter records the write in its own transaction.
func (a *Asked) enter(t *Tx) error {
	err := t.exec(
		`INSERT INTO writes (id, request, number, sort, subject) VALUES (?, ?, ?, ?, ?)`,
		a.ID[:], a.Request[:], t.number, t.sort, t.subject,
	)
	if errors.Is(err, ErrExists) {
		return ErrRepeated
	}
	return err
}

// committed records that the transaction was committed.
func (a *Asked) committed(t *Tx) {
	a.made = Made{Request: a.Request, Number: t.number, Sort: t.sort, Subject: t.subject, made: true}
}

// settleFor is how long the outcome of an interrupted commit is looked up. In a cluster another node must be found
// first.
const settleFor = 4 * time.Second

// settle determines whether a write with an unanswered commit happened. The row of the write decides: while its
// transaction can still be committed, an attempt to insert the same row waits for it.
func (s *Store) settle(ctx context.Context, id WriteID) (made bool, err error) {
	patience := settleFor
	if s.hosts != nil {
		patience += failoverTime
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), patience)
	defer cancel()
	for try := 0; ; try++ {
		made, err = s.entered(ctx, id)
		if err == nil {
			return made, nil
		}
		select {
		case <-time.After(pause(min(try, tries-1))):
		case <-ctx.Done():
			return false, err
		}
	}
}

// entered reports whether a write is recorded, on any node, and waits for a transaction that is about to decide it.
func (s *Store) entered(ctx context.Context, id WriteID) (bool, error) {
	ctx, cancel := context.WithTimeout(ctx, settleFor)
	defer cancel()
	tx, err := s.patient.BeginTx(ctx, nil)
	if err != nil {
		return false, translate(err)
	}
	defer tx.Rollback() //nolint:errcheck // nothing is written
	_, err = tx.ExecContext(ctx, `INSERT INTO writes (id, number, sort, subject) VALUES (?, 0, '', '')`, id[:])
	if err = translate(err); errors.Is(err, ErrExists) {
		return true, nil
	}
	return false, err
}

// Made returns the write with an id; nil if there is none.
func (s *Store) Made(ctx context.Context, id WriteID) (*Made, error) {
	m := &Made{made: true}
	var request []byte
	row := s.db.QueryRowContext(
		ctx, `SELECT request, number, sort, subject, status, answer FROM writes WHERE id = ?`, id[:],
	)
	err := row.Scan(&request, &m.Number, &m.Sort, &m.Subject, &m.Status, &m.Answer)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, translate(err)
	}
	copy(m.Request[:], request)
	return m, nil
}

// KeepAnswer stores the answer to a write, for a repeated request.
func (s *Store) KeepAnswer(ctx context.Context, id WriteID, status int, answer []byte) error {
	_, err := s.db.ExecContext(ctx, `UPDATE writes SET status = ?, answer = ? WHERE id = ?`, status, answer, id[:])
	return translate(err)
}

// ForgetWrites deletes writes older than a time, by the database's clock.
func (s *Store) ForgetWrites(ctx context.Context, age time.Duration) error {
	const atOnce = 1000
	for {
		res, err := s.db.ExecContext(ctx,
			`DELETE FROM writes WHERE at < CURRENT_TIMESTAMP(6) - INTERVAL ? SECOND LIMIT ?`, int64(age.Seconds()), atOnce)
		if err != nil {
			return translate(err)
		}
		if n, err := res.RowsAffected(); err != nil || n < atOnce {
			return translate(err)
		}
	}
}

// unsettled is a commit whose outcome is unknown.
func unsettled(commit, settling error) error {
	return fmt.Errorf("%w: %w; looking it up: %w", ErrUnsettled, commit, settling)
}
