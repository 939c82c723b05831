package ranking

import (
	"cmp"
	"context"
	"math"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// Lead is who is first in a ranking.
type Lead struct {
	Edition string // empty: no edition is ranked
	Score   float64
	Shared  []string // others with the same rank, in order
}

// LeadOf returns who is first in a ranking.
func LeadOf(r *Ranking) Lead {
	if len(r.Ranking) == 0 {
		return Lead{}
	}
	first := &r.Ranking[0]
	l := Lead{Edition: first.Edition, Score: first.Overall}
	for _, p := range r.Ranking[1:] {
		if p.Rank == first.Rank {
			l.Shared = append(l.Shared, p.Edition)
		}
	}
	return l
}

// Leads returns who is first at each moment of a course from one moment on and before another, for an audience: among
// all editions or, if only is not nil, among those. It ranks only editions that can be first: bounds of their scores
// over long spans exclude most editions, then over shorter spans, and so on.
func Leads(
	ctx context.Context, c *scoring.Course, from, to int, a checklist.Audience, only map[string]bool,
) ([]Lead, error) {
	l := leads{Course: c, audience: a, from: from, found: make([]Lead, to-from)}
	stays := c.Stays()
	if only != nil {
		stays = slices.DeleteFunc(stays, func(s int) bool { return !only[c.Edition(s)] })
	}
	if from == to {
		return l.found, nil
	}
	return l.found, l.look(ctx, from, to, stays)
}

type leads struct {
	*scoring.Course
	audience checklist.Audience
	from     int
	found    []Lead
}

// fewStays is the number of candidates that are ranked without excluding any first.
const fewStays = 4

func (l *leads) look(ctx context.Context, from, to int, stays []int) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	stays = l.Present(from, to, stays)
	if len(stays) > fewStays {
		stays = l.likely(from, to, stays)
	}
	if to-from == 1 {
		return l.exactly(from, stays)
	}
	middle := (from + to) / 2
	if err := l.look(ctx, from, middle, stays); err != nil {
		return err
	}
	return l.look(ctx, middle, to, stays)
}

// likely removes the stays that are behind others at all of the moments by more than a dead heat.
func (l *leads) likely(from, to int, stays []int) []int {
	bounds := l.Bounds(from, to, stays, l.audience)
	best := math.Inf(-1)
	for _, b := range bounds {
		if b.Ranked {
			best = max(best, b.Low)
		}
	}
	margin := l.Checklist().Policy.Margin() + 2*scoring.Slack
	var left []int
	for n, b := range bounds {
		if b.High >= best-margin {
			left = append(left, stays[n])
		}
	}
	return left
}

// exactly ranks the remaining candidates at one moment.
func (l *leads) exactly(moment int, stays []int) error {
	slices.SortFunc(stays, func(a, b int) int { return cmp.Compare(l.Edition(a), l.Edition(b)) })
	r, err := Rank(l.At(moment, stays), l.audience, By{})
	l.found[moment-l.from] = LeadOf(&r)
	return err
}
