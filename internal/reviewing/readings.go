package reviewing

import (
	"context"
	"errors"
	"slices"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/quality"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Recorded is the result of recording a reading.
type Recorded struct {
	Reading reading.Reading
	Fresh   bool     // false: it was recorded before
	Waits   bool     // the review is accepted; it counts after the next acceptance
	Value   *float64 // of a measure: adjusted and summarized
	Points  *float64 // of this reading alone
	Change  int64
	Scatter quality.Scatter // of a measure: the scatter of its runs; zero for other kinds
}

// ahead is how far a reading's time can be ahead of the service's clock.
const ahead = 10 * time.Minute

// isFuture reports whether a time is later than the service's clock, which stands still in the demo, and than the real
// one, by which machines under review measure.
func isFuture(at, now time.Time) bool {
	return at.After(now.Add(ahead)) && at.After(time.Now().Add(ahead))
}

// Sent is a reading as it is sent. Confirmed: its sender was asked about values outside the plausible range and
// confirms them, and the note explains them.
type Sent struct {
	reading.Reading
	Confirmed bool
	Ago       time.Duration // how long ago it was measured, instead of its time
}

// Record records a reading in a review. The caller chose its id: the same reading sent again changes nothing, another
// one with that id is a conflict. A zero time means now.
func (s *Service) Record(ctx context.Context, who *access.Actor, review string, x Sent) (Recorded, error) {
	if err := who.Permit(Record); err != nil {
		return Recorded{}, err
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return Recorded{}, err
	}
	r, err := s.Review(ctx, who, review)
	if err != nil {
		return Recorded{}, err
	}
	list, err := scoring.Newest(state.Checklists.Lists, r.Checklist)
	if err != nil {
		return Recorded{}, ledger.Failed(err, "finding the review's checklist")
	}
	in, err := s.incoming(ctx, who, state, list, &r, x, nil)
	if err != nil {
		return Recorded{}, err
	}
	in.out.Change, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		reviewState, version, err := tx.LockReview(review)
		if err != nil {
			return err
		}
		return in.record(tx, reviewState, version)
	})
	return in.out, err
}

// incoming is a checked reading that will be recorded.
type incoming struct {
	*Service
	who    *access.Actor
	state  *ledger.Records
	review string
	timed  bool // the sender stated when it was measured
	out    Recorded
}

// incoming checks a reading before it is recorded. states are the keys of system states that are recorded with it.
func (s *Service) incoming(
	ctx context.Context,
	who *access.Actor,
	state *ledger.Records,
	list *checklist.Checklist,
	r *store.Review,
	sent Sent,
	states []string,
) (*incoming, error) {
	x := sent.Reading
	x.Reviewer, x.Rig = who.Name, state.Catalogue.ResolveRig(x.Rig)
	now := s.ledger.Now()
	in := &incoming{Service: s, who: who, state: state, review: r.ID, timed: !x.At.IsZero()}
	if in.timed && sent.Ago != 0 {
		return nil, problem.Field("ago", "give when it was measured by at or by ago, not by both")
	}
	if !in.timed {
		x.At = now.Add(-sent.Ago)
	}
	x.At, x.Received = x.At.UTC().Truncate(time.Microsecond), &now
	if err := s.SoundReading(state, list, &x, sent.Confirmed && x.Note != "", now); err != nil {
		return nil, err
	}
	if !slices.Contains(states, x.System) {
		if err := s.knownSystem(ctx, r, x.System); err != nil {
			return nil, err
		}
	}
	in.out = Recorded{Reading: x, Fresh: true}
	in.out.Value, in.out.Points = worth(&x, list)
	if c, ok := list.Criterion(x.Criterion); ok && c.Measured() && len(x.Answer.Runs) > 0 {
		in.out.Scatter = quality.Runs(&x, c)
	}
	return in, nil
}

// record writes the reading to its review, which the transaction has locked.
func (in *incoming) record(tx *store.Tx, reviewState, version string) error {
	x := &in.out.Reading
	in.out.Waits = reviewState == reading.Accepted
	if old, err := tx.FindReading(in.review, x.ID); err == nil {
		in.out.Fresh = false
		return again(&in.out, &old, in.timed)
	} else if !errors.Is(err, store.ErrNotFound) {
		return err
	}
	if reviewState == reading.Withdrawn {
		return problem.New(problem.Conflict, "the review was withdrawn; nothing can be recorded in it")
	}
	if was, err := tx.WasTakenBack(in.review, x.ID); err != nil {
		return err
	} else if was {
		return problem.New(problem.Conflict, "this reading was taken back; record it again with another id")
	}
	if err := checkReplaced(tx, in.review, x); err != nil {
		return err
	}
	row := store.ReadingRow{Reading: x, Review: in.review, Version: version, Reviewer: in.who.ID, Received: *x.Received}
	if x.Rig != "" {
		row.Rig = in.state.Catalogue.RigVersions[x.Rig].ID
	}
	if err := tx.AddReadings([]store.ReadingRow{row}); err != nil {
		return err
	}
	if err := in.Disclose(tx, in.who, in.review); err != nil {
		return err
	}
	if err := tx.Start(in.review); err != nil {
		return err
	}
	if err := tx.DropDraft(in.review, in.who.ID, x.Criterion, x.Rig, x.Context); err != nil {
		return err
	}
	return tx.Log("recorded", store.SortReview, in.review, x.ID)
}

// SoundReading reports every fault of a reading. confirmed accepts values outside the plausible range.
func (s *Service) SoundReading(
	state *ledger.Records,
	list *checklist.Checklist,
	x *reading.Reading,
	confirmed bool,
	now time.Time,
) error {
	var book fault.Book
	reading.Validate(x, list, &book)
	if len(book.List()) == 0 {
		reading.ValidatePlausible(x, list, confirmed, &book)
		reading.ValidateValue(x, list, &book)
	}
	if x.Rig != "" {
		if _, ok := state.Catalogue.RigVersions[x.Rig]; !ok {
			book.Field("rig", "there is no rig %q", x.Rig)
		}
	}
	if isFuture(x.At, now) {
		book.Field("at", "is in the future: it is %s now", now.Format(time.RFC3339))
	}
	if x.At.Year() < 1990 {
		book.Field("at", "is before everything that is reviewed here")
	}
	if x.Adjustment != nil && x.Adjustment.Reason == "" {
		book.In("adjustment", func() { book.Field("reason", "give the reason for subtracting the amount") })
	}
	return problem.From("the reading", book.List())
}

// knownSystem checks that a reading's system state is in its review or in one that this continues.
func (s *Service) knownSystem(ctx context.Context, r *store.Review, system string) error {
	for seen := 0; system != "" && seen < 100; seen++ {
		entries, err := s.ledger.Store.Entries(ctx, r.ID, false)
		if err != nil {
			return ledger.Failed(err, "reading a review's record")
		}
		if slices.ContainsFunc(
			entries, func(e store.EntryRow) bool { return e.System != nil && e.System.ID == system },
		) {
			return nil
		}
		if r.Continues == "" {
			return problem.Field("/system", "this review has no system state %q; add it first", system)
		}
		before, err := s.ledger.Store.Review(ctx, r.Continues)
		if err != nil {
			return ledger.Failed(err, "reading a review")
		}
		r = &before
	}
	return nil
}

// again answers a reading whose id exists already.
func again(out *Recorded, old *reading.Reading, timed bool) error {
	a, b := *old, out.Reading
	a.Received, b.Received = nil, nil
	if !timed {
		b.At = a.At
	}
	if !ledger.SameJSON(a, b) {
		return problem.New(problem.Conflict, "another reading is recorded with the id %s; use a new id", old.ID)
	}
	out.Reading = *old
	return nil
}

// checkReplaced checks that the reading which x replaces exists, answers the same criterion and is not replaced
// already.
func checkReplaced(tx *store.Tx, review string, x *reading.Reading) error {
	if x.Replaces == "" {
		return nil
	}
	old, err := findInChain(tx, review, x.Replaces)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return problem.Field("/replaces", "there is no reading %s in this review", x.Replaces)
	case err != nil:
		return err
	case old.Criterion != x.Criterion:
		return problem.Field("/replaces", "that reading answers another criterion, %s", old.Criterion)
	}
	if old.Answer.Grade != nil && old.Reviewer != x.Reviewer {
		return problem.New(problem.Conflict, "only the reviewer of a grade can change it; give your own grade")
	}
	by, err := tx.ReplacedBy(review, x.Replaces)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	return problem.New(
		problem.Conflict,
		"that reading is already replaced, by %s of %s, which has %s; replace that one instead",
		by.ID,
		by.Reviewer,
		Said(&by),
	)
}

// findInChain finds a reading in a review or in those that it continues.
func findInChain(tx *store.Tx, review, id string) (reading.Reading, error) {
	for seen := 0; review != "" && seen < 100; seen++ {
		x, err := tx.FindReading(review, id)
		if !errors.Is(err, store.ErrNotFound) {
			return x, err
		}
		r, err := tx.Review(review)
		if err != nil {
			return x, err
		}
		review = r.Continues
	}
	return reading.Reading{}, store.ErrNotFound
}

// Said describes an answer in a few words.
func Said(x *reading.Reading) string {
	a := &x.Answer
	switch {
	case a.NotTested != "":
		return "not tested: " + a.NotTested
	case a.NotApplicable != "":
		return "not applicable: " + a.NotApplicable
	}
	data := ledger.AsText(a)
	const most = 200
	if len(data) > most {
		return data[:most] + "…"
	}
	return data
}

// worth returns a reading's value (measures) and points, if it has them.
func worth(x *reading.Reading, list *checklist.Checklist) (value, points *float64) {
	c, ok := list.Criterion(x.Criterion)
	if !ok || !x.Answer.Answered() {
		return nil, nil
	}
	if c.Measured() {
		v := reading.Value(x, c)
		if c.Relative() {
			return &v, nil // its points depend on the others
		}
		p := c.Curve.At(v, 0, c.Better)
		return &v, &p
	}
	if p, ok := scoring.Tried(&x.Answer, c); ok {
		return nil, &p
	}
	return nil, nil
}

// SaveDraft stores what the actor is typing in a review.
func (s *Service) SaveDraft(ctx context.Context, who *access.Actor, review string, d store.Draft) error {
	if err := who.Permit(Record); err != nil {
		return err
	}
	if _, err := s.Review(ctx, who, review); err != nil {
		return err
	}
	if err := s.ledger.Store.SaveDraft(ctx, review, who.ID, d, s.ledger.Now()); err != nil {
		return ledger.Failed(err, "keeping a draft")
	}
	return nil
}

// Drafts returns what the actor has typed in a review.
func (s *Service) Drafts(ctx context.Context, who *access.Actor, review string) ([]store.Draft, error) {
	if err := who.Permit(Record); err != nil {
		return nil, err
	}
	ds, err := s.ledger.Store.Drafts(ctx, review, who.ID)
	if err != nil {
		return nil, ledger.Failed(err, "reading drafts")
	}
	return ds, nil
}
