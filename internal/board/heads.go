package board

import (
	"slices"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/internal/store"
)

// head is a review without its readings. Lists order heads by distribution, date of the release, its version and
// edition, and when the review was planned.
type head struct {
	*store.Review
	order string
}

func (s *State) headOf(r *store.Review) head {
	distribution, version, edition, _ := catalogue.SplitEdition(r.Edition)
	date := ""
	if p, ok := s.places[r.Edition]; ok {
		date = p.Release.Date
	}
	const moment = "2006-01-02T15:04:05.000000"
	order := []string{distribution, date, version, edition, r.Created.UTC().Format(moment), r.ID}
	return head{r, strings.Join(order, "\x00")}
}

func inOrder(a, b head) int { return strings.Compare(a.order, b.order) }

// loadHeads replaces the heads of the touched reviews by those that were read; all if old is nil.
func (s *State) loadHeads(old *State, touched []string, read []store.Review, catalogued bool) {
	var kept []head
	if old != nil {
		kept = old.heads
		if len(touched) > 0 {
			gone := make(map[string]bool, len(touched))
			for _, id := range touched {
				gone[id] = true
			}
			kept = slices.DeleteFunc(slices.Clone(kept), func(h head) bool { return gone[h.ID] })
		}
		if catalogued { // dates and keys may have changed
			kept = slices.Clone(kept)
			for i := range kept {
				kept[i] = s.headOf(kept[i].Review)
			}
			slices.SortFunc(kept, inOrder)
		}
	}
	for i := range read {
		h := s.headOf(&read[i])
		at, _ := slices.BinarySearchFunc(kept, h, inOrder)
		if old == nil {
			at = len(kept) // sorted below
		}
		kept = slices.Insert(kept, at, h)
	}
	if old == nil {
		slices.SortFunc(kept, inOrder)
	}
	s.heads = kept
}

// Reviews lists all reviews that the caller can see, by edition: without their readings, and without the number of
// waiting ones. They are shared: do not modify them.
func (s *State) Reviews(see func(*store.Review) bool) []*store.Review {
	all := make([]*store.Review, 0, len(s.heads))
	for _, h := range s.heads {
		if see(h.Review) {
			all = append(all, h.Review)
		}
	}
	return all
}
