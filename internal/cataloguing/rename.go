package cataloguing

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/numerals"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// The kinds of catalogue entry that have keys.
const (
	SortDistribution = "distribution"
	SortRelease      = "release"
	SortEdition      = "edition"
	SortRig          = "rig"
)

// thing is an entry of the catalogue.
type thing struct {
	store.Ref
	sort, key   string // the full key
	parent      string // id; empty for distributions and rigs
	own, before string // the last part of the key, and the part before it
}

// find returns the entry of a kind with a full key, current or older.
func find(state *ledger.Records, sort, key string) (thing, error) {
	refs := state.Catalogue.Versions
	depth := map[string]int{SortDistribution: 0, SortRelease: 1, SortEdition: 2, SortRig: 0}
	if sort == SortRig {
		refs, key = state.Catalogue.RigVersions, state.Catalogue.ResolveRig(key)
	} else {
		key = state.Catalogue.Resolve(key)
	}
	ref, ok := refs[key]
	if !ok || strings.Count(key, "/") != depth[sort] {
		return thing{}, problem.New(problem.NotFound, "there is no %s %q", sort, key)
	}
	t := thing{Ref: ref, sort: sort, key: key}
	t.before, t.own = CutLast(key)
	t.parent = state.Catalogue.Versions[t.before].ID
	return t, nil
}

// Rename changes the key of a catalogue entry and returns its new full key. The old key redirects, and references by
// key are updated.
func (s *Service) Rename(
	ctx context.Context,
	who *access.Actor,
	sort, key, to string,
) (now string, change int64, err error) {
	if err := who.Permit(Rearrange); err != nil {
		return "", 0, err
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return "", 0, err
	}
	t, err := find(state, sort, key)
	if err != nil {
		return "", 0, err
	}
	var book fault.Book
	if sort == SortRelease {
		catalogue.ValidateRelease(&catalogue.Release{Version: to, Date: "2000-01-01"}, &book)
	} else {
		checklist.NoteKey(&book, "to", to)
	}
	if err := problem.From("the new key", book.List()); err != nil {
		return "", 0, err
	}
	if to == t.own {
		return t.key, state.Number, nil
	}
	now = to
	if t.before != "" {
		now = t.before + "/" + to
	}
	change, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.SetKey(sort, t.Ref, to); err != nil {
			return ledger.Exists(err, "a %s %s exists already; merge the two if they are the same", sort, now)
		}
		if err := tx.LeadOn(sort, t.parent, t.own, t.ID); err != nil {
			return err
		}
		if sort == SortRig {
			if err := tx.RenameDrafts(t.own, to); err != nil {
				return err
			}
		}
		if err := renameMentions(tx, state, &t, now, nil); err != nil {
			return err
		}
		return logMoved(tx, "renamed", sort, t.key, now, t.ID)
	})
	return now, change, err
}

// logMoved tells every instance that keys have changed, since reviews contain them. id is of the entry that has the
// key now.
func logMoved(tx *store.Tx, action, sort, key, now, id string) error {
	to := store.SortCatalogue
	if sort == SortRig {
		to = store.SortRig
	}
	if err := tx.Log(action, to, key, now); err != nil {
		return err
	}
	var touched []string // for a rig, all: its key occurs in many places of reviews
	if sort != SortRig {
		var err error
		if touched, err = tx.ReviewsUnder(sort, id); err != nil || len(touched) == 0 {
			return err
		}
	}
	return tx.LogMany(action+" "+sort, touched, key+" to "+now)
}

// renameMentions updates references by key: families, replaced releases, bases, and earlier rigs. gone holds the ids
// of rows that must not be changed any more.
func renameMentions(tx *store.Tx, state *ledger.Records, t *thing, now string, gone map[string]bool) error {
	if t.sort != SortRig {
		if err := tx.RenameSubjects(t.key, now); err != nil {
			return err
		}
	}
	m := mentions{tx: tx, thing: t, now: now, gone: gone}
	_, m.own = CutLast(now)
	for i := range state.Catalogue.Distributions {
		d := &state.Catalogue.Distributions[i]
		if err := m.distribution(state.Catalogue.Versions[d.Key], d); err != nil {
			return err
		}
		for j := range d.Releases {
			r := &d.Releases[j]
			if err := m.release(state.Catalogue.Versions[d.Key+"/"+r.Version], d.Key, r); err != nil {
				return err
			}
		}
	}
	for i := range state.Catalogue.Rigs {
		r := &state.Catalogue.Rigs[i]
		if err := m.rig(state.Catalogue.RigVersions[r.Key], r); err != nil {
			return err
		}
	}
	return nil
}

// mentions updates the references to one entry.
type mentions struct {
	tx    *store.Tx
	thing *thing
	now   string          // its full key now
	own   string          // the last part of it
	gone  map[string]bool // ids of rows that must not be changed
}

// distribution updates a family.
func (m *mentions) distribution(ref store.Ref, was *catalogue.Distribution) error {
	if m.thing.sort != SortDistribution || !slices.Contains(was.Family, m.thing.own) || m.gone[ref.ID] {
		return nil
	}
	d := *was
	d.Family = replace(d.Family, m.thing.own, m.own, d.Key)
	return m.tx.EditDistribution(ref, &d)
}

// release updates a base, and the releases that it replaces.
func (m *mentions) release(ref store.Ref, distribution string, was *catalogue.Release) error {
	r := *was
	r.BasedOn = renamed(was.BasedOn, m.thing.key, m.now)
	if m.thing.sort == SortRelease && distribution == m.thing.before {
		r.Replaces = replace(was.Replaces, m.thing.own, m.own, was.Version)
	}
	same := r.BasedOn == was.BasedOn && slices.Equal(r.Replaces, was.Replaces)
	if same || m.gone[ref.ID] || ref.ID == m.thing.ID {
		return nil
	}
	return m.tx.EditRelease(ref, &r)
}

// rig updates which rig a rig was before.
func (m *mentions) rig(ref store.Ref, was *catalogue.Rig) error {
	if m.thing.sort != SortRig || was.Replaces != m.thing.own || m.gone[ref.ID] || ref.ID == m.thing.ID {
		return nil
	}
	r := *was
	if r.Replaces = m.own; r.Key == m.own {
		r.Replaces = ""
	}
	return m.tx.EditRig(ref, &r)
}

// renamed returns a key with its beginning replaced, if it matches.
func renamed(key, old, now string) string {
	if key == old || strings.HasPrefix(key, old+"/") {
		return now + key[len(old):]
	}
	return key
}

// replace replaces one key by another, once, and never by the owner's own.
func replace(keys []string, old, now, owner string) []string {
	var out []string
	for _, k := range keys {
		if k == old {
			k = now
		}
		if k != owner && !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	return out
}

// Merge moves everything that belongs to a duplicate to the entry that stays and removes the duplicate, whose key
// redirects. moves lists what moves where. A trial changes nothing.
func (s *Service) Merge(
	ctx context.Context,
	who *access.Actor,
	sort, key, into string,
	trial bool,
) (moves []string, change int64, err error) {
	if err := who.Permit(Rearrange); err != nil {
		return nil, 0, err
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return nil, 0, err
	}
	from, err := find(state, sort, key)
	if err != nil {
		return nil, 0, err
	}
	to, err := find(state, sort, into)
	if err != nil {
		return nil, 0, err
	}
	if from.ID == to.ID {
		return nil, 0, problem.New(problem.Conflict, "%s and %s are already the same", key, into)
	}
	if sort == SortRig {
		if err := sameRig(state, from.key, to.key); err != nil {
			return nil, 0, err
		}
	}
	m := merger{state: state}
	change, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		m.tx, m.moves, m.gone = tx, []string{}, map[string]bool{}
		if err := m.merge(sort, &from, &to); err != nil {
			return err
		}
		if err := renameMentions(tx, state, &from, to.key, m.gone); err != nil {
			return err
		}
		if trial {
			return ledger.ErrTrial
		}
		return logMoved(tx, "merged", sort, from.key, to.key, to.ID)
	})
	if errors.Is(err, ledger.ErrTrial) {
		return m.moves, state.Number, nil
	}
	return m.moves, change, err
}

func sameRig(state *ledger.Records, a, b string) error {
	if !sameMachine(state.Catalogue.Rig(a), state.Catalogue.Rig(b)) {
		return problem.New(
			problem.Conflict,
			"%s and %s are different machines; their values cannot be combined",
			a,
			b,
		)
	}
	return nil
}

type merger struct {
	tx    *store.Tx
	state *ledger.Records
	moves []string
	gone  map[string]bool // ids of rows that were absorbed
}

func (m *merger) merge(sort string, from, to *thing) error {
	below := map[string]string{SortDistribution: SortRelease, SortRelease: SortEdition}[sort]
	if below != "" {
		if err := m.mergeBelow(below, from, to); err != nil {
			return err
		}
	}
	count, what := 0, ""
	var err error
	switch sort {
	case SortEdition:
		count, err = m.tx.CountReviews(from.ID)
		what = "review"
	case SortRig:
		count, err = m.tx.CountReadings(from.ID)
		what = "reading"
	}
	if err != nil {
		return err
	}
	if what != "" {
		m.moves = append(m.moves, fmt.Sprintf("%s: %s to move to %s", from.key, numerals.Count(count, what), to.key))
	}
	if err := m.tx.Absorb(sort, from.ID, to.ID); err != nil {
		return err
	}
	m.gone[from.ID] = true
	m.moves = append(m.moves, fmt.Sprintf("%s %s redirects to %s", sort, from.key, to.key))
	return m.tx.LeadOn(sort, from.parent, from.own, to.ID)
}

// mergeBelow moves releases or editions; those with the same key are merged.
func (m *merger) mergeBelow(sort string, from, to *thing) error {
	there, err := m.tx.Below(sort+"s", to.ID)
	if err != nil {
		return err
	}
	mine, err := m.tx.Below(sort+"s", from.ID)
	if err != nil {
		return err
	}
	for _, own := range slices.Sorted(maps.Keys(mine)) {
		child := thing{Ref: store.Ref{ID: mine[own]}, sort: sort, key: from.key + "/" + own, own: own, parent: from.ID}
		if twin, ok := there[own]; ok {
			if err := m.merge(sort, &child, &thing{Ref: store.Ref{ID: twin}, sort: sort, key: to.key + "/" + own, own: own, parent: to.ID}); err != nil {
				return err
			}
			continue
		}
		if err := m.tx.Rehang(sort, child.ID, to.ID); err != nil {
			return err
		}
		m.gone[child.ID] = true // its revision changed; its mentions follow with the next edit
		m.moves = append(m.moves, fmt.Sprintf("%s %s becomes %s/%s", sort, child.key, to.key, own))
	}
	return nil
}

// CutLast splits a key into that of its parent, empty if there is none, and its own part.
func CutLast(key string) (above, last string) {
	i := strings.LastIndexByte(key, '/')
	if i < 0 {
		return "", key
	}
	return key[:i], key[i+1:]
}
