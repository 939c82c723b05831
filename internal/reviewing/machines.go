package reviewing

import (
	"context"

	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/people"
	"dappertally/internal/problem"
)

// LetMachineIn lets the machine that shows a code record in a review in the actor's name, for a day; an empty review
// refuses it.
func (s *Service) LetMachineIn(ctx context.Context, who *access.Actor, code, review string, from people.Place) error {
	if review == "" {
		return s.people.DecideDevice(ctx, who, code, "", from)
	}
	if err := who.Permit(Record); err != nil {
		return err
	}
	r, err := s.Review(ctx, who, review)
	if err != nil {
		return err
	}
	if r.State == reading.Withdrawn || r.State == reading.Accepted {
		return problem.New(problem.Conflict, "a review that is %s cannot be recorded in; choose an open one", r.State)
	}
	return s.people.DecideDevice(ctx, who, code, r.ID, from)
}
