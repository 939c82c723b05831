// Package ledger is what all parts share: records, transactions, the change log, and the clock.
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

// Origin is where a request comes from, and through which kind of client.
type Origin = store.Origin

// WithOrigin adds the origin of a request to its entries in the audit trail.
func WithOrigin(ctx context.Context, o Origin) context.Context { return store.WithOrigin(ctx, o) }

// Spent is how long the database worked for one request.
type Spent = store.Spent

// WithSpent returns a context whose statements are counted.
func WithSpent(ctx context.Context) (context.Context, *Spent) { return store.WithSpent(ctx) }

// NewID makes an id: a UUID of version 7, which sorts by time.
func NewID() string { return store.NewID() }

// Ledger is the records and the means to change them. Make it with New.
type Ledger struct {
	Store  *store.Store
	Board  *board.Board
	Log    *slog.Logger
	Keeper string // name of the team, overriding its settings; empty: from the settings
	Demo   bool   // the records are made up
	now    func() time.Time
	feed   *feed
}

// New returns the ledger of a migrated store. now is the clock of all records; the demo's stands still on one day.
// Call Follow as well.
func New(s *store.Store, log *slog.Logger, now func() time.Time) *Ledger {
	return &Ledger{Store: s, Board: board.New(s, log), Log: log, now: now, feed: &feed{}}
}

// Dated returns the ledger with a clock that stands still at a moment, for records that are imported with an earlier
// date.
func (l *Ledger) Dated(at time.Time) *Ledger {
	then := *l
	then.now = func() time.Time { return at }
	return &then
}

// LongestTeam is the longest name of the team, in bytes.
const LongestTeam = 100

// Team returns the name of the team: from the configuration, or else from its settings.
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

// Follow keeps the service's memory current until ctx ends.
func (l *Ledger) Follow(ctx context.Context) { l.Board.Follow(ctx) }

// Now returns the service's time, in UTC.
func (l *Ledger) Now() time.Time { return l.now().UTC().Truncate(time.Microsecond) }

// readyTime is the time limit of a check whether the service can answer, and behindFor how long this instance can be
// behind the database.
const (
	readyTime = 3 * time.Second
	behindFor = time.Second
)

// Ready returns why the service cannot answer now; nil if it can: the database answers, and this instance is up to
// date with it.
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

// Seen returns the number of the newest change that this instance has seen; 0 before the first.
func (l *Ledger) Seen() int64 {
	if state := l.Board.Now(); state != nil {
		return state.Number
	}
	return 0
}

// Follows reports whether this instance follows the database's changes.
func (l *Ledger) Follows() bool { return l.Board.Err() == nil && l.Board.Now() != nil }

// State returns the records as of change number after, or newer.
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

// Latest returns the records as they are in the database now, for checks before a write.
func (l *Ledger) Latest(ctx context.Context) (*board.State, error) {
	n, err := l.Store.LastCommitted(ctx)
	if err != nil {
		return nil, Failed(err, "reading the change log")
	}
	return l.State(ctx, n)
}

// Write runs do in a transaction of the actor and makes its result visible here.
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

// Note records in the audit trail what changes no record: a sign-in, or an export.
func (l *Ledger) Note(ctx context.Context, who *access.Actor, action, sort, subject, detail string) error {
	if err := l.Store.Note(ctx, who.ID, l.Now(), action, sort, subject, detail); err != nil {
		return Failed(err, "keeping the audit trail")
	}
	return nil
}

// RoomFor returns an error if the database's disk is known to lack space for so many bytes.
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
