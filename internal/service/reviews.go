package service

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/store"
)

// Reviews lists reviews by edition: all for the team, those that stand for
// everybody else.
func (s *Service) Reviews(ctx context.Context, who *Actor) ([]store.Review, error) {
	rs, err := s.store.Reviews(ctx)
	if err != nil {
		return nil, failed(err, "reading reviews")
	}
	if who.May(SeeWork) {
		return rs, nil
	}
	return slices.DeleteFunc(rs, func(r store.Review) bool { return !stands(&r) }), nil
}

// Review gives one review, if the actor may see it.
func (s *Service) Review(ctx context.Context, who *Actor, id string) (store.Review, error) {
	r, err := s.store.Review(ctx, id)
	if errors.Is(err, store.ErrNotFound) || (err == nil && !stands(&r) && !who.May(SeeWork)) {
		return r, problem(NotFound, "there is no review %s", id)
	}
	if err != nil {
		return r, failed(err, "reading a review")
	}
	return r, nil
}

// stands reports whether a review's last acceptance counts in public.
func stands(r *store.Review) bool { return !r.Accepted.IsZero() && r.State != reading.Withdrawn }

// Readings lists a review's readings: all for the team, for everybody else those
// that the last acceptance pinned. Grades that the actor must not see yet are told
// without their value.
func (s *Service) Readings(ctx context.Context, who *Actor, id string) ([]reading.Reading, []Hidden, error) {
	r, err := s.Review(ctx, who, id)
	if err != nil {
		return nil, nil, err
	}
	rs, err := s.store.Readings(ctx, id, !who.May(SeeWork))
	if err != nil {
		return nil, nil, failed(err, "reading readings")
	}
	return s.visible(ctx, who, &r, rs)
}

// NewReview is a review to be planned.
type NewReview struct {
	Edition   string
	Checklist string // empty: the newest in force
	Continues string
	Assigned  string // empty: the actor, if a reviewer
	Due       string
}

// OpenBeside says which other reviews of a review's edition are open; empty where none
// is. Two people would answer the same questions twice.
func (s *Service) OpenBeside(ctx context.Context, review *store.Review) (string, error) {
	all, err := s.store.Reviews(ctx)
	if err != nil {
		return "", failed(err, "reading reviews")
	}
	var open []string
	for i := range all {
		r := &all[i]
		if r.ID != review.ID && r.Edition == review.Edition &&
			slices.Contains([]string{reading.Planned, reading.Underway, reading.HandedIn}, r.State) {
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

// AddReview plans a review and gives its id.
func (s *Service) AddReview(ctx context.Context, who *Actor, n NewReview) (id string, change int64, err error) {
	if err := who.permit(PlanReview); err != nil {
		return "", 0, err
	}
	state, err := s.latest(ctx)
	if err != nil {
		return "", 0, err
	}
	var book fault.Book
	n.Edition = state.Catalogue.Resolve(n.Edition)
	edition, ok := state.Catalogue.Versions[n.Edition]
	if _, _, _, whole := catalogue.SplitEdition(n.Edition); !ok || !whole {
		book.Field("edition", "there is no edition %q; name it distribution/release/edition", n.Edition)
	}
	if why := state.Retired(n.Edition); why != "" {
		book.Field("edition", "%s is retired; bring it back first", why)
	}
	list, err := scoring.Newest(state.Checklists.Lists, n.Checklist)
	switch {
	case err != nil:
		book.Field("checklist", "%s", err)
	case list.State != checklist.InForce:
		book.Field("checklist", "%s is %s; a review is made on a version in force", list.Name(), list.State)
	}
	dueDay(n.Due, &book)
	if n.Assigned == "" && who.May(Record) {
		n.Assigned = who.Name
	}
	r := store.Review{Ref: store.Ref{ID: store.NewID()}, State: reading.Planned, Continues: n.Continues, Due: n.Due}
	assigned := s.reviewer(ctx, n.Assigned, &book)
	if n.Continues != "" {
		before, err := s.store.Review(ctx, n.Continues)
		switch {
		case err != nil:
			book.Field("continues", "there is no review %s", n.Continues)
		case before.Edition != n.Edition:
			book.Field("continues", "%s reviews %s; a revisit stays with its edition", n.Continues, before.Edition)
		}
	}
	if err := invalid("the review", book.List()); err != nil {
		return "", 0, err
	}
	change, err = s.write(ctx, who, func(tx *store.Tx) error {
		if err := tx.AddReview(&r, edition.ID, state.Checklists.Versions[list.Name()].ID, assigned); err != nil {
			return err
		}
		return tx.Log("planned", store.SortReview, r.ID, n.Edition)
	})
	return r.ID, change, err
}

// move is a step in a review's life.
type move struct{ from, to string }

// moves says which steps there are, how they are called, who may take them and whether
// they need a reason.
var moves = map[move]struct {
	act    string
	action Action
	reason bool
}{
	{reading.Planned, reading.Underway}:   {"begin", Record, false},
	{reading.Planned, reading.Withdrawn}:  {"withdraw", Accept, true},
	{reading.Underway, reading.HandedIn}:  {"hand-in", HandIn, false},
	{reading.Underway, reading.Withdrawn}: {"withdraw", Accept, true},
	{reading.HandedIn, reading.Underway}:  {"give-back", HandIn, false},
	{reading.HandedIn, reading.Accepted}:  {"accept", Accept, false},
	{reading.HandedIn, reading.Withdrawn}: {"withdraw", Accept, true},
	{reading.Accepted, reading.Underway}:  {"reopen", Accept, true},
	{reading.Accepted, reading.Withdrawn}: {"withdraw", Accept, true},
}

// MoveReview takes a review to another state.
func (s *Service) MoveReview(ctx context.Context, who *Actor, id string, v Version, to, reason string) (int64, error) {
	r, err := s.Review(ctx, who, id)
	if err != nil {
		return 0, err
	}
	m, ok := moves[move{r.State, to}]
	if !ok {
		return 0, problem(Conflict, "a review that is %s cannot become %s", r.State, to)
	}
	if err := who.permit(m.action); err != nil {
		return 0, err
	}
	if m.reason && reason == "" {
		return 0, wrong("/reason", "say why a review that is %s becomes %s", r.State, to)
	}
	ref, err := based(map[string]store.Ref{id: r.Ref}, id, v)
	if err != nil {
		return 0, err
	}
	switch to {
	case reading.HandedIn:
		err = s.mayHandIn(ctx, who, id, reason)
	case reading.Accepted:
		err = s.mayAccept(ctx, who, id)
	}
	if err != nil {
		return 0, err
	}
	change, err := s.write(ctx, who, func(tx *store.Tx) error {
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
		change = s.succeed(ctx, who, key, change)
	}
	return change, err
}

// sameList reports whether two versions of a checklist differ in their state
// alone.
func sameList(a, b *checklist.Checklist) bool {
	x, y := *a, *b
	x.State, y.State = "", ""
	return sameJSON(x, y)
}

// sameJSON reports whether two values would be written alike.
func sameJSON(a, b any) bool {
	x, errX := json.Marshal(a)
	y, errY := json.Marshal(b)
	return errX == nil && errY == nil && bytes.Equal(x, y)
}

// asText is a value as JSON, for a sentence.
func asText(v any) string {
	data, err := json.Marshal(v)
	if err != nil {
		return err.Error()
	}
	return string(data)
}
