package service

import (
	"context"
	"fmt"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/reading"
	"dappertally/internal/board"
	"dappertally/internal/store"
)

// CarriedReview is a review that was, or would be, carried over to a newer version.
type CarriedReview struct {
	reading.Carried
	From    string // the review that it was carried over from
	Edition string
	ID      string // the new review; empty on a trial
}

// CarryOver makes, for each of the reviews, a new one on the version named: what is
// asked alike there is kept, the rest is to be answered. All of them or none are
// carried over; a trial changes nothing. No ids means every review that stands on
// another version of the same checklist.
func (s *Service) CarryOver(ctx context.Context, who *Actor, ids []string, to string, trial bool) ([]CarriedReview, int64, error) {
	if err := who.permit(PlanReview); err != nil {
		return nil, 0, err
	}
	state, err := s.latest(ctx)
	if err != nil {
		return nil, 0, err
	}
	newer, err := version(state, to)
	if err != nil {
		return nil, 0, err
	}
	if newer.State != checklist.InForce {
		return nil, 0, problem(Conflict, "%s is %s; reviews are carried over to a version in force", to, newer.State)
	}
	all, err := s.store.Reviews(ctx)
	if err != nil {
		return nil, 0, failed(err, "reading reviews")
	}
	c := carrier{Service: s, state: state, newer: newer, all: all}
	chosen, err := c.choose(ids)
	if err != nil {
		return nil, 0, err
	}
	out := make([]CarriedReview, len(chosen))
	rows := make([][]store.ReadingRow, len(chosen))
	entries := make([][]reading.Entry, len(chosen))
	for i, r := range chosen {
		if out[i], entries[i], rows[i], err = c.prepare(ctx, r); err != nil {
			return nil, 0, err
		}
	}
	if trial {
		return out, 0, nil
	}
	change, err := s.write(ctx, who, func(tx *store.Tx) error {
		for i, r := range chosen {
			if out[i].ID, err = c.carry(tx, r, entries[i], rows[i]); err != nil {
				return err
			}
		}
		return nil
	})
	return out, change, err
}

type carrier struct {
	*Service
	state *board.State
	newer *checklist.Checklist
	all   []store.Review
}

// choose finds the reviews that are meant and checks that each can be carried over.
func (c *carrier) choose(ids []string) ([]*store.Review, error) {
	var chosen []*store.Review
	if len(ids) == 0 {
		for i := range c.all {
			r := &c.all[i]
			older, err := version(c.state, r.Checklist)
			if err != nil || older.Key != c.newer.Key || older.Version >= c.newer.Version || !stands(r) || !c.latest(r) || c.reviewed(r.Edition) {
				continue
			}
			// Of an edition that stands on several older versions, the newest goes on.
			before := slices.IndexFunc(chosen, func(x *store.Review) bool { return x.Edition == r.Edition })
			if before < 0 {
				chosen = append(chosen, r)
			} else if old, err := version(c.state, chosen[before].Checklist); err == nil && older.Version > old.Version {
				chosen[before] = r
			}
		}
		if len(chosen) == 0 {
			return nil, problem(Conflict, "no review on an older version is left to be carried over to %s", c.newer.Name())
		}
		return chosen, nil
	}
	var book fault.Book
	for n, id := range ids {
		i := slices.IndexFunc(c.all, func(r store.Review) bool { return r.ID == id })
		pointer := fmt.Sprintf("reviews/%d", n)
		if i < 0 {
			book.Field(pointer, "there is no review %s", id)
			continue
		}
		r := &c.all[i]
		older, err := version(c.state, r.Checklist)
		switch already := c.carried(r); {
		case slices.Contains(ids[:n], id):
			book.Field(pointer, "is named twice")
		case err != nil || older.Key != c.newer.Key || older.Version >= c.newer.Version:
			book.Field(pointer, "%s was made on %s, which is not an older version of %s", r.Edition, r.Checklist, c.newer.Name())
		case r.State == reading.Withdrawn:
			book.Field(pointer, "%s: the review was withdrawn", r.Edition)
		case already != "":
			book.Field(pointer, "%s was carried over to %s before, as review %s", r.Edition, c.newer.Name(), already)
		default:
			chosen = append(chosen, r)
		}
	}
	return chosen, invalid("nothing", book.List())
}

// carried is the review on the newer version that r was carried over to before.
func (c *carrier) carried(r *store.Review) string {
	for i := range c.all {
		if x := &c.all[i]; x.Carried == r.ID && x.Checklist == c.newer.Name() && x.State != reading.Withdrawn {
			return x.ID
		}
	}
	return ""
}

// reviewed reports whether the edition has a review on the newer version already.
func (c *carrier) reviewed(edition string) bool {
	return slices.ContainsFunc(c.all, func(x store.Review) bool {
		return x.Edition == edition && x.Checklist == c.newer.Name() && x.State != reading.Withdrawn
	})
}

// latest reports whether no later review of the same edition and version stands.
func (c *carrier) latest(r *store.Review) bool {
	return !slices.ContainsFunc(c.all, func(x store.Review) bool {
		return x.Edition == r.Edition && x.Checklist == r.Checklist && stands(&x) && (x.Accepted.After(r.Accepted) || (x.Accepted.Equal(r.Accepted) && x.ID > r.ID))
	})
}

// prepare collects what a review, and those that it continues, have for the newer
// version. Of a review that stands only what its acceptance pinned is taken.
func (c *carrier) prepare(ctx context.Context, r *store.Review) (CarriedReview, []reading.Entry, []store.ReadingRow, error) {
	older, err := version(c.state, r.Checklist)
	if err != nil {
		return CarriedReview{}, nil, nil, err
	}
	var readings []reading.Reading
	var entries []reading.Entry
	known, replaced := map[string]bool{}, map[string]bool{}
	for x := r; x != nil; x = c.find(x.Continues) {
		own, err := c.store.Readings(ctx, x.ID, stands(x))
		if err != nil {
			return CarriedReview{}, nil, nil, failed(err, "reading readings")
		}
		for _, one := range own {
			if known[one.ID] || (one.Replaces != "" && replaced[one.Replaces]) {
				continue
			}
			known[one.ID], replaced[one.Replaces] = true, true
			readings = append(readings, one)
		}
		written, err := c.store.Entries(ctx, x.ID, stands(x))
		if err != nil {
			return CarriedReview{}, nil, nil, failed(err, "reading a review's record")
		}
		for _, e := range written {
			if _, head := e.Part(); !known[head.ID] && c.holds(&e.Entry) {
				known[head.ID] = true
				entries = append(entries, e.Entry)
			}
		}
	}
	carried, kept := reading.Carry(older, c.newer, readings)
	rows := make([]store.ReadingRow, len(kept))
	for i := range kept {
		x := &kept[i]
		rows[i] = store.ReadingRow{Reading: x, Version: c.state.Checklists.Versions[c.newer.Name()].ID, Rig: c.state.Catalogue.RigVersions[x.Rig].ID}
		if x.Received != nil {
			rows[i].Received = *x.Received
		}
	}
	return CarriedReview{Carried: carried, From: r.ID, Edition: r.Edition}, entries, rows, nil
}

// holds reports whether an entry makes sense on the newer version: one about a
// criterion that is no longer asked stays behind.
func (c *carrier) holds(e *reading.Entry) bool {
	var book fault.Book
	reading.ValidateEntry(e, c.newer, &book)
	return len(book.List()) == 0
}

func (c *carrier) find(id string) *store.Review {
	i := slices.IndexFunc(c.all, func(r store.Review) bool { return r.ID == id })
	if i < 0 {
		return nil
	}
	return &c.all[i]
}

func (c *carrier) carry(tx *store.Tx, r *store.Review, entries []reading.Entry, rows []store.ReadingRow) (string, error) {
	// The lock lets nobody else carry the same review over in the meantime.
	if _, _, err := tx.LockReview(r.ID); err != nil {
		return "", err
	}
	newer := c.state.Checklists.Versions[c.newer.Name()].ID
	already, err := tx.CarriedTo(r.ID, newer)
	if err != nil {
		return "", err
	}
	if already {
		return "", problem(Conflict, "%s is being carried over to %s by somebody else", r.Edition, c.newer.Name())
	}
	people, err := tx.PeopleIDs()
	if err != nil {
		return "", err
	}
	next := store.Review{
		Ref: store.Ref{ID: store.NewID()}, State: reading.Underway, Carried: r.ID,
		Reason: fmt.Sprintf("carried over from %s", r.Checklist),
	}
	if err := tx.AddReview(&next, c.state.Catalogue.Versions[r.Edition].ID, newer, people[r.Assigned]); err != nil {
		return "", err
	}
	for i := range entries {
		if err := tx.AddEntry(next.ID, 1, &entries[i], false, false); err != nil {
			return "", err
		}
	}
	for i := range rows {
		rows[i].Review, rows[i].Reviewer = next.ID, people[rows[i].Reading.Reviewer]
	}
	if err := tx.AddReadings(rows); err != nil {
		return "", err
	}
	return next.ID, tx.Log("carried over", store.SortReview, next.ID, r.Edition)
}
