package intake

import (
	"context"
	"slices"

	"dappertally/core/bundle"
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/checklists"
	"dappertally/internal/ledger"
)

// Bundle gives all that the actor may see as one bundle, from which every result that
// stands can be computed again. A review that was accepted is in it as its last
// acceptance left it; open ones are in it for the team, without the grades that the
// actor must not see yet.
func (s *Service) Bundle(ctx context.Context, who *access.Actor) (*bundle.Bundle, error) {
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return nil, err
	}
	reviews, err := s.reviewing.Reviews(ctx, who)
	if err != nil {
		return nil, err
	}
	b := &bundle.Bundle{
		Format:        bundle.Format,
		Version:       bundle.Version,
		Checklists:    []checklist.Checklist{},
		Distributions: state.Catalogue.Distributions,
		Rigs:          state.Catalogue.Rigs,
		Reviews:       []reading.Review{},
	}
	for _, list := range state.Checklists.Lists {
		if list.State != checklist.Draft || who.May(checklists.EditChecklist) {
			b.Checklists = append(b.Checklists, list)
		}
	}
	for i := range reviews {
		r := &reviews[i]
		pinned := !r.Accepted.IsZero()
		readings, err := s.ledger.Store.Readings(ctx, r.ID, pinned)
		if err != nil {
			return nil, ledger.Failed(err, "reading readings")
		}
		if readings, _, err = s.reviewing.Visible(ctx, who, r, readings); err != nil {
			return nil, err
		}
		rows, err := s.ledger.Store.Entries(ctx, r.ID, pinned)
		if err != nil {
			return nil, ledger.Failed(err, "reading a review's record")
		}
		entries := make([]reading.Entry, len(rows))
		for i := range rows {
			entries[i] = rows[i].Entry
		}
		whole := r.Standing(readings, entries)
		if whole.Readings == nil {
			whole.Readings = []reading.Reading{}
		}
		b.Reviews = append(b.Reviews, whole)
	}
	withoutStrays(b)
	return b, nil
}

// withoutStrays takes out what refers to a review, reading or list that is not in the
// bundle because the actor may not see it.
func withoutStrays(b *bundle.Bundle) {
	lists := map[string]bool{}
	for i := range b.Checklists {
		lists[b.Checklists[i].Name()] = true
	}
	b.Reviews = slices.DeleteFunc(b.Reviews, func(r reading.Review) bool { return !lists[r.Checklist] })
	b.DropStrays()
}
