package intake

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/imports"
	"dappertally/internal/ledger"
	"dappertally/internal/reviewing"
	"dappertally/internal/store"
)

// reviewBook is one review with its content, and the additions so far.
type reviewBook struct {
	review  store.Review
	list    *checklist.Checklist
	version string
	byID    map[string]*reading.Reading
	at      map[string]*reading.Reading // by place and moment
	last    map[string]*reading.Reading // by place: the newest that was not replaced
	by      map[string]string           // the reading that replaces one, by their ids
	hidden  map[string]bool             // ids of grades that the actor must not see yet
	states  map[string]bool
	lines   map[string]int // rows of this file, by id
	added   int
}

// place is what readings of one subject by one person share.
func place(x *reading.Reading) string {
	return strings.Join(
		[]string{x.Criterion, x.Reviewer, x.Rig, x.Context.Method, x.Context.Setup, x.Context.Phase}, "\x00",
	)
}

func moment(x *reading.Reading) string {
	return place(x) + "\x00" + x.At.UTC().Format(time.RFC3339Nano)
}

func (b *reviewBook) note(x *reading.Reading) {
	b.byID[x.ID], b.at[moment(x)] = x, x
	if x.Replaces != "" {
		b.by[x.Replaces] = x.ID
	}
	if old := b.last[place(x)]; old == nil || x.Replaces == old.ID || !x.At.Before(old.At) {
		b.last[place(x)] = x
	}
}

// lock locks every review of the drafts, in a fixed order, so that two imports at once do not deadlock.
func (in *taker) lock(drafts []imports.Draft) (err error) {
	if in.people, err = in.tx.PeopleIDs(); err != nil {
		return err
	}
	ids := map[string]bool{}
	for i := range drafts {
		if r, _ := in.find(&drafts[i]); r != nil {
			ids[r.ID] = true
		}
	}
	for _, id := range slices.Sorted(maps.Keys(ids)) {
		if err := in.open(id); err != nil {
			return err
		}
	}
	return nil
}

func (in *taker) open(id string) error {
	i := slices.IndexFunc(in.reviews, func(r *store.Review) bool { return r.ID == id })
	b := &reviewBook{
		review: *in.reviews[i],
		byID:   map[string]*reading.Reading{},
		at:     map[string]*reading.Reading{},
		last:   map[string]*reading.Reading{},
		by:     map[string]string{},
		states: map[string]bool{"": true},
		lines:  map[string]int{},
	}
	var err error
	if b.review.State, b.version, err = in.tx.LockReview(id); err != nil {
		return err
	}
	if b.list, err = scoring.Newest(in.state.Checklists.Lists, b.review.Checklist); err != nil {
		return ledger.Failed(err, "finding a review's checklist")
	}
	there, err := in.tx.Readings(id)
	if err != nil {
		return err
	}
	for i := range there {
		b.note(&there[i])
	}
	if b.hidden, err = reviewing.HiddenOf(in.tx, in.who, &b.review, there); err != nil {
		return err
	}
	for r := &b.review; ; {
		entries, err := in.tx.Entries(r.ID)
		if err != nil {
			return ledger.Failed(err, "reading a review's record")
		}
		for _, e := range entries {
			if e.System != nil {
				b.states[e.System.ID] = true
			}
		}
		j := slices.IndexFunc(in.reviews, func(x *store.Review) bool { return x.ID == r.Continues })
		if j < 0 {
			break
		}
		r = in.reviews[j]
	}
	in.books[id] = b
	return nil
}

// target is the review of a draft, or why there is none.
type target struct {
	review *store.Review
	err    error
}

// find returns the review of a draft. Many drafts name the same.
func (in *taker) find(d *imports.Draft) (*store.Review, error) {
	named := [2]string{d.Review, d.Edition}
	known, ok := in.targets[named]
	if !ok {
		known.review, known.err = in.search(d)
		in.targets[named] = known
	}
	return known.review, known.err
}

func (in *taker) search(d *imports.Draft) (*store.Review, error) {
	if d.Review != "" {
		i := slices.IndexFunc(in.reviews, func(r *store.Review) bool { return r.ID == d.Review })
		if i < 0 {
			return nil, fmt.Errorf("there is no review %.70q", d.Review)
		}
		return in.reviews[i], nil
	}
	if d.Edition == "" {
		return nil, errors.New("neither the row nor the mapping names the edition or review")
	}
	edition := in.state.Catalogue.Resolve(d.Edition)
	var open []*store.Review
	var latest *store.Review
	for i := range in.reviews {
		r := in.reviews[i]
		switch {
		case r.Edition != edition || r.State == reading.Withdrawn:
		case r.State != reading.Accepted:
			open = append(open, r)
		case latest == nil || r.Accepted.After(latest.Accepted):
			latest = r
		}
	}
	switch {
	case len(open) == 1:
		return open[0], nil
	case len(open) > 1:
		return nil, fmt.Errorf("%s has %d open reviews; name one by its id", edition, len(open))
	case latest != nil:
		return latest, nil
	}
	if _, ok := in.state.Edition(edition); !ok {
		return nil, fmt.Errorf("there is no edition %.100q; write distribution/release/edition", d.Edition)
	}
	return nil, fmt.Errorf("%s has no open review; plan one first", edition)
}
