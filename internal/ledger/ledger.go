// Package ledger is what the parts of the work share: records, transactions, the log of
// changes, and the clock.
package ledger

import (
	"cmp"
	"context"
	"errors"
	"log/slog"
	"time"

	"dappertally/core/fault"
	"dappertally/internal/access"
	"dappertally/internal/board"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Ref is a record's id and revision.
type Ref = store.Ref

// Origin is where and by what way in something is asked for.
type Origin = store.Origin

// WithOrigin has what is done under the context entered in the audit trail with its origin.
func WithOrigin(ctx context.Context, o Origin) context.Context { return store.WithOrigin(ctx, o) }

// Spent is how long the database worked for one request.
type Spent = store.Spent

// WithSpent returns a context whose statements are counted, and where.
func WithSpent(ctx context.Context) (context.Context, *Spent) { return store.WithSpent(ctx) }

// NewID makes an id: a UUID of version 7, which sorts by time.
func NewID() string { return store.NewID() }

// Ledger is the records and who may write them down. Make it with New.
type Ledger struct {
	Store  *store.Store
	Board  *board.Board
	Log    *slog.Logger
	Keeper string // how the team is called, whatever its rules say; empty: as these say
	Demo   bool   // the records are made up
	now    func() time.Time
	feed   *feed
}

// New makes the ledger of a migrated store. now is the clock of all that is recorded;
// the demo's stands still on one day. Call Follow as well.
func New(s *store.Store, log *slog.Logger, now func() time.Time) *Ledger {
	return &Ledger{Store: s, Board: board.New(s, log), Log: log, now: now, feed: &feed{}}
}

// Dated is the ledger with a clock that stands still at a moment, for what is brought
// along from earlier with its own date.
func (l *Ledger) Dated(at time.Time) *Ledger {
	then := *l
	then.now = func() time.Time { return at }
	return &then
}

// LongestTeam is how many bytes the name of the team may have.
const LongestTeam = 100

// Team is how the team is called: as the settings of the service say, or else as its rules do.
func (l *Ledger) Team() string {
	const unnamed = "Review team"
	if l.Keeper != "" {
		return l.Keeper
	}
	if state := l.Board.Now(); state != nil {
		return cmp.Or(state.Team, unnamed)
	}
	return unnamed
}

// Follow keeps what the service has in memory current until ctx ends.
func (l *Ledger) Follow(ctx context.Context) { l.Board.Follow(ctx) }

// Now is the service's clock, in UTC.
func (l *Ledger) Now() time.Time { return l.now().UTC().Truncate(time.Microsecond) }

// readyTime is how long it may take to find out whether the service can answer, and behindFor how long of it this
// instance may be behind the database.
const (
	readyTime = 3 * time.Second
	behindFor = time.Second
)

// Ready reports why the service cannot answer now; nil where it can: the database answers, and what this instance has
// in memory is what the database had a moment ago.
func (l *Ledger) Ready(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, readyTime)
	defer cancel()
	last, err := l.Store.LastChange(ctx)
	if err != nil {
		return notReady("/database", Failed(err, "asking the database"))
	}
	if l.Board.Now() == nil {
		return notReady("/records", problem.New(problem.Unavailable, "the service is still loading its records"))
	}
	if err := l.Board.Err(); err != nil {
		return notReady("/records", Failed(err, "reading the records"))
	}
	soon, cancel := context.WithTimeout(ctx, behindFor)
	defer cancel()
	if _, err := l.Board.After(soon, last); err != nil {
		return notReady("/records", problem.New(
			problem.Unavailable, "the database is at change %d; this instance has seen %d", last, l.Seen(),
		))
	}
	return nil
}

// notReady names the part of the service that is not ready.
func notReady(part string, err error) error {
	var of *problem.Error
	if errors.As(err, &of) {
		of.Faults = fault.List{{Pointer: part, Detail: of.Message}}
	}
	return err
}

// Seen is the number of the newest change that this instance has seen; 0 before
// the first.
func (l *Ledger) Seen() int64 {
	if state := l.Board.Now(); state != nil {
		return state.Number
	}
	return 0
}

// Follows reports whether this instance follows the database's changes.
func (l *Ledger) Follows() bool { return l.Board.Err() == nil && l.Board.Now() != nil }

// State gives the records as of change number after, or newer.
func (l *Ledger) State(ctx context.Context, after int64) (*board.State, error) {
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	began := time.Now()
	st, err := l.Board.After(ctx, after)
	if err != nil {
		l.Log.DebugContext(ctx, "a change has not arrived",
			"change", after, "seen", l.Seen(), "waited", time.Since(began), "why", err)
		if away := l.Store.Away(); away != nil {
			return nil, Failed(away, "reading")
		}
		return nil, problem.New(problem.Slow, "change %d has not arrived here yet; try again shortly", after)
	}
	if after > 0 {
		l.Log.DebugContext(ctx, "read after a change", "change", after, "seen", st.Number, "waited", time.Since(began))
	}
	return st, nil
}

// Latest gives the records as the database has them this moment, for checks
// that come before a write.
func (l *Ledger) Latest(ctx context.Context) (*board.State, error) {
	n, err := l.Store.LastCommitted(ctx)
	if err != nil {
		return nil, Failed(err, "reading the change log")
	}
	return l.State(ctx, n)
}

// Write runs do in a transaction by the actor and makes it visible here.
func (l *Ledger) Write(ctx context.Context, who *access.Actor, do func(*store.Tx) error) (int64, error) {
	began := time.Now()
	n, err := l.Store.Write(ctx, who.ID, l.Now(), do)
	if err != nil {
		l.Log.DebugContext(ctx, "not written", "why", err, "took", time.Since(began))
		return 0, Failed(err, "writing")
	}
	l.Log.DebugContext(ctx, "written", "change", n, "took", time.Since(began))
	l.Board.Wake()
	return n, nil
}

// Note enters in the audit trail what changes no record: a sign-in, or data that leave the service.
func (l *Ledger) Note(ctx context.Context, who *access.Actor, action, sort, subject, detail string) error {
	if err := l.Store.Note(ctx, who.ID, l.Now(), action, sort, subject, detail); err != nil {
		return Failed(err, "keeping the audit trail")
	}
	return nil
}

// RoomFor refuses what the database's disk is known to have no room for, in bytes.
func (l *Ledger) RoomFor(size uint64) error {
	if err := l.Store.RoomFor(size); err != nil {
		return Failed(err, "")
	}
	return nil
}

// Failed turns a store's error into one of this package, unless it is one.
func Failed(err error, doing string) error {
	var mine *problem.Error
	switch {
	case errors.As(err, &mine):
		return err
	case errors.Is(err, context.Canceled):
		return &problem.Error{Kind: problem.Unavailable, Message: "the request was cancelled by the client", Cause: err}
	case errors.Is(err, store.ErrUnsettled):
		return &problem.Error{
			Kind:    problem.Unsettled,
			Message: "the database connection was lost while this was written; it may or may not have been written",
			Cause:   err,
		}
	case errors.Is(err, store.ErrRepeated):
		return &problem.Error{Kind: problem.Conflict, Message: "this was already written by the same request", Cause: err}
	case errors.Is(err, store.ErrStale):
		return &problem.Error{
			Kind:    problem.Stale,
			Message: "somebody else changed this in the meantime; reload it and repeat your change",
			Cause:   err,
		}
	case errors.Is(err, store.ErrBusy):
		return &problem.Error{
			Kind:    problem.Busy,
			Message: "somebody else is writing here; nothing was changed, try again shortly",
			Cause:   err,
		}
	case errors.Is(err, store.ErrFull):
		return &problem.Error{
			Kind:    problem.Full,
			Message: "the disk of the database is full; nothing was changed, ask an administrator",
			Cause:   err,
		}
	case errors.Is(err, store.ErrUnavailable):
		return &problem.Error{
			Kind:    problem.Away,
			Message: "the database cannot be reached; nothing was changed, try again shortly",
			Cause:   err,
		}
	case errors.Is(err, store.ErrSlow), errors.Is(err, context.DeadlineExceeded):
		return &problem.Error{
			Kind:    problem.Slow,
			Message: "the database did not answer in time; nothing was changed, ask for less or try again later",
			Cause:   err,
		}
	case errors.Is(err, store.ErrExists):
		return &problem.Error{Kind: problem.Conflict, Message: "this exists already", Cause: err}
	case errors.Is(err, store.ErrNotFound):
		return &problem.Error{Kind: problem.NotFound, Message: "this does not exist", Cause: err}
	}
	return &problem.Error{
		Kind:    problem.Internal,
		Message: "internal error while " + doing + "; the log has details",
		Cause:   err,
	}
}
