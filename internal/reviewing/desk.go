package reviewing

import (
	"context"
	"slices"

	"dappertally/core/quality"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/ledger"
)

// Desk computes a review's score so far, with all its readings, as if it were
// accepted now. Only the team may see it.
func (s *Service) Desk(
	ctx context.Context,
	who *access.Actor,
	id string,
	after int64,
) (*answers.Result, string, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return nil, "", err
	}
	state, err := s.ledger.State(ctx, after)
	if err != nil {
		return nil, "", err
	}
	r, err := s.Review(ctx, who, id)
	if err != nil {
		return nil, "", err
	}
	list, err := scoring.Newest(state.Checklists.Lists, r.Checklist)
	if err != nil {
		return nil, "", ledger.Failed(err, "finding the review's checklist")
	}
	in := state.Input(list)
	in.Reviews = slices.DeleteFunc(slices.Clone(in.Reviews), func(x reading.Review) bool { return x.ID == id })
	readings, _, err := s.Readings(ctx, who, id)
	if err != nil {
		return nil, "", err
	}
	if readings == nil {
		readings = []reading.Reading{} // there are none, rather than those that it stands with
	}
	in.Reviews = append(in.Reviews, r.Standing(readings, nil))
	table, err := scoring.Desk(in, id, scoring.Options{})
	if err != nil {
		return nil, "", ledger.Failed(err, "scoring the desk")
	}
	result, err := answers.OnDesk(state, list, table, r.Edition)
	return result, r.Edition, err
}

// Doubts is what there is to look into in one review as it stands on the desk.
func (s *Service) Doubts(
	ctx context.Context,
	who *access.Actor,
	id string,
	after int64,
) (quality.Quality, *answers.Result, error) {
	r, edition, err := s.Desk(ctx, who, id, after)
	if err != nil {
		return quality.Quality{}, nil, err
	}
	q, err := answers.QualityOf(ctx, r, edition)
	return q, r, err
}
