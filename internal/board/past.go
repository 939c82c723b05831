package board

import (
	"slices"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/store"
)

// At returns the state at a moment, by the time of acceptance, of receipt and of coming into force: what was recorded
// or accepted later is not in it, and what was withdrawn later still is. The catalogue and the rigs are those of
// today.
func (s *State) At(past *store.Past) *State {
	then, at := s.Before(past), past.At
	then.reviews = make(map[string]*currentReview, len(s.reviews))
	for _, r := range past.Withdrawn {
		if !r.At.After(at) {
			continue
		}
		if accepted := past.AcceptedBy(r.ID, r.Accepted, at); !accepted.IsZero() {
			then.addPast(
				&currentReview{Review: r.AsAccepted(nil, nil), readings: s.shelf.words.pack(past.Readings[r.ID])},
				accepted,
				at,
			)
		}
	}
	for i := range s.current {
		id := s.current[i].ID
		r := s.reviews[id]
		if accepted := past.AcceptedBy(id, *r.Accepted, at); !accepted.IsZero() {
			then.addPast(r, accepted, at)
		}
	}
	then.order()
	return then
}

// Before returns the checklists at a moment, without any reviews.
func (s *State) Before(past *store.Past) *State {
	return &State{
		Number:     s.Number,
		Catalogue:  s.Catalogue,
		Checklists: listsAt(s.Checklists, past),
		places:     s.places,
		placed:     s.placed,
		names:      s.names,
		shelf:      s.shelf,
		reviews:    map[string]*currentReview{},
		answers:    newAnswers(),
	}
}

// addPast adds a review as its last acceptance before the moment left it: with what had been received by then.
func (s *State) addPast(r *currentReview, accepted, at time.Time) {
	if accepted.Equal(*r.Accepted) && r.State == reading.Accepted {
		s.reviews[r.ID] = r // as it is now
		return
	}
	received := func(x *reading.Reading) time.Time {
		if x.Received != nil {
			return *x.Received
		}
		return x.At
	}
	later := func(x reading.Reading) bool { return received(&x).After(accepted) || received(&x).After(at) }
	then := *r
	// The last acceptance pinned its readings, even those that were received late.
	if !accepted.Equal(*r.Accepted) {
		readings := s.shelf.words.unpack(r.readings, nil)
		if slices.ContainsFunc(readings, later) {
			then.readings = s.shelf.words.pack(slices.DeleteFunc(readings, later))
		}
	}
	then.State, then.Accepted = reading.Accepted, &accepted
	s.reviews[r.ID] = &then
}

// listsAt returns the checklists at a moment: without versions that were not in force yet; the shown version is the
// newest in force unless a lead had chosen one; audiences have the revision of that time.
func listsAt(now *store.Checklists, past *store.Past) *store.Checklists {
	at := past.At
	then := &store.Checklists{
		Lists:     []checklist.Checklist{},
		Versions:  now.Versions,
		Shown:     map[string]int{},
		ShowShare: map[string]float64{},
		InForce:   now.InForce,
	}
	for i := range now.Lists {
		list := now.Lists[i]
		if list.State == checklist.Draft || now.InForce[list.Name()].After(at) {
			continue
		}
		// When an imported version was retired is unknown. It counts as in force; the newest version in force is used
		// anyway.
		list.State = checklist.InForce
		if retired, ok := past.Retired[list.Name()]; ok && !retired.After(at) {
			list.State = checklist.Retired
		}
		if audiences, ok := past.Audiences[now.Versions[list.Name()].ID]; ok {
			list.Audiences = audiences
		}
		then.Lists = append(then.Lists, list)
	}
	for key := range now.Shown {
		then.Shown[key] = past.Shown[key]
	}
	return then
}

// Moments lists when the current reviews were accepted, the earliest first: the moments at which a ranking may have
// changed. A review counts with its last acceptance.
func (s *State) Moments() []time.Time {
	var all []time.Time
	for i := range s.current {
		all = append(all, *s.current[i].Accepted)
	}
	slices.SortFunc(all, time.Time.Compare)
	return slices.CompactFunc(all, time.Time.Equal)
}

// Weight implements Weighty: a past state takes some memory for each review.
func (s *State) Weight() int { return len(s.reviews) / 1000 }
