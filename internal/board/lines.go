package board

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"dappertally/core/comparing"
	"dappertally/core/quality"
	"dappertally/core/reading"
	"dappertally/internal/store"
)

// Lines returns the edition lines of the catalogue. They are shared: do not modify them.
func (s *State) Lines() quality.Lines {
	return Known(s, "lines", func() quality.Lines { return quality.LinesOf(s.Catalogue.Distributions) })
}

// Previous returns the current review of the nearest earlier release on an edition's line; nil if there is none.
func (s *State) Previous(edition string) *reading.Review {
	for _, earlier := range slices.Backward(s.Lines()[edition]) {
		if r := s.CurrentReview(earlier); r != nil {
			return r
		}
	}
	return nil
}

// currentReviews is the current reviews by id, and the latest of each edition.
type currentReviews struct {
	byID   map[string]*reading.Review
	latest map[string]*reading.Review
}

func (s *State) currentReviews() *currentReviews {
	return Known(s, "current reviews", func() *currentReviews {
		found := &currentReviews{map[string]*reading.Review{}, map[string]*reading.Review{}}
		for i := range s.current {
			r := &s.current[i]
			found.byID[r.ID] = r
			if old := found.latest[r.Edition]; old == nil || r.Accepted.After(*old.Accepted) {
				found.latest[r.Edition] = r
			}
		}
		return found
	})
}

// CurrentReview returns the latest accepted review of an edition, on any checklist version; nil if there is none.
func (s *State) CurrentReview(edition string) *reading.Review {
	return s.currentReviews().latest[edition]
}

// Chain returns a review and those that it continues, back to the first.
func (s *State) Chain(r *reading.Review) []*reading.Review {
	return reading.Chain(r, s.currentReviews().byID)
}

// Usable returns the readings of a review and of those that it continues which no other of them has replaced.
func (s *State) Usable(r *reading.Review) []reading.Reading {
	out := []reading.Reading{}
	gone := map[string]bool{}
	var chain [][]reading.Reading
	for _, one := range s.Chain(r) {
		readings := s.Readings(one.ID)
		for i := range readings {
			gone[readings[i].Replaces] = true
		}
		chain = append(chain, readings)
	}
	for _, readings := range chain {
		for i := range readings {
			if !gone[readings[i].ID] {
				out = append(out, readings[i])
			}
		}
	}
	return out
}

// Follow is a finding that follows up an earlier one.
type Follow = store.Follow

// Following is a Follow and the edition of its review.
type Following struct {
	Follow
	Edition string
}

// Follows lists the findings of current reviews that follow up earlier ones, in the order in which they were made.
func (s *State) Follows() []Following {
	var all []Following
	for i := range s.current {
		r := s.reviews[s.current[i].ID]
		for _, f := range r.follows {
			all = append(all, Following{f, r.Edition})
		}
	}
	slices.SortStableFunc(all, func(a, b Following) int { return cmp.Or(a.At.Compare(b.At), strings.Compare(a.ID, b.ID)) })
	return all
}

// Records returns the record book of the current reviews, at a moment; nil is now.
func (s *State) Records(at *time.Time) []comparing.Records {
	return comparing.RecordsOf(s.Checklists.Lists, s.Input(nil), at)
}

// AcceptedVersions lists the checklist versions on which an edition has a current review, the oldest first. It is shared: do
// not modify it.
func (s *State) AcceptedVersions(edition string) []string {
	on := Known(s, "accepted versions", func() map[string][]string {
		reviewed := map[string][]string{} // editions, by the name of the version
		for i := range s.current {
			r := &s.current[i]
			reviewed[r.Checklist] = append(reviewed[r.Checklist], r.Edition)
		}
		on := map[string][]string{}
		for i := range s.Checklists.Lists {
			name := s.Checklists.Lists[i].Name()
			for _, edition := range reviewed[name] {
				if !slices.Contains(on[edition], name) {
					on[edition] = append(on[edition], name)
				}
			}
		}
		return on
	})
	return on[edition]
}

// Earlier lists the earlier editions on an edition's line, the oldest first.
func (s *State) Earlier(edition string) []string { return s.Lines()[edition] }
