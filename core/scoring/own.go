package scoring

import (
	"maps"
	"slices"
	"strings"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// Own is the usable readings that an edition has itself: those of its current review and of the reviews that this one
// continues.
type Own struct {
	Edition  string
	Review   *reading.Review
	Readings []*reading.Reading         // by criterion
	Changed  map[string]reading.Changed // grades among them that were changed after the others' could be seen
	starts   []int32                    // where each criterion's readings begin, and the end
}

// Of returns the usable readings of the table's criterion i.
func (o *Own) Of(i int) []*reading.Reading { return o.Readings[o.starts[i]:o.starts[i+1]] }

// currentReviews returns, for each edition, its latest accepted review on the checklist version (by acceptance, then
// id), ordered by edition key.
func currentReviews(in *Input, at *time.Time) []*reading.Review {
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

// gatherer collects the usable readings of editions.
type gatherer struct {
	in       *Input
	reviews  map[string]*reading.Review // by id
	index    map[string]int             // of criteria
	at       *time.Time
	rooms    []*reading.Room // memory for the readings of each review of a chain, if only one chain is held at a time
	passing  bool            // whether it is so
	found    []asked         // readings of the current edition
	next     []int32         // where its next reading of a criterion goes
	readings pool[*reading.Reading]
	starts   pool[int32]
}

// again reuses the memory of the editions so far.
func (g *gatherer) again() {
	g.readings.again()
	g.starts.again()
}

// open returns the readings of each review of a chain.
func (g *gatherer) open(chain []*reading.Review) [][]reading.Reading {
	all := make([][]reading.Reading, len(chain))
	for n, r := range chain {
		var room *reading.Room
		if g.passing {
			for len(g.rooms) <= n {
				g.rooms = append(g.rooms, &reading.Room{})
			}
			room = g.rooms[n]
		}
		all[n] = g.in.readings(r, room)
	}
	return all
}

type asked struct {
	criterion int
	reading   *reading.Reading
}

// replaced returns, for each reading of a chain of reviews that was replaced by another reading of the chain measured
// by the moment at, that other reading.
func replaced(chain [][]reading.Reading, at *time.Time) map[string]string {
	var by map[string]string
	for _, readings := range chain {
		for i := range readings {
			if x := &readings[i]; x.Replaces != "" && measuredBy(x, at) {
				if by == nil {
					by = map[string]string{}
				}
				by[x.Replaces] = x.ID
			}
		}
	}
	return by
}

// gather collects the usable readings of a review and of those that it continues: measured by the moment at, and not
// replaced by another of them.
func (g *gatherer) gather(review *reading.Review) Own {
	chain := g.open(reading.Chain(review, g.reviews))
	successors := replaced(chain, g.at)
	starts := g.starts.alloc(len(g.index) + 1)
	g.found = g.found[:0]
	var changed map[string]reading.Changed
	for _, of := range chain {
		if found := changedBy(of, g.at); changed == nil {
			changed = found
		} else {
			maps.Copy(changed, found)
		}
		for i := range of {
			x := &of[i]
			c, ok := g.index[x.Criterion]
			_, gone := successors[x.ID]
			if ok && !gone && measuredBy(x, g.at) && !g.in.Ignored[x.Criterion] {
				g.found = append(g.found, asked{c, x})
				starts[c+1]++
			}
		}
	}
	for i := 1; i < len(starts); i++ {
		starts[i] += starts[i-1]
	}
	readings := g.readings.alloc(len(g.found))
	g.next = append(g.next[:0], starts...)
	for _, f := range g.found {
		readings[g.next[f.criterion]] = f.reading
		g.next[f.criterion]++
	}
	return Own{Edition: review.Edition, Review: review, Readings: readings, Changed: changed, starts: starts}
}

// changedBy is reading.ChangedGrades for the readings measured by the moment at.
func changedBy(readings []reading.Reading, at *time.Time) map[string]reading.Changed {
	if at == nil {
		return reading.ChangedGrades(readings)
	}
	return reading.ChangedGrades(
		slices.DeleteFunc(slices.Clone(readings), func(x reading.Reading) bool { return !measuredBy(&x, at) }))
}

func measuredBy(x *reading.Reading, at *time.Time) bool { return at == nil || !x.At.After(*at) }

// borrow finds the lenders of a criterion of wide scope for editions without a usable reading of their own: within
// each release or distribution the edition with the newest usable reading, on ties the one with the lower key.
// Inherited readings are not lent on. It returns, for each row that borrows, its lender; nil if the scope is not
// wide.
func borrow(rows []*Row, criterion int, scope checklist.Scope) map[*Row]*Row {
	if !scope.Wide() {
		return nil
	}
	lender := map[string]*Row{} // by the key of the release or distribution
	newest := map[string]time.Time{}
	for _, row := range rows {
		if at, ok := row.lendsAt(criterion); ok {
			group := scopeKey(row.edition, scope)
			if lender[group] == nil || at.After(newest[group]) {
				lender[group], newest[group] = row, at
			}
		}
	}
	lent := map[*Row]*Row{}
	for _, row := range rows {
		if _, own := row.lendsAt(criterion); !own {
			if from := lender[scopeKey(row.edition, scope)]; from != nil {
				lent[row] = from
			}
		}
	}
	return lent
}

func scopeKey(edition string, scope checklist.Scope) string {
	switch scope {
	case checklist.ScopeRelease:
		return catalogue.ReleaseOf(edition)
	case checklist.ScopeDistribution:
		return catalogue.DistributionOf(edition)
	}
	return edition
}
