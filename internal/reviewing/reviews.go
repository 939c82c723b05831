// Package reviewing manages reviews: readings, states, findings, evidence and everything else that is recorded.
package reviewing

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Review is a stored review, without its readings.
type Review = store.Review

// Draft is what somebody is typing and has not recorded.
type Draft = store.Draft

// Reviews lists reviews by edition: for the team all, for everybody else the current ones, without counting what
// waits in them.
func (s *Service) Reviews(ctx context.Context, who *access.Actor) ([]store.Review, error) {
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return nil, err
	}
	return values(Listed(state, who, func(*store.Review) bool { return true })), nil
}

// sees reports whether the actor can see a review: the team sees all, a machine that records in one review sees that
// one, everybody else sees the current ones.
func sees(r *store.Review, who *access.Actor) bool {
	return isCurrent(r) || who.May(access.SeeWork) && (who.Review == "" || who.Review == r.ID)
}

// ReviewsIn is Reviews for these states only.
func (s *Service) ReviewsIn(ctx context.Context, who *access.Actor, states ...string) ([]store.Review, error) {
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return nil, err
	}
	return values(Listed(state, who, func(r *store.Review) bool { return slices.Contains(states, r.State) })), nil
}

// All lists every review by edition, without counting what waits in them. The caller decides who can see which.
func (s *Service) All(ctx context.Context) ([]store.Review, error) {
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return nil, err
	}
	return values(state.Reviews(func(*store.Review) bool { return true })), nil
}

func values(rs []*store.Review) []store.Review {
	out := make([]store.Review, len(rs))
	for i, r := range rs {
		out[i] = *r
	}
	return out
}

// Listed lists the wanted reviews of a state of the records that the actor can see, by edition, without counting what
// waits in them. They are shared: do not modify them.
func Listed(state *ledger.Records, who *access.Actor, wanted func(*store.Review) bool) []*store.Review {
	return state.Reviews(func(r *store.Review) bool { return sees(r, who) && wanted(r) })
}

// Counted counts, for the team, what waits in reviews.
func (s *Service) Counted(ctx context.Context, who *access.Actor, rs []*store.Review) ([]store.Review, error) {
	out := values(rs)
	if !who.May(access.SeeWork) {
		return out, nil
	}
	ids := make([]string, len(out))
	for i := range out {
		ids[i] = out[i].ID
	}
	waiting, err := s.ledger.Store.Waiting(ctx, ids)
	if err != nil {
		return nil, ledger.Failed(err, "counting open work")
	}
	for i := range out {
		out[i].Waiting = waiting[out[i].ID]
	}
	return out, nil
}

// Review returns one review, if the actor can see it.
func (s *Service) Review(ctx context.Context, who *access.Actor, id string) (store.Review, error) {
	r, err := s.ledger.Store.Review(ctx, id)
	if errors.Is(err, store.ErrNotFound) || (err == nil && !sees(&r, who)) {
		return r, problem.New(problem.NotFound, "there is no review %s", id)
	}
	if err != nil {
		return r, ledger.Failed(err, "reading a review")
	}
	return r, nil
}

// isCurrent reports whether a review's last acceptance counts in public.
func isCurrent(r *store.Review) bool { return !r.Accepted.IsZero() && r.State != reading.Withdrawn }

// Readings lists a review's readings: for the team all, for everybody else those that the last acceptance pinned.
// Grades that the actor must not see yet are included without their value.
func (s *Service) Readings(ctx context.Context, who *access.Actor, id string) ([]reading.Reading, []Hidden, error) {
	r, err := s.Review(ctx, who, id)
	if err != nil {
		return nil, nil, err
	}
	rs, err := s.ledger.Store.Readings(ctx, id, !who.May(access.SeeWork))
	if err != nil {
		return nil, nil, ledger.Failed(err, "reading readings")
	}
	return s.Visible(ctx, who, &r, rs)
}

// ReadingsOf is Readings for many reviews that the actor can see, by review. Some use the memory of rooms, one for
// each review, and are valid until that is used again.
func (s *Service) ReadingsOf(
	ctx context.Context, who *access.Actor, reviews []store.Review, rooms []reading.Room,
) (map[string][]reading.Reading, error) {
	ids := make([]string, len(reviews))
	for i := range reviews {
		ids[i] = reviews[i].ID
	}
	all, ids, err := s.known(ctx, who, ids, rooms)
	if err != nil {
		return nil, err
	}
	read, err := s.ledger.Store.ReadingsOf(ctx, ids, !who.May(access.SeeWork))
	if err != nil {
		return nil, ledger.Failed(err, "reading readings")
	}
	maps.Copy(all, read)
	for i := range reviews {
		r := &reviews[i]
		if all[r.ID], _, err = s.Visible(ctx, who, r, all[r.ID]); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// known returns the readings of the current reviews from memory, as far as they are complete for the actor, and the
// ids of the others.
func (s *Service) known(
	ctx context.Context, who *access.Actor, ids []string, rooms []reading.Room,
) (readings map[string][]reading.Reading, others []string, err error) {
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return nil, nil, err
	}
	more := map[string]bool{}
	if who.May(access.SeeWork) {
		if more, err = s.ledger.Store.Unpinned(ctx, ids); err != nil {
			return nil, nil, ledger.Failed(err, "reading readings")
		}
	}
	readings = map[string][]reading.Reading{}
	for i, id := range ids {
		if more[id] {
			others = append(others, id)
		} else if of := state.ReadingsIn(id, &rooms[i]); of != nil {
			readings[id] = of
		} else {
			others = append(others, id)
		}
	}
	return readings, others, nil
}

// NewReview is a review to be planned.
type NewReview struct {
	Edition   string
	Checklist string // empty: the newest in force
	Continues string
	Assigned  string // empty: the actor, if they are a reviewer
	Due       string
}

// OpenBeside returns which other reviews of a review's edition are open; empty if there are none. Two people would
// answer the same questions twice.
func (s *Service) OpenBeside(ctx context.Context, review *store.Review) (string, error) {
	all, err := s.All(ctx)
	if err != nil {
		return "", err
	}
	var open []string
	for i := range all {
		r := &all[i]
		if r.ID != review.ID && r.Edition == review.Edition &&
			slices.Contains([]string{reading.Planned, reading.Underway, reading.Submitted}, r.State) {
			who := r.Assigned
			if who == "" {
				who = "nobody"
			}
			open = append(open, fmt.Sprintf("%s (%s, assigned to %s)", r.ID, r.State, who))
		}
	}
	if len(open) == 0 {
		return "", nil
	}
	return fmt.Sprintf(
		"%s has another open review: %s. Work on one of them, and withdraw the other.",
		review.Edition,
		strings.Join(open, ", "),
	), nil
}

// AddReview plans a review and returns its id.
func (s *Service) AddReview(ctx context.Context, who *access.Actor, n NewReview) (id string, change int64, err error) {
	if err := who.Permit(PlanReview); err != nil {
		return "", 0, err
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return "", 0, err
	}
	var book fault.Book
	n.Edition = state.Catalogue.Resolve(n.Edition)
	edition, ok := state.Catalogue.Versions[n.Edition]
	if _, _, _, whole := catalogue.SplitEdition(n.Edition); !ok || !whole {
		book.Field("edition", "there is no edition %q; write distribution/release/edition", n.Edition)
	}
	if why := state.Retired(n.Edition); why != "" {
		book.Field("edition", "%s is retired; restore it first", why)
	}
	list, err := scoring.Newest(state.Checklists.Lists, n.Checklist)
	switch {
	case err != nil:
		book.Field("checklist", "%s", err)
	case list.State != checklist.InForce:
		book.Field("checklist", "%s is %s; a review needs a version in force", list.Name(), list.State)
	}
	dueDay(n.Due, &book)
	if n.Assigned == "" && who.May(Record) {
		n.Assigned = who.Name
	}
	r := store.Review{Ref: store.Ref{ID: store.NewID()}, State: reading.Planned, Continues: n.Continues, Due: n.Due}
	assigned := s.people.Reviewer(ctx, n.Assigned, &book)
	if n.Continues != "" {
		before, err := s.ledger.Store.Review(ctx, n.Continues)
		switch {
		case err != nil:
			book.Field("continues", "there is no review %s", n.Continues)
		case before.Edition != n.Edition:
			book.Field("continues", "%s reviews %s; a revisit has to be of the same edition", n.Continues, before.Edition)
		}
	}
	if err := problem.From("the review", book.List()); err != nil {
		return "", 0, err
	}
	change, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.AddReview(&r, edition.ID, state.Checklists.Versions[list.Name()].ID, assigned); err != nil {
			return err
		}
		return tx.Log("planned", store.SortReview, r.ID, n.Edition)
	})
	return r.ID, change, err
}

// move is a step in a review's life.
type move struct{ from, to string }

// moves defines the steps: their names, who can take them, and whether they need a reason.
var moves = map[move]struct {
	act    string
	action access.Action
	reason bool
}{
	{reading.Planned, reading.Underway}:    {"begin", Record, false},
	{reading.Planned, reading.Withdrawn}:   {"withdraw", Accept, true},
	{reading.Underway, reading.Submitted}:  {"submit", Submit, false},
	{reading.Underway, reading.Withdrawn}:  {"withdraw", Accept, true},
	{reading.Submitted, reading.Underway}:  {"give-back", Submit, false},
	{reading.Submitted, reading.Accepted}:  {"accept", Accept, false},
	{reading.Submitted, reading.Withdrawn}: {"withdraw", Accept, true},
	{reading.Accepted, reading.Underway}:   {"reopen", Accept, true},
	{reading.Accepted, reading.Withdrawn}:  {"withdraw", Accept, true},
}

// MoveReview moves a review to another state.
func (s *Service) MoveReview(
	ctx context.Context,
	who *access.Actor,
	id string,
	v ledger.Version,
	to, reason string,
) (int64, error) {
	r, err := s.Review(ctx, who, id)
	if err != nil {
		return 0, err
	}
	m, ok := moves[move{r.State, to}]
	if !ok {
		return 0, problem.New(problem.Conflict, "a review that is %s cannot become %s", r.State, to)
	}
	if err := who.Permit(m.action); err != nil {
		return 0, err
	}
	if m.reason && reason == "" {
		return 0, problem.Field("/reason", "give a reason why a review that is %s becomes %s", r.State, to)
	}
	ref, err := ledger.Based(map[string]store.Ref{id: r.Ref}, id, v)
	if err != nil {
		return 0, err
	}
	switch to {
	case reading.Submitted:
		err = s.maySubmit(ctx, who, id, reason)
	case reading.Accepted:
		err = s.mayAccept(ctx, who, id)
	}
	if err != nil {
		return 0, err
	}
	change, err := s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if to == reading.Accepted {
			err = tx.AcceptReview(ref, reason)
			if err == nil {
				err = tx.MeetRequests([]string{r.Edition, catalogue.ReleaseOf(r.Edition)}, "reviewed")
			}
		} else {
			err = tx.MoveReview(ref, to, reason)
		}
		if err != nil {
			return err
		}
		return tx.Log(to, store.SortReview, id, reason)
	})
	if err == nil && to == reading.Accepted {
		key, _, _ := strings.Cut(r.Checklist, "@")
		change = s.checklists.Succeed(ctx, who, key, change)
	}
	return change, err
}

func dueDay(due string, book *fault.Book) {
	if due == "" {
		return
	}
	if _, err := time.Parse(time.DateOnly, due); err != nil {
		book.Field("due", "%q is not a date such as 2026-11-30", due)
	}
}

// Assign assigns a review to a reviewer, with a due date; either can be empty.
func (s *Service) Assign(
	ctx context.Context,
	who *access.Actor,
	id string,
	v ledger.Version,
	person, due string,
) (int64, error) {
	if err := who.Permit(PlanReview); err != nil {
		return 0, err
	}
	r, err := s.Review(ctx, who, id)
	if err != nil {
		return 0, err
	}
	if r.State == reading.Accepted || r.State == reading.Withdrawn {
		return 0, problem.New(problem.Conflict, "a review that is %s cannot be assigned", r.State)
	}
	var book fault.Book
	assigned := s.people.Reviewer(ctx, person, &book)
	dueDay(due, &book)
	if err := problem.From("the assignment", book.List()); err != nil {
		return 0, err
	}
	ref, err := ledger.Based(map[string]store.Ref{id: r.Ref}, id, v)
	if err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.Assign(ref, assigned, due); err != nil {
			return err
		}
		return tx.Log("assigned", store.SortReview, id, strings.TrimSpace(person+" "+due))
	})
}
