package reviewing

import (
	"context"
	"errors"

	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Measurement is one that is under way on a machine.
type Measurement = store.Measurement

// largestProgress bounds how much a measurement tells of itself, in bytes.
const largestProgress = 256 << 10

// PutMeasurement keeps how far a measurement of the actor's is in a review that is being worked on, and returns who has
// asked for it to be stopped; empty: nobody.
func (s *Service) PutMeasurement(
	ctx context.Context,
	who *access.Actor,
	m store.Measurement,
) (stopper string, err error) {
	if err := who.Permit(Record); err != nil {
		return "", err
	}
	r, err := s.Review(ctx, who, m.Review)
	if err != nil {
		return "", err
	}
	switch {
	case r.State == reading.Withdrawn:
		return "", problem.New(problem.Conflict, "the review was withdrawn: nothing more is measured for it")
	case len(m.Progress) > largestProgress:
		return "", problem.New(problem.Invalid, "progress must be at most %d KiB", largestProgress>>10)
	}
	stopper, err = s.ledger.Store.PutMeasurement(ctx, m, who.ID)
	return stopper, notUnderWay(err, m.ID)
}

// EndMeasurement forgets a measurement of the actor's that has ended.
func (s *Service) EndMeasurement(ctx context.Context, who *access.Actor, review, id string) error {
	if err := who.Permit(Record); err != nil {
		return err
	}
	if _, err := s.Review(ctx, who, review); err != nil {
		return err
	}
	return notUnderWay(s.ledger.Store.EndMeasurement(ctx, review, id, who.ID), id)
}

// StopMeasurement asks the machine to stop a measurement, which it hears with its next run.
func (s *Service) StopMeasurement(ctx context.Context, who *access.Actor, review, id string) error {
	if err := who.Permit(Record); err != nil {
		return err
	}
	if _, err := s.Review(ctx, who, review); err != nil {
		return err
	}
	return notUnderWay(s.ledger.Store.StopMeasurement(ctx, review, id, who.Name), id)
}

// Measurements lists what is under way in reviews. Reviews that the actor does not see are left out.
func (s *Service) Measurements(ctx context.Context, who *access.Actor, reviews []string) ([]Measurement, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return nil, err
	}
	seen := make([]string, 0, len(reviews))
	for _, id := range reviews {
		if who.Review == "" || who.Review == id {
			seen = append(seen, id)
		}
	}
	all, err := s.ledger.Store.Measurements(ctx, seen)
	if err != nil {
		return nil, ledger.Failed(err, "reading current measurements")
	}
	return all, nil
}

func notUnderWay(err error, id string) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, store.ErrNotFound):
		return problem.New(problem.NotFound, "you have no measurement %s in progress", id)
	}
	return ledger.Failed(err, "saving the progress of a measurement")
}
