// Package intake takes records in and gives them out: imports, slips, bundles, archives.
package intake

import (
	"context"
	"maps"
	"slices"
	"time"

	"dappertally/core/bundle"
	"dappertally/core/catalogue"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/checklists"
	"dappertally/internal/ledger"
	"dappertally/internal/store"
)

// Import takes in a whole bundle that Parse found sound, all of it or nothing.
// What it brings must not be there yet. Reviewers without an account get one that
// cannot sign in.
//
// plans says, by review, who is to do what is not done yet, and by when.
func (s *Service) Import(
	ctx context.Context,
	who *access.Actor,
	b *bundle.Bundle,
	plans map[string]Plan,
) (int64, error) {
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		im := newImporter(tx)
		im.plans = plans
		return im.add(b, &course{})
	})
}

func (im *importer) add(b *bundle.Bundle, c *course) error {
	for _, step := range []func(*bundle.Bundle) error{im.people, im.catalogue, im.checklists} {
		if err := step(b); err != nil {
			return err
		}
	}
	if err := im.reviews(b, c); err != nil {
		return err
	}
	for _, sort := range []store.Sort{store.SortCatalogue, store.SortRig, store.SortChecklist} {
		if !im.brought[sort] {
			continue
		}
		if err := im.tx.Log("imported", sort, "*", ""); err != nil {
			return err
		}
	}
	if len(im.touched) == 0 {
		return nil
	}
	return im.tx.LogMany("imported", slices.Sorted(maps.Keys(im.touched)), "")
}

// Plan is who is to do a review, and by when.
type Plan struct {
	Assigned string // a person's name
	Due      string // YYYY-MM-DD
}

// importer adds what a bundle brings. What its maps know already is there and is not
// added.
type importer struct {
	plans                    map[string]Plan
	tx                       *store.Tx
	state                    *ledger.Records // before; nil where there is nothing yet
	reviewers                map[string]string
	versions, editions, rigs map[string]string          // ids by key
	above                    map[string]string          // ids of distributions and releases, by key
	readings, entries        map[string]map[string]bool // ids that are there, by review
	brought                  map[store.Sort]bool        // what something was added to, beside reviews
	touched                  map[string]bool            // ids of reviews that were added, or something in them
}

func newImporter(tx *store.Tx) importer {
	return importer{
		tx: tx, versions: map[string]string{}, editions: map[string]string{}, rigs: map[string]string{},
		above: map[string]string{}, brought: map[store.Sort]bool{}, touched: map[string]bool{},
	}
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
		if im.rigs[r.Key] != "" {
			continue
		}
		im.brought[store.SortRig] = true
		if im.rigs[r.Key], err = im.tx.AddRig(r); err != nil {
			return ledger.Exists(err, "there is a rig %q already", r.Key)
		}
	}
	for i := range b.Distributions {
		d := &b.Distributions[i]
		if im.above[d.Key] == "" {
			im.brought[store.SortCatalogue] = true
			if im.above[d.Key], err = im.tx.AddDistribution(d); err != nil {
				return ledger.Exists(err, "there is a distribution %q already", d.Key)
			}
		}
		for j := range d.Releases {
			if err := im.release(d.Key, &d.Releases[j]); err != nil {
				return err
			}
		}
	}
	return nil
}

func (im *importer) release(distribution string, r *catalogue.Release) (err error) {
	key := distribution + "/" + r.Version
	if im.above[key] == "" {
		im.brought[store.SortCatalogue] = true
		if im.above[key], err = im.tx.AddRelease(im.above[distribution], r); err != nil {
			return err
		}
	}
	for k := range r.Editions {
		e := &r.Editions[k]
		if im.editions[key+"/"+e.Key] != "" {
			continue
		}
		im.brought[store.SortCatalogue] = true
		if im.editions[key+"/"+e.Key], err = im.tx.AddEdition(im.above[key], e); err != nil {
			return err
		}
	}
	return nil
}

func (im *importer) checklists(b *bundle.Bundle) (err error) {
	for i := range b.Checklists {
		c := &b.Checklists[i]
		if im.versions[c.Name()] != "" {
			continue
		}
		im.brought[store.SortChecklist] = true
		if im.versions[c.Name()], err = im.tx.AddChecklist(c, im.begun(b, c.Name())); err != nil {
			return ledger.Exists(err, "there is a checklist %s already", c.Name())
		}
		if im.state == nil {
			continue
		}
		if err := checklists.KeepShown(im.tx, im.state, c); err != nil {
			return err
		}
	}
	return nil
}

// begun is when the work on a checklist version began, as far as the bundle tells: a
// version was in force when the first reading was made for it, and when the first
// review on it was accepted. What was carried over was read before.
func (im *importer) begun(b *bundle.Bundle, name string) time.Time {
	first := im.tx.Now()
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

// reviews adds reviews before those that continue them, then all readings.
func (im *importer) reviews(b *bundle.Bundle, c *course) error {
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
			if im.readings[r.ID][x.ID] {
				continue
			}
			// What comes to a review that is there waits for its next acceptance.
			fresh := im.readings[r.ID] == nil
			row := store.ReadingRow{
				Reading:  x,
				Review:   r.ID,
				Version:  im.versions[r.Checklist],
				Reviewer: im.reviewers[x.Reviewer],
				Rig:      im.rigs[x.Rig],
				Pinned:   fresh && r.Accepted != nil,
			}
			if x.Received != nil {
				row.Received = *x.Received
			}
			rows = append(rows, row)
			im.touched[r.ID] = true
		}
	}
	const batch = 5000
	for n := 0; n < len(rows); n += batch {
		if err := im.tx.AddReadings(rows[n:min(n+batch, len(rows))]); err != nil {
			return err
		}
		c.at("written", min(n+batch, len(rows)), len(rows))
	}
	return nil
}

func (im *importer) review(r *reading.Review) error {
	row := store.Review{
		Ref: store.Ref{ID: r.ID}, State: r.State, Continues: r.Continues, Carried: r.Carried, Due: im.plans[r.ID].Due,
	}
	if r.Accepted != nil {
		row.Accepted = *r.Accepted
	}
	if im.readings[r.ID] != nil {
		return im.record(r, false)
	}
	im.touched[r.ID] = true
	if err := im.tx.AddReview(&row, im.editions[r.Edition], im.versions[r.Checklist], im.reviewers[im.plans[r.ID].Assigned]); err != nil {
		return ledger.Exists(err, "there is a review %s already", r.ID)
	}
	return im.record(r, r.Accepted != nil)
}

// record adds those of a review's entries that are not there.
func (im *importer) record(r *reading.Review, pinned bool) error {
	entries := r.Entries()
	for i := range entries {
		if _, head := entries[i].Part(); im.entries[r.ID][head.ID] {
			continue
		}
		im.touched[r.ID] = true
		if err := im.tx.AddEntry(r.ID, 1, &entries[i], false, pinned); err != nil {
			return err
		}
	}
	return nil
}

// Empty reports whether nothing was ever recorded here.
func (s *Service) Empty(ctx context.Context) (bool, error) {
	n, err := s.ledger.Store.LastChange(ctx)
	if err != nil {
		return false, ledger.Failed(err, "reading the change log")
	}
	return n == 0, nil
}
