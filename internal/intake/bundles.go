package intake

import (
	"context"
	"maps"
	"slices"

	"dappertally/core/bundle"
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/checklists"
	"dappertally/internal/ledger"
	"dappertally/internal/store"
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
	for some := range slices.Chunk(reviews, reviewsAtOnce) {
		if err := s.addReviews(ctx, who, b, some); err != nil {
			return nil, err
		}
	}
	withoutStrays(b)
	return b, nil
}

// addReviews adds reviews to a bundle: those that were accepted as their last acceptance left them.
func (s *Service) addReviews(ctx context.Context, who *access.Actor, b *bundle.Bundle, some []store.Review) error {
	readings, entries := map[string][]reading.Reading{}, map[string][]reading.Entry{}
	for _, pinned := range []bool{true, false} {
		var ids []string
		for i := range some {
			if !some[i].Accepted.IsZero() == pinned {
				ids = append(ids, some[i].ID)
			}
		}
		part, err := s.ledger.Store.ReadingsOf(ctx, ids, pinned)
		if err != nil {
			return ledger.Failed(err, "reading readings")
		}
		maps.Copy(readings, part)
		rows, err := s.ledger.Store.EntriesOf(ctx, ids, pinned)
		if err != nil {
			return ledger.Failed(err, "reading the records of reviews")
		}
		for i := range rows {
			entries[rows[i].Review] = append(entries[rows[i].Review], rows[i].Entry)
		}
	}
	for i := range some {
		r := &some[i]
		seen, _, err := s.reviewing.Visible(ctx, who, r, readings[r.ID])
		if err != nil {
			return err
		}
		whole := r.Standing(seen, entries[r.ID])
		if whole.Readings == nil {
			whole.Readings = []reading.Reading{}
		}
		b.Reviews = append(b.Reviews, whole)
	}
	return nil
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
