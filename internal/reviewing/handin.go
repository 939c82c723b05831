package reviewing

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"dappertally/core/fault"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Batch is system states and readings that are recorded in a review together.
type Batch struct {
	States   []StateIn
	Readings []Sent
	Trial    bool // check everything, and write nothing
}

// StateIn is a system state, and the revision that it corrects; 0 adds it.
type StateIn struct {
	System  reading.System
	Version ledger.Version
}

// RecordBatch records states and readings in a review in one transaction: all of them or none. It makes the checks of
// PutEntry and Record, and reports every fault of every part. A trial makes the same checks, including those of the
// transaction.
func (s *Service) RecordBatch(
	ctx context.Context,
	who *access.Actor,
	review string,
	b Batch,
) ([]Recorded, int64, error) {
	if err := who.Permit(Record); err != nil {
		return nil, 0, err
	}
	k, err := s.keeper(ctx, who, review)
	if err != nil {
		return nil, 0, err
	}
	var faults fault.List
	states := make([]reading.Entry, len(b.States))
	keys := make([]string, len(b.States))
	for i := range b.States {
		states[i].System, keys[i] = &b.States[i].System, b.States[i].System.ID
		if err := collect(k.validateEntry(ctx, &states[i]), fmt.Sprintf("/states/%d", i), &faults); err != nil {
			return nil, 0, err
		}
	}
	readings := make([]*incoming, len(b.Readings))
	for i, x := range b.Readings {
		readings[i], err = s.incoming(ctx, who, k.state, k.list, &k.review, x, keys)
		if err := collect(err, fmt.Sprintf("/readings/%d", i), &faults); err != nil {
			return nil, 0, err
		}
	}
	if err := problem.From("the slip", faults); err != nil {
		return nil, 0, err
	}
	change, err := s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		reviewState, version, err := tx.LockReview(review)
		if err != nil {
			return err
		}
		if reviewState == reading.Withdrawn {
			return problem.New(problem.Conflict, "the review was withdrawn; nothing can be recorded in it")
		}
		for i := range states {
			if err := collect(k.put(tx, b.States[i].Version, &states[i]), fmt.Sprintf("/states/%d", i), &faults); err != nil {
				return err
			}
		}
		for i, in := range readings {
			if err := collect(in.record(tx, reviewState, version), fmt.Sprintf("/readings/%d", i), &faults); err != nil {
				return err
			}
		}
		if err := problem.From("the slip", faults); err != nil {
			return err
		}
		if b.Trial {
			return ledger.ErrTrial
		}
		return nil
	})
	if err != nil && !(b.Trial && errors.Is(err, ledger.ErrTrial)) {
		return nil, 0, err
	}
	out := make([]Recorded, len(readings))
	for i, in := range readings {
		out[i] = in.out
	}
	return out, change, nil
}

// collect adds the faults of one part of an input to those of the whole. It returns any other error.
func collect(err error, pointer string, faults *fault.List) error {
	var e *problem.Error
	switch {
	case err == nil:
		return nil
	case !errors.As(err, &e) || !slices.Contains(
		[]problem.Kind{problem.Invalid, problem.Conflict, problem.NotFound, problem.Forbidden}, e.Kind):
		return err
	case len(e.Faults) == 0:
		*faults = append(*faults, fault.Fault{Pointer: pointer, Detail: e.Message})
	default:
		for _, f := range e.Faults {
			*faults = append(*faults, fault.Fault{Pointer: pointer + f.Pointer, Detail: f.Detail})
		}
	}
	return nil
}
