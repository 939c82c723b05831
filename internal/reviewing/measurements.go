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

// Measurement is a measurement in progress on a machine.
type Measurement = store.Measurement

// largestProgress is the largest progress report of a measurement, in bytes.
const largestProgress = 256 << 10

// PutMeasurement stores the progress of the actor's measurement in an open review, and returns who asked to stop it;
// empty: nobody.
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

// EndMeasurement deletes a measurement of the actor that has ended.
func (s *Service) EndMeasurement(ctx context.Context, who *access.Actor, review, id string) error {
	if err := who.Permit(Record); err != nil {
		return err
	}
	if _, err := s.Review(ctx, who, review); err != nil {
		return err
	}
	return notUnderWay(s.ledger.Store.EndMeasurement(ctx, review, id, who.ID), id)
}

// StopMeasurement asks the machine to stop a measurement, which it learns with its next run.
func (s *Service) StopMeasurement(ctx context.Context, who *access.Actor, review, id string) error {
	if err := who.Permit(Record); err != nil {
		return err
	}
	if _, err := s.Review(ctx, who, review); err != nil {
		return err
	}
	return notUnderWay(s.ledger.Store.StopMeasurement(ctx, review, id, who.Name), id)
}

// Measurements lists the measurements in progress in reviews that the actor can see.
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
