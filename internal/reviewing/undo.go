package reviewing

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/numerals"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// UndoWithin is how long a reading or an entry can be undone.
const UndoWithin = time.Hour

// Undone is what was undone.
type Undone struct {
	Part     string // "reading", or the part of an entry
	ID       string
	Reading  *reading.Reading // of a reading
	Restored bool             // of an entry: the previous revision is valid again; otherwise the entry is removed
}

// TakenBack is a reading that its reviewer undid.
type TakenBack = store.TakenBack

// TakenBack lists the undone readings of a review. Only the team can see it, without grades that the actor must not
// see yet.
func (s *Service) TakenBack(ctx context.Context, who *access.Actor, review string) ([]TakenBack, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return nil, err
	}
	if _, err := s.Review(ctx, who, review); err != nil {
		return nil, err
	}
	all, err := s.ledger.Store.TakenBack(ctx, review)
	if err != nil {
		return nil, ledger.Failed(err, "reading what was taken back")
	}
	return slices.DeleteFunc(
		all, func(x TakenBack) bool { return x.Answer.Grade != nil && x.Reviewer != who.Name },
	), nil
}

// Undo undoes a reading or an entry that the actor made in a review within the last hour: the one with that id, or,
// if id is empty, the latest. What was undone counts nowhere and stays in the review's history; what it replaced
// counts again.
func (s *Service) Undo(ctx context.Context, who *access.Actor, review, id string) (Undone, int64, error) {
	if err := who.Permit(Record); err != nil {
		return Undone{}, 0, err
	}
	k, err := s.keeper(ctx, who, review)
	if err != nil {
		return Undone{}, 0, err
	}
	u := undoing{keeper: k, since: s.ledger.Now().Add(-UndoWithin)}
	if id == "" {
		if id, err = u.last(ctx); err != nil {
			return Undone{}, 0, err
		}
	}
	change, err := s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := k.open(tx); err != nil {
			return err
		}
		x, err := tx.FindReading(review, id)
		if errors.Is(err, store.ErrNotFound) {
			return u.entry(tx, id)
		}
		if err != nil {
			return err
		}
		return u.reading(tx, &x)
	})
	return u.done, change, err
}

type undoing struct {
	*keeper
	since time.Time
	done  Undone
}

// last returns the id of the latest reading or entry of the actor that can be undone.
func (u *undoing) last(ctx context.Context) (id string, err error) {
	readings, err := u.ledger.Store.Readings(ctx, u.review.ID, false)
	if err != nil {
		return "", ledger.Failed(err, "reading readings")
	}
	entries, err := u.ledger.Store.Entries(ctx, u.review.ID, false)
	if err != nil {
		return "", ledger.Failed(err, "reading a review's record")
	}
	var newest time.Time
	consider := func(one string, made time.Time) {
		if !made.Before(u.since) && !made.Before(newest) {
			id, newest = one, made
		}
	}
	for i := range readings {
		if x := &readings[i]; x.Reviewer == u.who.Name && x.Received != nil {
			consider(x.ID, *x.Received)
		}
	}
	for i := range entries {
		if e := &entries[i]; e.Person == u.who.Name && e.Disclosure == nil {
			_, head := e.Part()
			consider(head.ID, e.Written)
		}
	}
	if id == "" {
		return "", problem.New(problem.NotFound, "you have recorded nothing in this review within the last hour")
	}
	return id, nil
}

// late returns the error that the hour is over.
func (u *undoing) late(what string, made time.Time) error {
	if !made.Before(u.since) {
		return nil
	}
	return problem.New(
		problem.Conflict,
		"%s was made at %s, more than an hour ago; replace or correct it instead",
		what,
		made.UTC().Format(time.RFC3339),
	)
}

func (u *undoing) reading(tx *store.Tx, x *reading.Reading) error {
	if x.Reviewer != u.who.Name {
		return problem.New(problem.Forbidden, "only %s, who made this reading, can take it back", x.Reviewer)
	}
	if x.Received != nil {
		if err := u.late("the reading", *x.Received); err != nil {
			return err
		}
	}
	pinned, err := tx.IsPinned(u.review.ID, x.ID)
	if err != nil {
		return err
	}
	if pinned {
		return problem.New(
			problem.Conflict, "the review was accepted with this reading, so it stays; replace it instead",
		)
	}
	by, err := tx.ReplacedBy(u.review.ID, x.ID)
	if err == nil {
		return problem.New(problem.Conflict, "the reading was replaced by %s; take that one back first", by.ID)
	}
	if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	if err := u.unseen(tx, x); err != nil {
		return err
	}
	if err := tx.TakeBack(u.review.ID, x); err != nil {
		return err
	}
	u.done = Undone{Part: "reading", ID: x.ID, Reading: x}
	return tx.Log("took back", store.SortReview, u.review.ID, x.ID)
}

// unseen refuses to undo a grade whose reviewer could already see the others': a new one would look as if they had
// not seen them.
func (u *undoing) unseen(tx *store.Tx, x *reading.Reading) error {
	if x.Answer.Grade == nil {
		return nil
	}
	all, err := tx.Readings(u.review.ID)
	if err != nil {
		return err
	}
	for i := range all {
		if y := &all[i]; y.Answer.Grade != nil && y.Criterion == x.Criterion && y.Reviewer != x.Reviewer {
			return problem.New(problem.Conflict,
				"%s graded this too, and you could see that grade; replace yours instead, and the change is "+
					"marked", y.Reviewer)
		}
	}
	return nil
}

func (u *undoing) entry(tx *store.Tx, id string) error {
	old, dropped, err := tx.FindEntry(u.review.ID, id)
	if errors.Is(err, store.ErrNotFound) || dropped {
		return problem.New(problem.NotFound, "there is no reading or entry %s in this review", id)
	}
	if err != nil {
		return err
	}
	part, _ := old.Part()
	switch {
	case old.Person != u.who.Name:
		return problem.New(problem.Forbidden, "this %s was written by %s, and only they can take it back", part, old.Person)
	case old.Pinned:
		return problem.New(
			problem.Conflict, "the review was accepted with this %s, so it stays; correct it instead", part,
		)
	}
	if err := u.late("the "+part, old.Written); err != nil {
		return err
	}
	stands := old.Revision
	if old.Restores > 0 {
		stands = old.Restores
	}
	before, gone, err := tx.EntryBefore(u.review.ID, id, stands)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	u.done = Undone{Part: part, ID: id, Restored: err == nil && !gone}
	earlier := &before
	if !u.done.Restored {
		earlier = nil
	}
	if earlier == nil && old.System != nil {
		used, err := tx.Readings(u.review.ID)
		if err != nil {
			return err
		}
		if n := count(used, func(x *reading.Reading) bool { return x.System == id }); n > 0 {
			return problem.New(problem.Conflict, "made in the state %s: %s; take them back first", id, numerals.Count(n, "reading"))
		}
	}
	if err := tx.RestoreEntry(&old, earlier); err != nil {
		return stale(err)
	}
	return tx.Log("took back "+part, store.SortReview, u.review.ID, id)
}

// Says describes in a few words what was undone.
func (u *Undone) Says() string {
	switch {
	case u.Reading != nil:
		return fmt.Sprintf("the reading of %s: %s", u.Reading.Criterion, Said(u.Reading))
	case u.Restored:
		return fmt.Sprintf("the last change of %s %s", u.Part, u.ID)
	}
	return fmt.Sprintf("the %s %s", u.Part, u.ID)
}

func count(readings []reading.Reading, is func(*reading.Reading) bool) (n int) {
	for i := range readings {
		if is(&readings[i]) {
			n++
		}
	}
	return n
}
