// Package intake imports and exports records: imports, slips, bundles, archives.
package intake

import (
	"context"
	"maps"
	"slices"
	"time"

	"dappertally/core/bundle"
	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/checklists"
	"dappertally/internal/ledger"
	"dappertally/internal/store"
)

// Import imports a whole bundle that Parse found valid, in one transaction. Its content must not exist yet. Reviewers
// without an account get one that cannot sign in.
//
// plans is, by review, who does open work, and by when.
func (s *Service) Import(
	ctx context.Context,
	who *access.Actor,
	b *bundle.Bundle,
	plans map[string]Plan,
) (int64, error) {
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		im := newImporter()
		im.plans = plans
		a, err := im.find(b, tx)
		if err != nil {
			return err
		}
		return a.write(tx, &course{})
	})
}

// find determines what the import of a bundle writes. New people, rigs and checklist versions get the ids with which
// parents adds them.
func (im *importer) find(b *bundle.Bundle, tx *store.Tx) (*arrivals, error) {
	if err := im.people(b, tx); err != nil {
		return nil, err
	}
	for i := range b.Rigs {
		if r := &b.Rigs[i]; im.rigs[r.Key] == "" {
			im.brought[store.SortRig] = true
			im.rigs[r.Key] = ledger.NewID()
			im.newRigs = append(im.newRigs, r)
		}
	}
	for i := range b.Checklists {
		if c := &b.Checklists[i]; im.versions[c.Name()] == "" {
			im.brought[store.SortChecklist] = true
			im.versions[c.Name()] = ledger.NewID()
			im.newVersions = append(im.newVersions, c)
		}
	}
	a := &arrivals{parents: func(tx *store.Tx) error { return im.parents(b, tx) }, end: im.log}
	for i := range b.Reviews {
		im.rows(&b.Reviews[i], a)
	}
	a.reviews = slices.Sorted(maps.Keys(im.touched))
	a.there = slices.DeleteFunc(slices.Clone(a.reviews), func(id string) bool { return im.readings[id] == nil })
	return a, nil
}

// parents adds what the rows of a bundle refer to: people, the catalogue, rigs, checklist versions and reviews.
func (im *importer) parents(b *bundle.Bundle, tx *store.Tx) error {
	for i := range im.newPeople {
		if err := tx.AddPerson(&im.newPeople[i]); err != nil {
			return ledger.Exists(err, "an account %q exists already", im.newPeople[i].Name)
		}
	}
	for _, r := range im.newRigs {
		if err := tx.AddRig(im.rigs[r.Key], r); err != nil {
			return ledger.Exists(err, "a rig %q exists already", r.Key)
		}
	}
	add := im.adding(tx)
	for i := range b.Distributions {
		if err := add.distribution(&b.Distributions[i]); err != nil {
			return err
		}
	}
	if err := im.checklists(b, tx); err != nil {
		return err
	}
	return im.reviews(b, tx, add.editions)
}

// log records the import in the change log.
func (im *importer) log(tx *store.Tx) error {
	for _, sort := range []store.Sort{store.SortCatalogue, store.SortRig, store.SortChecklist} {
		if !im.brought[sort] {
			continue
		}
		if err := tx.Log("imported", sort, "*", ""); err != nil {
			return err
		}
	}
	if len(im.touched) == 0 {
		return nil
	}
	return tx.LogMany("imported", slices.Sorted(maps.Keys(im.touched)), "")
}

// Plan is who does a review, and by when.
type Plan struct {
	Assigned string // a person's name
	Due      string // YYYY-MM-DD
}

// importer adds the content of a bundle, except what its maps contain already.
type importer struct {
	plans                    map[string]Plan
	state                    *ledger.Records // the records before; nil if there are none
	reviewers                map[string]string
	versions, editions, rigs map[string]string          // ids by key
	above                    map[string]string          // ids of distributions and releases, by key
	readings, entries        map[string]map[string]bool // existing ids, by review
	brought                  map[store.Sort]bool        // keys to which something was added, except reviews
	touched                  map[string]bool            // ids of reviews that were added or extended
	newPeople                []store.Person
	newRigs                  []*catalogue.Rig
	newVersions              []*checklist.Checklist
}

func newImporter() importer {
	return importer{
		versions: map[string]string{}, editions: map[string]string{}, rigs: map[string]string{},
		above: map[string]string{}, brought: map[store.Sort]bool{}, touched: map[string]bool{},
	}
}

func (im *importer) people(b *bundle.Bundle, tx *store.Tx) (err error) {
	if im.reviewers, err = tx.PeopleIDs(); err != nil {
		return err
	}
	for i := range b.Reviews {
		for j := range b.Reviews[i].Readings {
			name := b.Reviews[i].Readings[j].Reviewer
			if im.reviewers[name] != "" {
				continue
			}
			im.reviewers[name] = ledger.NewID()
			im.newPeople = append(im.newPeople, store.Person{ID: im.reviewers[name], Name: name, Title: name})
		}
	}
	return nil
}

// adder adds to the catalogue what its maps do not contain.
type adder struct {
	tx              *store.Tx
	above, editions map[string]string // ids of distributions and releases, and of editions, by key
	brought         map[store.Sort]bool
}

// adding adds to the catalogue in a transaction, which may be repeated: the importer does not store what it adds.
func (im *importer) adding(tx *store.Tx) *adder {
	return &adder{tx, maps.Clone(im.above), maps.Clone(im.editions), im.brought}
}

func (a *adder) distribution(d *catalogue.Distribution) (err error) {
	if a.above[d.Key] == "" {
		a.brought[store.SortCatalogue] = true
		if a.above[d.Key], err = a.tx.AddDistribution(d); err != nil {
			return ledger.Exists(err, "a distribution %q exists already", d.Key)
		}
	}
	for i := range d.Releases {
		if err := a.release(d.Key, &d.Releases[i]); err != nil {
			return err
		}
	}
	return nil
}

func (a *adder) release(distribution string, r *catalogue.Release) (err error) {
	key := distribution + "/" + r.Version
	if a.above[key] == "" {
		a.brought[store.SortCatalogue] = true
		if a.above[key], err = a.tx.AddRelease(a.above[distribution], r); err != nil {
			return err
		}
	}
	for k := range r.Editions {
		e := &r.Editions[k]
		if a.editions[key+"/"+e.Key] != "" {
			continue
		}
		a.brought[store.SortCatalogue] = true
		if a.editions[key+"/"+e.Key], err = a.tx.AddEdition(a.above[key], e); err != nil {
			return err
		}
	}
	return nil
}

func (im *importer) checklists(b *bundle.Bundle, tx *store.Tx) error {
	for _, c := range im.newVersions {
		if err := tx.AddChecklist(im.versions[c.Name()], c, begun(b, c.Name(), tx.Now())); err != nil {
			return ledger.Exists(err, "a checklist %s exists already", c.Name())
		}
		if im.state == nil {
			continue
		}
		if err := checklists.KeepShown(tx, im.state, c); err != nil {
			return err
		}
	}
	return nil
}

// begun returns when the work on a checklist version began, as far as the bundle shows: a version was in force when
// the first reading was made for it, and when the first review on it was accepted. Carried-over readings were made
// earlier.
func begun(b *bundle.Bundle, name string, now time.Time) time.Time {
	first := now
	for i := range b.Reviews {
		if b.Reviews[i].Checklist != name {
			continue
		}
		if accepted := b.Reviews[i].Accepted; accepted != nil && accepted.Before(first) {
			first = *accepted
		}
		for j := range b.Reviews[i].Readings {
			if b.Reviews[i].Carried != "" {
				break
			}
			if at := b.Reviews[i].Readings[j].At; at.Before(first) {
				first = at
			}
		}
	}
	return first
}

// reviews adds the missing reviews, each before those that continue it.
func (im *importer) reviews(b *bundle.Bundle, tx *store.Tx, editions map[string]string) error {
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
			if err := im.review(r, tx, editions); err != nil {
				return err
			}
			there[r.ID] = true
		}
		left = later // there are no circles: the bundle was validated
	}
	return nil
}

func (im *importer) review(r *reading.Review, tx *store.Tx, editions map[string]string) error {
	if im.readings[r.ID] != nil {
		return nil
	}
	row := store.Review{
		Ref: store.Ref{ID: r.ID}, State: r.State, Continues: r.Continues, Carried: r.Carried, Due: im.plans[r.ID].Due,
	}
	if r.Accepted != nil {
		row.Accepted = *r.Accepted
	}
	err := tx.AddReview(&row, editions[r.Edition], im.versions[r.Checklist], im.reviewers[im.plans[r.ID].Assigned])
	return ledger.Exists(err, "a review %s exists already", r.ID)
}

// rows adds the missing readings and entries of a review.
func (im *importer) rows(r *reading.Review, a *arrivals) {
	fresh := im.readings[r.ID] == nil
	if fresh {
		im.touched[r.ID] = true
	}
	// Additions to an existing review wait for its next acceptance.
	pinned := fresh && r.Accepted != nil
	entries := r.Entries()
	for i := range entries {
		if _, head := entries[i].Part(); im.entries[r.ID][head.ID] {
			continue
		}
		im.touched[r.ID] = true
		a.entries = append(a.entries, newEntry{r.ID, &entries[i], pinned})
	}
	for i := range r.Readings {
		x := &r.Readings[i]
		if im.readings[r.ID][x.ID] {
			continue
		}
		im.touched[r.ID] = true
		row := store.ReadingRow{
			Reading:  x,
			Review:   r.ID,
			Version:  im.versions[r.Checklist],
			Reviewer: im.reviewers[x.Reviewer],
			Rig:      im.rigs[x.Rig],
			Pinned:   pinned,
		}
		if x.Received != nil {
			row.Received = *x.Received
		}
		a.readings = append(a.readings, row)
	}
}

// Empty reports whether nothing was ever recorded in this service.
func (s *Service) Empty(ctx context.Context) (bool, error) {
	n, err := s.ledger.Store.LastChange(ctx)
	if err != nil {
		return false, ledger.Failed(err, "reading the change log")
	}
	return n == 0, nil
}
