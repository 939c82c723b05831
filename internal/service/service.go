// Package service holds the use cases: who may do what, in which transaction, and
// what is computed for whom. It alone ties store and core together.
package service

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"dappertally/internal/board"
	"dappertally/internal/store"
)

// Service answers every use case. Make it with New.
type Service struct {
	store      *store.Store
	board      *board.Board
	log        *slog.Logger
	now        func() time.Time
	attempts   *attempts // to sign in
	suggesting *attempts // to send suggestions in
	Team       string    // who runs the service, as readers are told
	Demo       bool
}

// New makes a service on a migrated store. now is the clock of all that is
// recorded; the demo's stands still on one day. Call Follow as well.
func New(s *store.Store, log *slog.Logger, now func() time.Time) *Service {
	return &Service{
		store:      s,
		board:      board.New(s, log),
		log:        log,
		now:        now,
		attempts:   newAttempts(every(6*time.Second, 10)),
		suggesting: newAttempts(every(time.Minute, 10)),
		Team:       "Review team",
	}
}

// Dated is the service with a clock that stands still at a moment, for what is brought
// along from earlier with its own date.
func (s *Service) Dated(at time.Time) *Service {
	then := *s
	then.now = func() time.Time { return at }
	return &then
}

// Follow keeps what the service has in memory current until ctx ends.
func (s *Service) Follow(ctx context.Context) { s.board.Follow(ctx) }

// Now is the service's clock, in UTC.
func (s *Service) Now() time.Time { return s.now().UTC().Truncate(time.Microsecond) }

// Ready reports why the service cannot answer now; nil where it can.
func (s *Service) Ready(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	if err := s.store.Ping(ctx); err != nil {
		return failed(err, "the database does not answer")
	}
	if s.board.Now() == nil {
		return problem(Unavailable, "the service is still reading its records")
	}
	if err := s.board.Err(); err != nil {
		return failed(err, "the records cannot be read")
	}
	return nil
}

// Seen is the number of the newest change that this instance has taken in; 0 before
// the first.
func (s *Service) Seen() int64 {
	if state := s.board.Now(); state != nil {
		return state.Number
	}
	return 0
}

// Follows reports whether this instance follows the database's changes.
func (s *Service) Follows() bool { return s.board.Err() == nil && s.board.Now() != nil }

// State gives the records as of change number after, or newer.
func (s *Service) State(ctx context.Context, after int64) (*board.State, error) {
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	st, err := s.board.After(ctx, after)
	if err != nil {
		return nil, problem(Unavailable, "change %d has not arrived here; the database may be out of reach", after)
	}
	return st, nil
}

// latest gives the records as the database has them this moment, for checks
// that come before a write.
func (s *Service) latest(ctx context.Context) (*board.State, error) {
	n, err := s.store.LastChange(ctx)
	if err != nil {
		return nil, failed(err, "reading the change log")
	}
	return s.State(ctx, n)
}

// write runs do in a transaction by the actor and makes it visible here.
func (s *Service) write(ctx context.Context, who *Actor, do func(*store.Tx) error) (int64, error) {
	n, err := s.store.Write(ctx, who.ID, s.Now(), do)
	if err != nil {
		return 0, failed(err, "writing")
	}
	s.board.Wake()
	return n, nil
}

// failed turns a store's error into one of this package, unless it is one.
func failed(err error, doing string) error {
	var mine *Error
	switch {
	case errors.As(err, &mine):
		return err
	case errors.Is(err, context.Canceled):
		return &Error{Kind: Unavailable, Message: "the request was given up by who asked", cause: err}
	case errors.Is(err, store.ErrStale):
		return &Error{
			Kind:    Stale,
			Message: "somebody else changed this in the meantime; read it again and repeat your change on what is there now",
			cause:   err,
		}
	case errors.Is(err, store.ErrBusy):
		return &Error{
			Kind:    Unavailable,
			Message: "somebody else is writing in the same place; nothing was changed, try again shortly",
			cause:   err,
		}
	case errors.Is(err, store.ErrUnavailable), errors.Is(err, context.DeadlineExceeded):
		return &Error{
			Kind:    Unavailable,
			Message: "the database cannot be reached; nothing was changed, try again shortly",
			cause:   err,
		}
	case errors.Is(err, store.ErrExists):
		return &Error{Kind: Conflict, Message: "this exists already", cause: err}
	case errors.Is(err, store.ErrNotFound):
		return &Error{Kind: NotFound, Message: "this does not exist", cause: err}
	}
	return &Error{
		Kind:    Internal,
		Message: "something failed inside the service while " + doing + "; the log says more",
		cause:   err,
	}
}
