package store

import (
	"context"
	"crypto/rand"
	"database/sql"
	"errors"
	"fmt"
	"time"
)

// ErrUnsettled is a write of which nobody knows whether it was made: the answer to its commit was lost, and the
// database cannot be asked. Made again under the same id, it is made once.
var ErrUnsettled = errors.New("the database did not report whether it was written")

// ErrRepeated is a write that was made before.
var ErrRepeated = errors.New("was already written")

// WriteID tells writes apart: the same write, asked for again, has the same.
type WriteID [32]byte

// Asked is a write as it is asked for. One transaction carries its id, so that it is made once however often it is
// asked for.
type Asked struct {
	ID      WriteID
	Request [32]byte // hash of what is asked; another request under the same id is refused by who asks Made

	made Made // once it is
}

type askedKey struct{}

// WithAsked has the first transaction that writes under the context made as a; later ones have ids of their own.
func WithAsked(ctx context.Context, a *Asked) context.Context {
	return context.WithValue(ctx, askedKey{}, a)
}

// Written is what was written under the context, as far as it was asked for under an id; nil: nothing.
func Written(ctx context.Context) *Made {
	if a, ok := ctx.Value(askedKey{}).(*Asked); ok && a.made.made {
		return &a.made
	}
	return nil
}

// Made is a write that was made.
type Made struct {
	Request [32]byte
	Number  int64  // of its last change; 0: it logged none
	Sort    Sort   // of what its first change is about
	Subject string // the same
	Status  int    // of the answer that was kept; 0: none was
	Answer  []byte

	made bool
}

// asked is under which id a transaction is made: the one that it is asked for under, once, or else a new one.
func asked(ctx context.Context) *Asked {
	if a, ok := ctx.Value(askedKey{}).(*Asked); ok && !a.made.made {
		return a
	}
	a := &Asked{}
	_, _ = rand.Read(a.ID[:]) // it never fails
	return a
}

// enter notes the write in its own transaction.
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

// committed notes that the transaction was committed.
func (a *Asked) committed(t *Tx) {
	a.made = Made{Request: a.Request, Number: t.number, Sort: t.sort, Subject: t.subject, made: true}
}

// settleFor is how long a database that broke off at a commit is asked what became of it. Another node of a cluster
// first has to be found.
const settleFor = 4 * time.Second

// settle finds out whether a write was made whose commit was not answered. The row of the write decides: while its
// transaction may still be committed, an attempt to enter the same row waits for it.
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

// entered reports whether a write is among those that were made, on any node, and waits for a transaction that is about
// to decide it.
func (s *Store) entered(ctx context.Context, id WriteID) (bool, error) {
	ctx, cancel := context.WithTimeout(ctx, settleFor)
	defer cancel()
	tx, err := s.patient.BeginTx(ctx, nil)
	if err != nil {
		return false, translate(err)
	}
	defer tx.Rollback() //nolint:errcheck // nothing is to be kept
	_, err = tx.ExecContext(ctx, `INSERT INTO writes (id, number, sort, subject) VALUES (?, 0, '', '')`, id[:])
	if err = translate(err); errors.Is(err, ErrExists) {
		return true, nil
	}
	return false, err
}

// Made finds a write that was made under an id; nil: there is none.
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

// KeepAnswer keeps what was answered to a write, for the caller for it once more.
func (s *Store) KeepAnswer(ctx context.Context, id WriteID, status int, answer []byte) error {
	_, err := s.db.ExecContext(ctx, `UPDATE writes SET status = ?, answer = ? WHERE id = ?`, status, answer, id[:])
	return translate(err)
}

// ForgetWrites removes writes that are older than a while, by the database's clock.
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

// unsettled is a commit whose outcome is not known.
func unsettled(commit, settling error) error {
	return fmt.Errorf("%w: %w; looking it up: %w", ErrUnsettled, commit, settling)
}
