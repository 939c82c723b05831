package answers

import (
	"context"
	"fmt"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/quality"
	"dappertally/core/scoring"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
)

// Quality returns what needs attention among the readings of current reviews, with so many surprises at most.
// Leniency is only for the team.
func (s *Service) Quality(
	ctx context.Context, who *access.Actor, q Query, most int,
) (quality.Quality, *Result, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return quality.Quality{}, nil, err
	}
	r, err := s.Rank(ctx, q)
	if err != nil {
		return quality.Quality{}, nil, err
	}
	name := fmt.Sprintf("quality %d %s", most, q.String())
	found, err := ledger.Remember(ctx, r.State, name, func(ctx context.Context) (quality.Quality, error) {
		return QualityOf(ctx, r, "", most)
	})
	return found, r, err
}

// QualityOf returns what needs attention among the readings of a result: of one edition, or of all if it is empty. It
// lists so many surprises at most; 0 is all.
func QualityOf(ctx context.Context, r *Result, edition string, most int) (quality.Quality, error) {
	known, err := r.known(ctx)
	if err != nil {
		return quality.Quality{}, err
	}
	found, err := quality.Look(ctx, quality.Question{
		Table: r.Table, Lines: r.State.Lines(), Known: known, Edition: edition, Doubtful: true, Most: most,
	})
	if err != nil {
		err = ledger.Failed(err, "looking into the readings")
	}
	return found, err
}

// known returns the values of current measures, on the result's checklist version and on the other versions.
func (r *Result) known(ctx context.Context) (*quality.Fields, error) {
	q := r.Query
	name := "fields of " + r.List.Name() + q.points()
	return remember(ctx, &q, r.State, name, func(ctx context.Context) (*quality.Fields, error) {
		own, err := q.table(ctx, r.State, r.List)
		if err != nil {
			return nil, err
		}
		others, err := r.others(ctx)
		if err != nil {
			return nil, err
		}
		return quality.FieldsOf(own.Table, others...), nil
	})
}

// others returns the tables of the other versions of the result's checklist.
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

// Traces returns the origin of an edition's points, and what needs attention in each reading of a measure, by the
// reading's id.
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
