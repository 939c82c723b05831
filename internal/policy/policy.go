// Package policy manages the settings that a team makes itself.
package policy

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"dappertally/core/comparing"
	"dappertally/core/fault"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Policy is the settings of the team.
type Rules = store.Policy

// The values of the second pair of eyes.
const (
	SecondRequired = "required"
	SecondAdvised  = "advised"
)

// standardRetest is the default number of days after which a review of a rolling release is stale.
const standardRetest = 120

// Rules returns the settings of the team, with defaults for those that are not set.
func (s *Service) Rules(ctx context.Context) (Rules, ledger.Ref, error) {
	p, ref, err := s.ledger.Store.Policy(ctx)
	if err != nil {
		return p, ref, ledger.Failed(err, "reading the settings")
	}
	if p.SecondReviewer == "" {
		p.SecondReviewer = SecondAdvised
	}
	if p.RetestDays == 0 {
		p.RetestDays = standardRetest
	}
	return p, ref, nil
}

// SetRules changes the settings of the team.
func (s *Service) SetRules(ctx context.Context, who *access.Actor, v ledger.Version, p Rules) (int64, error) {
	if err := who.Permit(SetPolicy); err != nil {
		return 0, err
	}
	var book fault.Book
	if p.SecondReviewer != SecondRequired && p.SecondReviewer != SecondAdvised {
		book.Field("secondReviewer", "must be required or advised, not %.70q", p.SecondReviewer)
	}
	if p.RetestDays < 1 || p.RetestDays > 3650 {
		book.Field("retestDays", "must be between 1 and 3650")
	}
	if p.Team = strings.TrimSpace(p.Team); len(p.Team) > ledger.LongestTeam {
		book.Field("team", "must have at most %d bytes", ledger.LongestTeam)
	}
	validateComponents(&book, p.Components)
	if err := problem.From("the settings", book.List()); err != nil {
		return 0, err
	}
	old, ref, err := s.Rules(ctx)
	if err != nil {
		return 0, err
	}
	if p.Components == nil { // nothing was given for them
		p.Components = old.Components
	}
	p.Team, p.SecondStep = cmp.Or(p.Team, old.Team), old.SecondStep
	if ref, err = ledger.Based(map[string]store.Ref{"rules": ref}, "rules", v); err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.SetPolicy(ref, p); err != nil {
			return err
		}
		return tx.Log("changed", store.SortPolicy, "rules", "second reviewer "+p.SecondReviewer)
	})
}

// validateComponents checks lists of versions and sorts each by day.
func validateComponents(book *fault.Book, components []comparing.Component) {
	book.In("components", func() {
		for i := range components {
			book.In(i, func() { validateComponent(book, components, i) })
		}
	})
}

func validateComponent(book *fault.Book, components []comparing.Component, i int) {
	c := &components[i]
	if c.Fact == "" || len(c.Fact) > 64 {
		book.Field("fact", "must be the key of a fact, of 1 to 64 bytes")
	}
	if slices.ContainsFunc(components[:i], func(x comparing.Component) bool { return x.Fact == c.Fact }) {
		book.Field("fact", "%s is duplicated", c.Fact)
	}
	book.In("versions", func() {
		for j, v := range c.Versions {
			book.In(j, func() {
				if !comparing.LooksLikeVersion(v.Version) || len(v.Version) > 64 {
					book.Field("version", "must be a version number, not %.70q", v.Version)
				}
				if _, err := time.Parse(time.DateOnly, v.Date); err != nil {
					book.Field("date", "must be a day such as 2026-04-30, not %.70q", v.Date)
				}
				if slices.ContainsFunc(
					c.Versions[:j], func(x comparing.Version) bool { return x.Version == v.Version },
				) {
					book.Field("version", "%s is duplicated", v.Version)
				}
			})
		}
	})
	slices.SortStableFunc(c.Versions, func(a, b comparing.Version) int { return strings.Compare(a.Date, b.Date) })
}
