package service

import (
	"context"

	"dappertally/core/fault"
	"dappertally/internal/store"
)

// Policy is the team's own rules.
type Policy = store.Policy

// What the second pair of eyes is.
const (
	SecondRequired = "required"
	SecondAdvised  = "advised"
)

// standardRetest is after how many days a review of a rolling release is stale
// where the team says nothing else.
const standardRetest = 120

// Policy gives the team's rules, with what holds where nothing was said.
func (s *Service) Policy(ctx context.Context) (Policy, Ref, error) {
	p, ref, err := s.store.Policy(ctx)
	if err != nil {
		return p, ref, failed(err, "reading the team's rules")
	}
	if p.SecondReviewer == "" {
		p.SecondReviewer = SecondAdvised
	}
	if p.RetestDays == 0 {
		p.RetestDays = standardRetest
	}
	return p, ref, nil
}

// SetPolicy changes the team's rules.
func (s *Service) SetPolicy(ctx context.Context, who *Actor, v Version, p Policy) (int64, error) {
	if err := who.permit(SetPolicy); err != nil {
		return 0, err
	}
	var book fault.Book
	if p.SecondReviewer != SecondRequired && p.SecondReviewer != SecondAdvised {
		book.Field("secondReviewer", "must be required or advised, not %.70q", p.SecondReviewer)
	}
	if p.RetestDays < 1 || p.RetestDays > 3650 {
		book.Field("retestDays", "must be between 1 and 3650")
	}
	if err := invalid("the rules", book.List()); err != nil {
		return 0, err
	}
	_, ref, err := s.Policy(ctx)
	if err != nil {
		return 0, err
	}
	if ref, err = based(map[string]store.Ref{"rules": ref}, "rules", v); err != nil {
		return 0, err
	}
	return s.write(ctx, who, func(tx *store.Tx) error {
		if err := tx.SetPolicy(ref, p); err != nil {
			return err
		}
		return tx.Log("changed", store.SortPolicy, "rules", "second reviewer "+p.SecondReviewer)
	})
}
