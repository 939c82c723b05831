package board

import (
	"sync"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/store"
)

// currentReview is a current review in few bytes. Its findings and everything else that people wrote besides the readings
// stay in the database.
type currentReview struct {
	reading.Review          // without its readings
	readings       packed   // only pinned ones
	follows        []Follow // its findings that follow up others
	alone          bool     // it was accepted by its only reviewer
}

// shelf is what the states of a board share: the texts of their readings, and the rows computed from them.
type shelf struct {
	words *lexicon
	mu    sync.Mutex
	rows  map[rowKey]remembered
}

func newShelf() *shelf { return &shelf{words: newLexicon(), rows: map[rowKey]remembered{}} }

type rowKey struct{ list, review string }

// remembered is a row and what it depends on.
type remembered struct {
	row      *scoring.Row
	sections *checklist.Section // the first criterion of the checklist version that it was made for
	chain    []*byte            // the addresses of the reviews' readings
}

// forget removes the rows of a review on these checklist versions.
func (s *shelf) forget(lists []checklist.Checklist, review string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for i := range lists {
		delete(s.rows, rowKey{lists[i].Name(), review})
	}
}

// source provides the readings of a state's reviews. What is computed from it may outlive the state.
type source struct {
	reviews map[string]*currentReview
	lists   *store.Checklists
	shelf   *shelf
}

func (s *State) source() source { return source{s.reviews, s.Checklists, s.shelf} }

// Readings implements scoring.Source.
func (s source) Readings(review *reading.Review, room *reading.Room) []reading.Reading {
	r, there := s.reviews[review.ID]
	if !there {
		return []reading.Reading{}
	}
	return s.shelf.words.unpack(r.readings, room)
}

// Row implements scoring.Source.
func (s source) Row(list *checklist.Checklist, review *reading.Review, compute func() *scoring.Row) *scoring.Row {
	if !s.own(list) {
		return compute()
	}
	key := rowKey{list.Name(), review.ID}
	var some [4]*byte
	chain := s.chain(review.ID, some[:0])
	s.shelf.mu.Lock()
	known, there := s.shelf.rows[key]
	s.shelf.mu.Unlock()
	if there && known.sections == &list.Sections[0] && sameChain(known.chain, chain) {
		return known.row
	}
	row := compute()
	s.shelf.mu.Lock()
	defer s.shelf.mu.Unlock()
	s.shelf.rows[key] = remembered{row, &list.Sections[0], append([]*byte(nil), chain...)}
	return row
}

// own reports whether a checklist is one of the source's versions, not derived from one.
func (s source) own(list *checklist.Checklist) bool {
	for i := range s.lists.Lists {
		if c := &s.lists.Lists[i]; c.Key == list.Key && c.Version == list.Version {
			return len(c.Sections) > 0 && len(list.Sections) > 0 && &c.Sections[0] == &list.Sections[0]
		}
	}
	return false
}

// chain returns the addresses of the readings of a review and of those that it continues.
func (s source) chain(id string, into []*byte) []*byte {
	for steps := 0; id != "" && steps <= len(s.reviews); steps++ {
		r, there := s.reviews[id]
		if !there {
			break
		}
		into = append(into, &r.readings[0]) // it holds at least a count
		id = r.Continues
	}
	return into
}

func sameChain(a, b []*byte) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if a[i] != b[i] {
			return false
		}
	}
	return true
}
