package answers

import (
	"context"

	"dappertally/core/catalogue"
	"dappertally/core/quality"
	"dappertally/core/scoring"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
)

// Quality gathers what there is to look into among the readings that editions
// stand with. Who is lenient is the team's own business.
func (s *Service) Quality(ctx context.Context, who *access.Actor, q Query) (quality.Quality, *Result, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return quality.Quality{}, nil, err
	}
	r, err := s.Rank(ctx, q)
	if err != nil {
		return quality.Quality{}, nil, err
	}
	found, err := ledger.Remember(ctx, r.State, "quality "+q.String(), func() (quality.Quality, error) {
		return QualityOf(r), nil
	})
	return found, r, err
}

// QualityOf gathers what there is to look into among the readings of a result.
func QualityOf(r *Result) quality.Quality {
	in := r.State.Input(r.List)
	return quality.Of(
		r.Table,
		quality.LinesOf(r.State.Catalogue.Distributions),
		scoring.Others(in, r.State.Checklists.Lists, r.Options)...)
}

// Traces tells how an edition's points came about, and what there is to look into
// in each reading of a measure, by the reading's id.
func (s *Service) Traces(ctx context.Context, q Query, edition string) ([]scoring.Trace, *Result, error) {
	q.Group = catalogue.Group{}
	r, err := s.Rank(ctx, q)
	if err != nil {
		return nil, nil, err
	}
	traces, err := r.Table.Traces(r.State.Input(r.List), r.Options, edition)
	if err != nil {
		return nil, nil, problem.New(problem.NotFound, "%s", err)
	}
	return traces, r, nil
}
