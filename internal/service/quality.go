package service

import (
	"context"
	"slices"

	"dappertally/core/catalogue"
	"dappertally/core/quality"
	"dappertally/core/scoring"
	"dappertally/internal/board"
)

// Quality gathers what there is to look into among the readings that editions
// stand with. Who is lenient is the team's own business.
func (s *Service) Quality(ctx context.Context, who *Actor, q Query) (quality.Quality, *Result, error) {
	if err := who.permit(SeeWork); err != nil {
		return quality.Quality{}, nil, err
	}
	r, err := s.Rank(ctx, q)
	if err != nil {
		return quality.Quality{}, nil, err
	}
	found, err := board.Remember(r.State, "quality "+q.String(), func() (quality.Quality, error) {
		return qualityOf(r), nil
	})
	return found, r, err
}

func qualityOf(r *Result) quality.Quality {
	in := r.State.Input(r.List)
	return quality.Of(
		r.Table,
		quality.LinesOf(r.State.Catalogue.Distributions),
		scoring.Others(in, r.State.Checklists.Lists, r.Options)...)
}

// Doubts is what there is to look into in one review as it stands on the desk.
func (s *Service) Doubts(ctx context.Context, who *Actor, id string, after int64) (quality.Quality, *Result, error) {
	r, edition, err := s.Desk(ctx, who, id, after)
	if err != nil {
		return quality.Quality{}, nil, err
	}
	q := qualityOf(r)
	q.Readings = slices.DeleteFunc(q.Readings, func(x quality.Scatter) bool { return x.Edition != edition })
	q.Disagreements = slices.DeleteFunc(
		q.Disagreements,
		func(x quality.Disagreement) bool { return x.Edition != edition },
	)
	q.Surprises = slices.DeleteFunc(q.Surprises, func(x quality.Surprise) bool { return x.Edition != edition })
	return q, r, nil
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
		return nil, nil, problem(NotFound, "%s", err)
	}
	return traces, r, nil
}
