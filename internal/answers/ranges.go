package answers

import (
	"context"
	"slices"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/ranking"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
)

// Range is the range of ranks of an edition when the weights are varied: the 5th and the 95th percentile.
type Range struct{ Low, High int }

// How a ranking is varied for ranges of ranks: with fewer draws than steadiness, since percentiles need fewer than
// shares.
const (
	rangeDraws       = 2000
	fewestRangeDraws = 400 // for a large field
	rangeSeed        = 1
)

// Ranges returns the range of ranks of every ranked edition.
func (s *Service) Ranges(ctx context.Context, r *Result) (map[string]Range, error) {
	vary := func(ctx context.Context) (map[string]Range, error) {
		draws := drawsIn(len(r.Ranking.Ranking), rangeDraws, fewestRangeDraws)
		st, err := ranking.VaryColumns(
			ctx,
			r.Columns,
			r.Table.Varied,
			r.Audience,
			&r.Ranking,
			ranking.Variation{Draws: draws, Seed: rangeSeed, Workers: workers(ctx)},
		)
		if err != nil {
			return nil, err
		}
		ranges := make(map[string]Range, len(st.Editions))
		for _, e := range st.Editions {
			ranges[e.Edition] = Range{e.Low, e.High}
		}
		return ranges, nil
	}
	if r.Query.Weights.set() {
		return inTurn(ctx, vary)
	}
	return remember(ctx, &r.Query, r.State, "ranges "+r.Query.String(), vary)
}

// RanksAt returns the ranks that editions had at a moment on the same checklist version and with the same query. It
// is empty if the version was not in force yet.
func (s *Service) RanksAt(ctx context.Context, r *Result, at time.Time) (map[string]int, error) {
	q := r.Query
	q.At, q.Checklist = &at, r.List.Name()
	then, err := s.Rank(ctx, q)
	if problem.IsKind(err, problem.NotFound) {
		return map[string]int{}, nil
	}
	if err != nil {
		return nil, err
	}
	ranks := make(map[string]int, len(then.Ranking.Ranking))
	for _, p := range then.Ranking.Ranking {
		ranks[p.Edition] = p.Rank
	}
	return ranks, nil
}

// Elsewhere is an edition that only has accepted reviews on other versions of the checklist.
type Elsewhere struct {
	Edition   string
	Checklist string // the newest of these versions
}

// Elsewhere lists the editions with an accepted review on other versions of the result's checklist and not on its
// own, by edition.
func (r *Result) Elsewhere() []Elsewhere {
	if r.Query.Ground {
		return []Elsewhere{} // they are part of the result
	}
	return elsewhere(r.State, r.List)
}

func elsewhere(state *ledger.Records, list *checklist.Checklist) []Elsewhere {
	return ledger.Known(
		state,
		"elsewhere than "+list.Name(),
		func() []Elsewhere {
			out := []Elsewhere{}
			for _, p := range state.Places() {
				on := state.AcceptedVersions(p.Key())
				if name := newestOf(on, list.Key); name != "" && !slices.Contains(on, list.Name()) {
					out = append(out, Elsewhere{p.Key(), name})
				}
			}
			return out
		},
	)
}
