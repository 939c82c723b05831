package scoring

import (
	"slices"
	"strings"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// own is the readings that an edition has of itself: those of the review it
// stands with and of the reviews that this one continues.
type own struct {
	edition  string
	review   *reading.Review
	readings [][]*reading.Reading // usable ones, by index of the criterion
}

// standing finds, for each edition, its latest accepted review on the checklist
// version (by acceptance, then id), in the order of edition keys.
func standing(in *Input, at *time.Time) []*reading.Review {
	latest := map[string]*reading.Review{}
	name := in.Checklist.Name()
	for i := range in.Reviews {
		r := &in.Reviews[i]
		if r.State != reading.Accepted || r.Accepted == nil || r.Checklist != name {
			continue
		}
		if at != nil && r.Accepted.After(*at) {
			continue
		}
		if old := latest[r.Edition]; old == nil || accepted(old, r) < 0 {
			latest[r.Edition] = r
		}
	}
	reviews := make([]*reading.Review, 0, len(latest))
	for _, r := range latest {
		reviews = append(reviews, r)
	}
	slices.SortFunc(reviews, func(a, b *reading.Review) int { return strings.Compare(a.Edition, b.Edition) })
	return reviews
}

func accepted(a, b *reading.Review) int {
	if c := a.Accepted.Compare(*b.Accepted); c != 0 {
		return c
	}
	return strings.Compare(a.ID, b.ID)
}

// gather collects the usable readings of a review and of those that it
// continues: measured by the moment at, and not replaced by another of them.
func gather(review *reading.Review, byID map[string]*reading.Review, index map[string]int, at *time.Time) own {
	var chain []*reading.Review
	for r := review; r != nil && !slices.Contains(chain, r); r = byID[r.Continues] {
		chain = append(chain, r)
	}
	replaced := map[string]bool{}
	for _, r := range chain {
		for i := range r.Readings {
			if x := &r.Readings[i]; x.Replaces != "" && by(x, at) {
				replaced[x.Replaces] = true
			}
		}
	}
	o := own{edition: review.Edition, review: review, readings: make([][]*reading.Reading, len(index))}
	for _, r := range chain {
		for i := range r.Readings {
			x := &r.Readings[i]
			c, asked := index[x.Criterion]
			if asked && by(x, at) && !replaced[x.ID] {
				o.readings[c] = append(o.readings[c], x)
			}
		}
	}
	return o
}

func by(x *reading.Reading, at *time.Time) bool { return at == nil || !x.At.After(*at) }

// lenders finds who answers a criterion of wide scope for editions that have no
// usable reading of their own: within each release or distribution the edition
// with the newest usable reading, ties to the lower key. It is keyed by the
// release's or distribution's key; what is inherited is not lent on.
func lenders(owns []own, criterion int, scope checklist.Scope) map[string]*own {
	lender := map[string]*own{}
	newest := map[string]time.Time{}
	for i := range owns {
		for _, x := range owns[i].readings[criterion] {
			group := scopeKey(owns[i].edition, scope)
			if lender[group] == nil || x.At.After(newest[group]) {
				lender[group], newest[group] = &owns[i], x.At
			}
		}
	}
	return lender
}

func scopeKey(edition string, scope checklist.Scope) string {
	if scope == checklist.ScopeRelease {
		return catalogue.ReleaseOf(edition)
	}
	return catalogue.DistributionOf(edition)
}

// newestReading is when a review's last reading was measured; for a review
// without any it is the zero time.
func newestReading(r *reading.Review) *time.Time {
	var newest time.Time
	for i := range r.Readings {
		if r.Readings[i].At.After(newest) {
			newest = r.Readings[i].At
		}
	}
	return &newest
}
