package board

import (
	"slices"
	"time"

	"dappertally/core/comparing"
	"dappertally/core/quality"
	"dappertally/core/reading"
)

// lines is the edition lines of the catalogue, found once for each state.
func (s *State) lines() quality.Lines {
	return Known(s, "lines", func() quality.Lines { return quality.LinesOf(s.Catalogue.Distributions) })
}

// Previous is the review with which the nearest earlier release on an edition's
// line stands; nil where none does.
func (s *State) Previous(edition string) *reading.Review {
	for _, earlier := range slices.Backward(s.lines()[edition]) {
		if r := s.StandsWith(earlier); r != nil {
			return r
		}
	}
	return nil
}

// standings is the reviews that stand by id, and the latest of each edition.
type standings struct {
	byID   map[string]*reading.Review
	latest map[string]*reading.Review
}

func (s *State) standings() *standings {
	return Known(s, "standings", func() *standings {
		found := &standings{map[string]*reading.Review{}, map[string]*reading.Review{}}
		for i := range s.standing {
			r := &s.standing[i]
			found.byID[r.ID] = r
			if old := found.latest[r.Edition]; old == nil || r.Accepted.After(*old.Accepted) {
				found.latest[r.Edition] = r
			}
		}
		return found
	})
}

// StandsWith is the latest accepted review of an edition, on any checklist
// version; nil where there is none.
func (s *State) StandsWith(edition string) *reading.Review { return s.standings().latest[edition] }

// Chain is a review and those that it continues, back to the first.
func (s *State) Chain(r *reading.Review) []*reading.Review {
	return reading.Chain(r, s.standings().byID)
}

// Usable is the readings of a review and of those that it continues which no other
// of them has replaced.
func (s *State) Usable(r *reading.Review) []reading.Reading {
	out := []reading.Reading{}
	gone := map[string]bool{}
	chain := s.Chain(r)
	for _, one := range chain {
		for i := range one.Readings {
			gone[one.Readings[i].Replaces] = true
		}
	}
	for _, one := range chain {
		for i := range one.Readings {
			if !gone[one.Readings[i].ID] {
				out = append(out, one.Readings[i])
			}
		}
	}
	return out
}

// Found is a finding and the edition in whose review it stands.
type Found struct {
	Edition string
	Finding *reading.Finding
}

// Findings is the findings of all reviews that stand, in the order of their making.
func (s *State) Findings() []Found {
	var out []Found
	for i := range s.standing {
		r := &s.standing[i]
		for j := range r.Findings {
			out = append(out, Found{r.Edition, &r.Findings[j]})
		}
	}
	slices.SortStableFunc(out, func(a, b Found) int { return a.Finding.At.Compare(b.Finding.At) })
	return out
}

// Records is the record book of what stands, as of a moment; nil is now.
func (s *State) Records(at *time.Time) []comparing.Records {
	return comparing.RecordsOf(s.Checklists.Lists, s.standing, at)
}

// StandsOn lists the checklist versions on which an edition has a review that stands,
// the oldest first. It is shared and must not be altered.
func (s *State) StandsOn(edition string) []string {
	on := Known(s, "stands on", func() map[string][]string {
		reviewed := map[string][]string{} // editions, by the name of the version
		for i := range s.standing {
			r := &s.standing[i]
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
func (s *State) Earlier(edition string) []string { return s.lines()[edition] }
