package reviewing

import (
	"context"
	"errors"
	"slices"

	"dappertally/core/fault"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Trouble is a trouble with its revision and cases.
type Trouble = store.Trouble

// Troubles lists troubles by key. Without an account one sees the cases that an
// acceptance has pinned.
func (s *Service) Troubles(ctx context.Context, who *access.Actor) ([]Trouble, error) {
	ts, err := s.ledger.Store.Troubles(ctx)
	if err != nil {
		return nil, ledger.Failed(err, "reading known issues")
	}
	if !who.May(access.SeeWork) {
		for i := range ts {
			ts[i].Cases = slices.DeleteFunc(
				ts[i].Cases, func(c store.Case) bool { return !c.Pinned || c.Edition == "" },
			)
		}
		ts = slices.DeleteFunc(ts, func(t Trouble) bool { return len(t.Cases) == 0 })
	}
	return ts, nil
}

// Trouble gives one trouble with its cases.
func (s *Service) Trouble(ctx context.Context, who *access.Actor, key string) (Trouble, error) {
	ts, err := s.Troubles(ctx, who)
	if err != nil {
		return Trouble{}, err
	}
	i := slices.IndexFunc(ts, func(t Trouble) bool { return t.Key == key })
	if i < 0 {
		return Trouble{}, problem.New(problem.NotFound, "there is no known issue %q", key)
	}
	return ts[i], nil
}

// AddTrouble adds a trouble.
func (s *Service) AddTrouble(ctx context.Context, who *access.Actor, t *reading.Trouble) (int64, error) {
	if err := s.soundTrouble(who, t); err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.AddTrouble(t); err != nil {
			return ledger.Exists(err, "a known issue %q exists already", t.Key)
		}
		return tx.Log("added", store.SortTrouble, t.Key, t.Title)
	})
}

// EditTrouble corrects a trouble.
func (s *Service) EditTrouble(
	ctx context.Context,
	who *access.Actor,
	v ledger.Version,
	t *reading.Trouble,
) (int64, error) {
	if err := s.soundTrouble(who, t); err != nil {
		return 0, err
	}
	old, err := s.ledger.Store.Trouble(ctx, t.Key)
	if errors.Is(err, store.ErrNotFound) {
		return 0, problem.New(problem.NotFound, "there is no known issue %q", t.Key)
	}
	if err != nil {
		return 0, ledger.Failed(err, "reading a trouble")
	}
	ref, err := ledger.Based(map[string]store.Ref{t.Key: old.Ref}, t.Key, v)
	if err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.EditTrouble(ref, t); err != nil {
			return err
		}
		return tx.Log("corrected", store.SortTrouble, t.Key, t.Title)
	})
}

func (s *Service) soundTrouble(who *access.Actor, t *reading.Trouble) error {
	if err := who.Permit(KeepRecord); err != nil {
		return err
	}
	var book fault.Book
	reading.ValidateTrouble(t, &book)
	return problem.From("the known issue", book.List())
}
