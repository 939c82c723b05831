package service

import (
	"context"

	"dappertally/core/bundle"
	"dappertally/core/reading"
	"dappertally/internal/store"
)

// Import takes in a whole bundle that Parse found sound, all of it or nothing.
// What it brings must not be there yet. Reviewers without an account get one that
// cannot sign in.
//
// plans says, by review, who is to do what is not done yet, and by when.
func (s *Service) Import(ctx context.Context, who *Actor, b *bundle.Bundle, plans map[string]Plan) (int64, error) {
	return s.write(ctx, who, func(tx *store.Tx) error {
		im := importer{tx: tx, plans: plans, versions: map[string]string{}, editions: map[string]string{}, rigs: map[string]string{}}
		for _, step := range []func(*bundle.Bundle) error{im.people, im.catalogue, im.checklists, im.reviews} {
			if err := step(b); err != nil {
				return err
			}
		}
		if err := tx.Log("imported", store.SortReview, "*", ""); err != nil {
			return err
		}
		for _, sort := range []store.Sort{store.SortCatalogue, store.SortRig, store.SortChecklist} {
			if err := tx.Log("imported", sort, "*", ""); err != nil {
				return err
			}
		}
		return nil
	})
}

// Plan is who is to do a review, and by when.
type Plan struct {
	Assigned string // a person's name
	Due      string // YYYY-MM-DD
}

type importer struct {
	plans                    map[string]Plan
	tx                       *store.Tx
	reviewers                map[string]string
	versions, editions, rigs map[string]string // ids by key
}

func (im *importer) people(b *bundle.Bundle) (err error) {
	if im.reviewers, err = im.tx.PeopleIDs(); err != nil {
		return err
	}
	for i := range b.Reviews {
		for j := range b.Reviews[i].Readings {
			name := b.Reviews[i].Readings[j].Reviewer
			if im.reviewers[name] != "" {
				continue
			}
			p := store.Person{Name: name, Title: name}
			if err := im.tx.AddPerson(&p); err != nil {
				return err
			}
			im.reviewers[name] = p.ID
		}
	}
	return nil
}

func (im *importer) catalogue(b *bundle.Bundle) (err error) {
	for i := range b.Rigs {
		r := &b.Rigs[i]
		if im.rigs[r.Key], err = im.tx.AddRig(r); err != nil {
			return exists(err, "there is a rig %q already", r.Key)
		}
	}
	for i := range b.Distributions {
		d := &b.Distributions[i]
		parent, err := im.tx.AddDistribution(d)
		if err != nil {
			return exists(err, "there is a distribution %q already", d.Key)
		}
		for j := range d.Releases {
			r := &d.Releases[j]
			release, err := im.tx.AddRelease(parent, r)
			if err != nil {
				return err
			}
			for k := range r.Editions {
				e := &r.Editions[k]
				if im.editions[d.Key+"/"+r.Version+"/"+e.Key], err = im.tx.AddEdition(release, e); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

func (im *importer) checklists(b *bundle.Bundle) (err error) {
	for i := range b.Checklists {
		c := &b.Checklists[i]
		if im.versions[c.Name()], err = im.tx.AddChecklist(c); err != nil {
			return exists(err, "there is a checklist %s already", c.Name())
		}
	}
	return nil
}

// reviews adds reviews before those that continue them, then all readings.
func (im *importer) reviews(b *bundle.Bundle) error {
	left := make([]*reading.Review, len(b.Reviews))
	for i := range b.Reviews {
		left[i] = &b.Reviews[i]
	}
	there := map[string]bool{"": true}
	for len(left) > 0 {
		var later []*reading.Review
		for _, r := range left {
			if !there[r.Continues] || !there[r.Carried] {
				later = append(later, r)
				continue
			}
			if err := im.review(r); err != nil {
				return err
			}
			there[r.ID] = true
		}
		left = later // no circles: the bundle was validated
	}
	var rows []store.ReadingRow
	for i := range b.Reviews {
		r := &b.Reviews[i]
		for j := range r.Readings {
			x := &r.Readings[j]
			row := store.ReadingRow{Reading: x, Review: r.ID, Version: im.versions[r.Checklist], Reviewer: im.reviewers[x.Reviewer], Rig: im.rigs[x.Rig], Pinned: r.Accepted != nil}
			if x.Received != nil {
				row.Received = *x.Received
			}
			rows = append(rows, row)
		}
	}
	return im.tx.AddReadings(rows)
}

func (im *importer) review(r *reading.Review) error {
	row := store.Review{
		Ref: store.Ref{ID: r.ID}, State: r.State, Continues: r.Continues, Carried: r.Carried, Due: im.plans[r.ID].Due,
	}
	if r.Accepted != nil {
		row.Accepted = *r.Accepted
	}
	if err := im.tx.AddReview(&row, im.editions[r.Edition], im.versions[r.Checklist], im.reviewers[im.plans[r.ID].Assigned]); err != nil {
		return exists(err, "there is a review %s already", r.ID)
	}
	entries := r.Entries()
	for i := range entries {
		if err := im.tx.AddEntry(r.ID, 1, &entries[i], false, r.Accepted != nil); err != nil {
			return err
		}
	}
	return nil
}

// Empty reports whether nothing was ever recorded here.
func (s *Service) Empty(ctx context.Context) (bool, error) {
	n, err := s.store.LastChange(ctx)
	if err != nil {
		return false, failed(err, "reading the change log")
	}
	return n == 0, nil
}
