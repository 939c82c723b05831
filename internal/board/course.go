package board

import (
	"slices"
	"sort"
	"strings"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
	"dappertally/internal/store"
)

// career is a review through its life: it may have been accepted several times, and be withdrawn.
type career struct {
	*currentReview
	withdrawn time.Time // zero: not withdrawn
}

// Stays returns, for a checklist version, with which review each edition was accepted from which moment on and before
// which, by the numbers of these moments.
func (s *State) Stays(
	h *store.History, list *checklist.Checklist, moments []time.Time,
) (scoring.Input, []scoring.Stay) {
	f := follower{State: s, history: h, list: list, moments: moments, careers: map[string]*career{}}
	in := s.Input(list)
	f.known = in.Rows()
	editions := map[string][]*career{}
	for id, r := range s.reviews {
		f.careers[id] = &career{currentReview: r}
	}
	for _, w := range h.Withdrawn {
		r := &currentReview{Review: w.AsAccepted(nil, nil), readings: s.shelf.words.pack(h.Readings[w.ID])}
		f.careers[w.ID] = &career{r, w.At}
	}
	for _, c := range f.careers {
		if c.Checklist == list.Name() {
			editions[c.Edition] = append(editions[c.Edition], c)
		}
	}
	for _, all := range editions {
		f.follow(all)
	}
	return in, f.stays
}

// follower follows editions through moments.
type follower struct {
	*State
	history *store.History
	list    *checklist.Checklist
	moments []time.Time
	careers map[string]*career // by id
	known   func(review string) *scoring.Row
	stays   []scoring.Stay
}

// follow follows one edition, which has these reviews.
func (f *follower) follow(all []*career) {
	turns := f.turns(all)
	for n, turn := range turns {
		to := len(f.moments)
		if n+1 < len(turns) {
			to = turns[n+1]
		}
		if row := f.currentRow(all, f.moments[turn]); row != nil {
			f.stays = append(f.stays, scoring.Stay{Row: row, From: turn, To: to})
		}
	}
}

// turns returns the moments at which the current review of an edition can change: when one of its reviews, or of
// those that they continue, was accepted or withdrawn.
func (f *follower) turns(all []*career) []int {
	var turns []int
	add := func(at time.Time) {
		n := sort.Search(len(f.moments), func(i int) bool { return !f.moments[i].Before(at) })
		if n < len(f.moments) {
			turns = append(turns, n)
		}
	}
	for _, c := range all {
		for _, one := range f.chain(c) {
			add(*one.Accepted)
			for _, at := range f.history.Accepted[one.ID] {
				add(at)
			}
			if !one.withdrawn.IsZero() {
				add(one.withdrawn)
			}
		}
	}
	slices.Sort(turns)
	return slices.Compact(turns)
}

// chain returns a review and those that it continues.
func (f *follower) chain(c *career) []*career {
	var chain []*career
	for c != nil && !slices.Contains(chain, c) {
		chain = append(chain, c)
		c = f.careers[c.Continues]
	}
	return chain
}

// currentRow returns the row of the current review of an edition at a moment; nil if it has none.
func (f *follower) currentRow(all []*career, at time.Time) *scoring.Row {
	var latest *career
	var when time.Time
	for _, c := range all {
		accepted := f.accepted(c, at)
		if accepted.IsZero() {
			continue
		}
		if latest == nil || accepted.After(when) || (accepted.Equal(when) && strings.Compare(c.ID, latest.ID) > 0) {
			latest, when = c, accepted
		}
	}
	switch {
	case latest == nil:
		return nil
	case latest.withdrawn.IsZero() && latest.Continues == "" && len(f.history.Accepted[latest.ID]) <= 1:
		return f.known(latest.ID)
	}
	then := &State{Catalogue: f.Catalogue, Checklists: f.Checklists, shelf: f.shelf, reviews: map[string]*currentReview{}}
	for _, c := range f.chain(latest) {
		if accepted := f.accepted(c, at); !accepted.IsZero() {
			then.addPast(c.currentReview, accepted, at)
		}
	}
	then.order()
	return then.Input(f.list).Rows()(latest.ID)
}

// accepted returns the last acceptance of a review up to a moment at which it is current; zero if it is not.
func (f *follower) accepted(c *career, at time.Time) time.Time {
	if !c.withdrawn.IsZero() && !c.withdrawn.After(at) {
		return time.Time{}
	}
	return f.history.AcceptedBy(c.ID, *c.Accepted, at)
}
