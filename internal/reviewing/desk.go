package reviewing

import (
	"context"

	"dappertally/core/quality"
	"dappertally/internal/access"
	"dappertally/internal/answers"
)

// Desk computes a review's score so far, with all its readings, as if it were accepted now. Only the team can see it.
func (s *Service) Desk(
	ctx context.Context,
	who *access.Actor,
	id string,
	after int64,
) (*answers.Result, string, error) {
	r, err := s.desk(ctx, who, id, after, true)
	if err != nil {
		return nil, "", err
	}
	return r, r.Edition, nil
}

func (s *Service) desk(
	ctx context.Context, who *access.Actor, id string, after int64, ranked bool,
) (*answers.Result, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return nil, err
	}
	state, err := s.ledger.State(ctx, after)
	if err != nil {
		return nil, err
	}
	r, err := s.Review(ctx, who, id)
	if err != nil {
		return nil, err
	}
	readings, _, err := s.Readings(ctx, who, id)
	if err != nil {
		return nil, err
	}
	return answers.OnDesk(ctx, state, r.AsAccepted(readings, nil), ranked)
}

// Quality returns what needs attention in one review as it is on the desk.
func (s *Service) Quality(
	ctx context.Context,
	who *access.Actor,
	id string,
	after int64,
) (quality.Quality, *answers.Result, error) {
	r, err := s.desk(ctx, who, id, after, false)
	if err != nil {
		return quality.Quality{}, nil, err
	}
	q, err := answers.QualityOf(ctx, r, r.Edition, 0)
	return q, r, err
}
