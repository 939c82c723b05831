package intake

import (
	"context"
	"io"
	"iter"
	"maps"
	"slices"
	"strings"

	"dappertally/core/bundle"
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/checklists"
	"dappertally/internal/ledger"
	"dappertally/internal/store"
)

// WriteBundle writes all that the actor can see as one bundle, from which every current result can be computed again.
// An accepted review is in it as its last acceptance left it; the team also gets open ones, without the grades that
// the actor must not see yet. Only some reviews are in memory at a time. look, if not nil, is called with each.
func (s *Service) WriteBundle(ctx context.Context, who *access.Actor, w io.Writer, look func(*reading.Review)) error {
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return err
	}
	b := &bundle.Bundle{
		Checklists:    listsFor(state, who),
		Distributions: slices.Clone(state.Catalogue.Distributions), // they are sorted
		Rigs:          slices.Clone(state.Catalogue.Rigs),
	}
	lists := map[string]bool{}
	for i := range b.Checklists {
		lists[b.Checklists[i].Name()] = true
	}
	reviews, err := s.reviewing.Reviews(ctx, who)
	if err != nil {
		return err
	}
	reviews = slices.DeleteFunc(reviews, func(r store.Review) bool { return !lists[r.Checklist] })
	slices.SortFunc(reviews, func(a, b store.Review) int { return strings.Compare(a.ID, b.ID) })
	x := bundler{Service: s, who: who, state: state, reviews: map[string]*store.Review{}}
	for i := range reviews {
		x.reviews[reviews[i].ID] = &reviews[i]
	}
	return bundle.WriteStream(w, b, func(yield func(*reading.Review, error) bool) {
		for whole, err := range x.each(ctx, reviews) {
			if err == nil && look != nil {
				look(whole)
			}
			if !yield(whole, err) {
				return
			}
		}
	})
}

// listsFor returns the checklist versions that the actor can see.
func listsFor(state *ledger.Records, who *access.Actor) []checklist.Checklist {
	lists := []checklist.Checklist{}
	for _, list := range state.Checklists.Lists {
		if list.State != checklist.Draft || who.May(checklists.EditChecklist) {
			lists = append(lists, list)
		}
	}
	return lists
}

// bundler makes the reviews of a bundle.
type bundler struct {
	*Service
	who     *access.Actor
	state   *ledger.Records
	reviews map[string]*store.Review // reviews in the bundle, by id
	rooms   [reviewsAtOnce]reading.Room
}

// each makes reviews in batches.
func (x *bundler) each(ctx context.Context, reviews []store.Review) iter.Seq2[*reading.Review, error] {
	return func(yield func(*reading.Review, error) bool) {
		for some := range slices.Chunk(reviews, reviewsAtOnce) {
			whole, err := x.make(ctx, some)
			if err != nil {
				yield(nil, err)
				return
			}
			for i := range whole {
				if !yield(&whole[i], nil) {
					return
				}
			}
		}
	}
}

// make makes some reviews; earlier results are no longer valid.
func (x *bundler) make(ctx context.Context, some []store.Review) ([]reading.Review, error) {
	readings, err := x.readings(ctx, some, x.rooms[:])
	if err != nil {
		return nil, err
	}
	entries, err := x.entries(ctx, some)
	if err != nil {
		return nil, err
	}
	all := make([]reading.Review, len(some))
	for i := range some {
		r := &some[i]
		all[i] = r.AsAccepted(readings[r.ID], entries[r.ID])
		if err := x.withoutStrays(ctx, &all[i]); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// readings returns the readings of reviews for a bundle: for accepted reviews only the pinned ones. They are in the
// memory of rooms, one for each review.
func (x *bundler) readings(
	ctx context.Context, some []store.Review, rooms []reading.Room,
) (map[string][]reading.Reading, error) {
	all := map[string][]reading.Reading{}
	for i := range some {
		if of := x.state.ReadingsIn(some[i].ID, &rooms[i]); of != nil {
			all[some[i].ID] = of
		}
	}
	for _, pinned := range []bool{true, false} {
		var ids []string
		for i := range some {
			r := &some[i]
			if all[r.ID] == nil && !r.Accepted.IsZero() == pinned {
				ids = append(ids, r.ID)
			}
		}
		read, err := x.ledger.Store.ReadingsOf(ctx, ids, pinned)
		if err != nil {
			return nil, ledger.Failed(err, "reading readings")
		}
		maps.Copy(all, read)
	}
	for i := range some {
		r := &some[i]
		seen, _, err := x.reviewing.Visible(ctx, x.who, r, all[r.ID])
		if err != nil {
			return nil, err
		}
		if all[r.ID] = seen; seen == nil {
			all[r.ID] = []reading.Reading{}
		}
	}
	return all, nil
}

func (x *bundler) entries(ctx context.Context, some []store.Review) (map[string][]reading.Entry, error) {
	all := map[string][]reading.Entry{}
	for _, pinned := range []bool{true, false} {
		var ids []string
		for i := range some {
			if !some[i].Accepted.IsZero() == pinned {
				ids = append(ids, some[i].ID)
			}
		}
		rows, err := x.ledger.Store.EntriesOf(ctx, ids, pinned)
		if err != nil {
			return nil, ledger.Failed(err, "reading the records of reviews")
		}
		for i := range rows {
			all[rows[i].Review] = append(all[rows[i].Review], rows[i].Entry)
		}
	}
	return all, nil
}

// withoutStrays removes references to reviews or readings that are not in the bundle because the actor cannot see
// them.
func (x *bundler) withoutStrays(ctx context.Context, r *reading.Review) error {
	if slices.ContainsFunc(r.Readings, func(y reading.Reading) bool { return y.Replaces != "" }) {
		there, err := x.there(ctx, r)
		if err != nil {
			return err
		}
		for i := range r.Readings {
			if y := &r.Readings[i]; !there[y.Replaces] {
				y.Replaces = ""
			}
		}
	}
	if x.reviews[r.Continues] == nil {
		r.Continues = ""
	}
	if x.reviews[r.Carried] == nil {
		r.Carried = ""
	}
	return nil
}

// there returns the ids of the readings of a review, and of those reviews in the bundle that it continues.
func (x *bundler) there(ctx context.Context, r *reading.Review) (map[string]bool, error) {
	there := map[string]bool{}
	for i := range r.Readings {
		there[r.Readings[i].ID] = true
	}
	earlier := x.reviews[r.Continues]
	for seen := 0; earlier != nil && seen < 100; seen++ {
		readings, err := x.readings(ctx, []store.Review{*earlier}, make([]reading.Room, 1))
		if err != nil {
			return nil, err
		}
		for _, y := range readings[earlier.ID] {
			there[y.ID] = true
		}
		earlier = x.reviews[earlier.Continues]
	}
	return there, nil
}
