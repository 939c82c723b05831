package answers

import (
	"context"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
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
		return QualityOf(ctx, r, "")
	})
	return found, r, err
}

// QualityOf gathers what there is to look into among the readings of a result, those without
// a doubt left out: of one edition alone, or of all where it is empty.
func QualityOf(ctx context.Context, r *Result, edition string) (quality.Quality, error) {
	others, err := r.others(ctx)
	if err != nil {
		return quality.Quality{}, err
	}
	found, err := quality.Look(ctx, quality.Question{
		Table: r.Table, Lines: r.State.Lines(), Others: others, Edition: edition, Doubtful: true,
	})
	if err != nil {
		err = ledger.Failed(err, "looking into the readings")
	}
	return found, err
}

// others tabulates the other versions of the result's checklist.
func (r *Result) others(ctx context.Context) ([]*scoring.Table, error) {
	var others []*scoring.Table
	for i := range r.State.Checklists.Lists {
		c := &r.State.Checklists.Lists[i]
		if c.Key != r.List.Key || c.Version == r.List.Version || c.State == checklist.Draft {
			continue
		}
		q := r.Query
		q.Group = catalogue.Group{}
		t, err := q.table(ctx, r.State, c)
		if err != nil {
			return nil, err
		}
		others = append(others, t.Table)
	}
	return others, nil
}

// Traces tells how an edition's points came about, and what there is to look into
// in each reading of a measure, by the reading's id.
func (s *Service) Traces(ctx context.Context, q Query, edition string) ([]scoring.Trace, *Result, error) {
	q.Group = catalogue.Group{}
	r, err := s.Rank(ctx, q)
	if err != nil {
		return nil, nil, err
	}
	traces, err := r.Table.Traces(edition)
	if err != nil {
		return nil, nil, problem.New(problem.NotFound, "%s", err)
	}
	return traces, r, nil
}
