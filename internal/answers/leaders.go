package answers

import (
	"context"
	"slices"
	"time"

	"dappertally/core/comparing"
	"dappertally/core/ranking"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
)

// Reign is who led the ranking of an audience, and for how long.
type Reign struct {
	Edition   string // empty: no edition was ranked
	Checklist string // the version shown at that time
	Score     float64
	Shared    []string // others that shared the first rank
	From      time.Time
	To        *time.Time // nil: still
}

// Leaders returns who led the ranking of an audience from when to when, the latest first. The leader is the first of
// the ranking; a dead heat names the others that share the rank. The moments are the acceptances of the current
// reviews.
func (s *Service) Leaders(ctx context.Context, q Query) ([]Reign, *ledger.Records, error) {
	state, err := s.ledger.State(ctx, q.After)
	if err != nil {
		return nil, nil, err
	}
	if list, err := Shown(state, q.Checklist); err != nil {
		return nil, nil, err
	} else if _, ok := list.Audience(q.Audience); !ok {
		return nil, nil, problem.New(problem.NotFound, "checklist %s has no audience %q; it has %s", list.Name(),
			q.Audience, Audiences(list))
	}
	reigns, err := ledger.Remember(ctx, state, "leaders "+q.String(), func(ctx context.Context) ([]Reign, error) {
		reigns := []Reign{}
		all, err := s.reigns(ctx, state, q)
		if err != nil {
			return nil, err
		}
		for _, now := range all {
			if now.Edition == "" && len(reigns) == 0 {
				continue // nobody has led yet
			}
			if n := len(reigns); n > 0 {
				last := &reigns[n-1]
				if last.Edition == now.Edition && last.Checklist == now.Checklist &&
					slices.Equal(last.Shared, now.Shared) {
					last.Score = now.Score
					continue
				}
				last.To = &now.From
			}
			reigns = append(reigns, now)
		}
		slices.Reverse(reigns)
		return reigns, nil
	})
	return reigns, state, err
}

// reigns returns who led at each moment.
func (s *Service) reigns(ctx context.Context, state *ledger.Records, q Query) ([]Reign, error) {
	moments := state.Moments()
	if all, ok, err := s.leads(ctx, state, q, moments); ok || err != nil {
		return all, err
	}
	all := make([]Reign, 0, len(moments))
	for _, at := range moments {
		if err := ctx.Err(); err != nil {
			return nil, ledger.Failed(err, "looking for who led when")
		}
		now, err := s.leaderAt(ctx, state, q, at)
		if err != nil {
			return nil, err
		}
		all = append(all, now)
	}
	return all, nil
}

// leaderAt computes one moment. It does not remember the state of that moment: there are as many moments as
// acceptances.
func (s *Service) leaderAt(ctx context.Context, state *ledger.Records, q Query, at time.Time) (Reign, error) {
	reign := Reign{From: at}
	q.At = &at
	then, err := s.past(ctx, state, at)
	if err != nil {
		return reign, err
	}
	r, err := q.Result(ctx, then)
	if problem.IsKind(err, problem.NotFound) {
		return reign, nil // the audience or the checklist did not exist yet
	}
	if err != nil || len(r.Ranking.Ranking) == 0 {
		return reign, err
	}
	first := ranking.LeadOf(&r.Ranking)
	reign.Edition, reign.Checklist, reign.Score, reign.Shared = first.Edition, r.List.Name(), first.Score, first.Shared
	return reign, nil
}

// RecordBook is the records of measures with the previous ones, now or at a past moment.
func (s *Service) RecordBook(ctx context.Context, q Query) ([]comparing.Records, *ledger.Records, error) {
	state, err := s.stateFor(ctx, &q)
	if err != nil {
		return nil, nil, err
	}
	records, err := RecordsOf(ctx, state)
	return records, state, err
}

// RecordsOf returns the records of measures in a state of the records. They are shared: do not modify them.
func RecordsOf(ctx context.Context, state *ledger.Records) ([]comparing.Records, error) {
	return ledger.RememberLasting(
		ctx, state, "records", func(context.Context) ([]comparing.Records, error) { return state.Records(nil), nil },
	)
}
