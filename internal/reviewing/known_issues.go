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

// KnownIssue is a known issue with its revision and cases.
type KnownIssue = store.KnownIssue

// KnownIssues lists known issues by key. Without an account, only pinned cases are included.
func (s *Service) KnownIssues(ctx context.Context, who *access.Actor) ([]KnownIssue, error) {
	ts, err := s.ledger.Store.KnownIssues(ctx)
	if err != nil {
		return nil, ledger.Failed(err, "reading known issues")
	}
	if !who.May(access.SeeWork) {
		for i := range ts {
			ts[i].Cases = slices.DeleteFunc(
				ts[i].Cases, func(c store.Case) bool { return !c.Pinned || c.Edition == "" },
			)
		}
		ts = slices.DeleteFunc(ts, func(t KnownIssue) bool { return len(t.Cases) == 0 })
	}
	return ts, nil
}

// KnownIssue returns one known issue with its cases.
func (s *Service) KnownIssue(ctx context.Context, who *access.Actor, key string) (KnownIssue, error) {
	ts, err := s.KnownIssues(ctx, who)
	if err != nil {
		return KnownIssue{}, err
	}
	i := slices.IndexFunc(ts, func(t KnownIssue) bool { return t.Key == key })
	if i < 0 {
		return KnownIssue{}, problem.New(problem.NotFound, "there is no known issue %q", key)
	}
	return ts[i], nil
}

// AddKnownIssue adds a known issue.
func (s *Service) AddKnownIssue(ctx context.Context, who *access.Actor, t *reading.KnownIssue) (int64, error) {
	if err := s.validateKnownIssue(who, t); err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.AddKnownIssue(t); err != nil {
			return ledger.Exists(err, "a known issue %q exists already", t.Key)
		}
		return tx.Log("added", store.SortKnownIssue, t.Key, t.Title)
	})
}

// EditKnownIssue corrects a known issue.
func (s *Service) EditKnownIssue(
	ctx context.Context,
	who *access.Actor,
	v ledger.Version,
	t *reading.KnownIssue,
) (int64, error) {
	if err := s.validateKnownIssue(who, t); err != nil {
		return 0, err
	}
	old, err := s.ledger.Store.KnownIssue(ctx, t.Key)
	if errors.Is(err, store.ErrNotFound) {
		return 0, problem.New(problem.NotFound, "there is no known issue %q", t.Key)
	}
	if err != nil {
		return 0, ledger.Failed(err, "reading a known issue")
	}
	ref, err := ledger.Based(map[string]store.Ref{t.Key: old.Ref}, t.Key, v)
	if err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.EditKnownIssue(ref, t); err != nil {
			return err
		}
		return tx.Log("corrected", store.SortKnownIssue, t.Key, t.Title)
	})
}

func (s *Service) validateKnownIssue(who *access.Actor, t *reading.KnownIssue) error {
	if err := who.Permit(KeepRecord); err != nil {
		return err
	}
	var book fault.Book
	reading.ValidateKnownIssue(t, &book)
	return problem.From("the known issue", book.List())
}
