package service

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/fault"
	"dappertally/internal/board"
	"dappertally/internal/imports"
	"dappertally/internal/store"
)

// ImportCatalogue adds distributions, releases, editions and rigs, and corrects those
// that are there in the fields that the file states: all of them or, where one is
// refused, none. On trial nothing is written.
func (s *Service) ImportCatalogue(ctx context.Context, who *Actor, entries []imports.Entry, trial bool, w Watch) (Imported, error) {
	var done Imported
	if err := who.permit(EditCatalogue); err != nil {
		return done, err
	}
	state, err := s.latest(ctx)
	if err != nil {
		return done, err
	}
	change, err := s.write(ctx, who, func(tx *store.Tx) error {
		in := newCatalogueImport(state, tx, entries)
		outcomes, err := in.meet(entries)
		if err != nil {
			return err
		}
		done = Imported{}
		for i := range outcomes {
			done.count(outcomes[i].Fate)
			w.Row(&outcomes[i])
		}
		if trial || done.Refused > 0 || done.New+done.Changes == 0 {
			return errTrial
		}
		for i, write := range in.writes {
			if err := write(); err != nil {
				return exists(err, "somebody else changed the catalogue meanwhile; look at the preview again")
			}
			if i%100 == 99 {
				w.Progress("written", i+1, len(in.writes))
			}
		}
		return nil
	})
	return done.written(change, err)
}

// catalogueImport holds the entries of a file against the catalogue.
type catalogueImport struct {
	state  *board.State
	tx     *store.Tx
	rigs   map[string]bool   // keys that are there or that the file brings
	above  map[string]string // ids of distributions and releases by full key; empty until what is new is written
	lines  map[string]int    // where the file has what, by full key; of a rig behind "rig "
	writes []func() error
}

func newCatalogueImport(state *board.State, tx *store.Tx, entries []imports.Entry) *catalogueImport {
	in := &catalogueImport{state: state, tx: tx, rigs: map[string]bool{}, above: map[string]string{}, lines: map[string]int{}}
	for key := range state.Catalogue.RigVersions {
		in.rigs[key] = true
	}
	for i := range entries {
		if entries[i].Kind == imports.Rig {
			in.rigs[entries[i].Key] = true
		}
	}
	for key, ref := range state.Catalogue.Versions {
		in.above[key] = ref.ID
	}
	return in
}

// meet works out what becomes of every entry, in the order of the file. What lies in
// something comes behind it, wherever the file has it.
func (in *catalogueImport) meet(entries []imports.Entry) ([]Outcome, error) {
	order := make([]int, len(entries))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		return cmp.Compare(slices.Index(imports.Kinds, entries[a].Kind), slices.Index(imports.Kinds, entries[b].Kind))
	})
	outcomes := make([]Outcome, len(entries))
	for _, i := range order {
		o, err := in.entry(&entries[i])
		if err != nil {
			return nil, err
		}
		outcomes[i] = o
	}
	return outcomes, nil
}

func (in *catalogueImport) entry(e *imports.Entry) (Outcome, error) {
	o := Outcome{Line: e.Line, Fate: FateRefused, Subject: strings.TrimSpace(string(e.Kind) + " " + e.Key), Column: e.Column, Why: e.Fault}
	if e.Fault != "" {
		return o, nil
	}
	key := in.now(e)
	name := key
	if e.Kind == imports.Rig {
		name = "rig " + key
	}
	if line := in.lines[name]; line > 0 {
		o.Column, o.Why = "key", fmt.Sprintf("line %d has it already", line)
		return o, nil
	}
	in.lines[name] = e.Line
	t := in.thing(e.Kind, key)
	if t == nil {
		above, _ := cutLast(key)
		o.Column, o.Why = "key", fmt.Sprintf("there is no %s in the catalogue or in this file", above)
		if line := in.lines[above]; line > 0 {
			o.Why = fmt.Sprintf("%s is refused, see line %d", above, line)
		}
		return o, nil
	}
	var book fault.Book
	e.Apply(t.is, &book)
	t.finish()
	t.check(&book)
	if faults := book.List(); len(faults) > 0 {
		o.Column, o.Why = columnOf(faults), faults.Line()
		o.Line = e.LineOf(o.Column)
		return o, nil
	}
	o.Answer = t.label()
	if t.was == nil {
		o.Fate, o.Column = FateNew, ""
		in.announce(e.Kind, key)
		in.writes = append(in.writes, t.add)
		return o, nil
	}
	return o, in.correct(t, &o, e.Key != key)
}

// correct works out what a file changes of a thing that is there.
func (in *catalogueImport) correct(t *catalogued, o *Outcome, renamed bool) error {
	changes := imports.Differences(t.was, t.is)
	var says []string
	if renamed {
		says = append(says, "it is called "+t.key+" now")
	}
	if len(changes) == 0 {
		o.Fate, o.Why = FateSame, strings.Join(says, "; ")
		return nil
	}
	if t.fixed != nil {
		why, err := t.fixed()
		if err != nil {
			return err
		}
		if why != "" {
			o.Column, o.Why = changes[0].Field, why
			return nil
		}
	}
	for _, d := range changes {
		says = append(says, fmt.Sprintf("%s was %s, is %s", d.Field, d.Was, d.Is))
	}
	o.Fate, o.Column, o.Why = FateChanges, "", strings.Join(says, "; ")
	in.writes = append(in.writes, t.edit)
	return nil
}

// now is the key that an entry has today, where it was renamed.
func (in *catalogueImport) now(e *imports.Entry) string {
	if e.Kind == imports.Rig {
		return in.state.Catalogue.ResolveRig(e.Key)
	}
	if _, fresh := in.above[e.Key]; fresh {
		return e.Key
	}
	if above, last := cutLast(e.Key); above != "" {
		// A new release of a distribution that was renamed.
		return cmp.Or(resolved(in.state, e.Key), in.state.Catalogue.Resolve(above)+"/"+last)
	}
	return in.state.Catalogue.Resolve(e.Key)
}

// resolved is where an old key leads; empty where it leads nowhere.
func resolved(state *board.State, key string) string {
	if now := state.Catalogue.Resolve(key); now != key {
		return now
	}
	return ""
}

func cutLast(key string) (above, last string) {
	i := strings.LastIndexByte(key, '/')
	if i < 0 {
		return "", key
	}
	return key[:i], key[i+1:]
}

// announce lets entries below find what is going to be written.
func (in *catalogueImport) announce(kind imports.Kind, key string) {
	if kind != imports.Rig {
		in.above[key] = ""
	}
}

// catalogued is one entry of the catalogue with what can be done to it.
type catalogued struct {
	key     string
	was, is any // pointers to a type of the catalogue; was is nil for what is new
	finish  func()
	check   func(*fault.Book)
	label   func() string
	fixed   func() (why string, err error) // why it may not change; nil: it may
	add     func() error
	edit    func() error
}

// thing finds what a key names, or begins it; nil where that which it lies in is missing.
func (in *catalogueImport) thing(kind imports.Kind, key string) *catalogued {
	above, last := cutLast(key)
	if _, there := in.above[above]; above != "" && !there {
		return nil
	}
	switch kind {
	case imports.Distribution:
		return in.distribution(key)
	case imports.Release:
		return in.release(key, above, last)
	case imports.Edition:
		return in.edition(key, above, last)
	}
	return in.rig(key)
}

func (in *catalogueImport) distribution(key string) *catalogued {
	is := catalogue.Distribution{Key: key, Family: []string{}}
	t := &catalogued{key: key, is: &is, finish: func() {}, check: func(b *fault.Book) { catalogue.ValidateDistribution(&is, b) },
		label: func() string { return joined(is.Name, is.Model) }}
	if old := in.state.Catalogue.Distribution(key); old != nil {
		was := *old
		t.was, is = &was, was
	}
	t.add = func() (err error) {
		if in.above[key], err = in.tx.AddDistribution(&is); err != nil {
			return err
		}
		return in.tx.Log("added", store.SortCatalogue, key, "")
	}
	t.edit = in.editing(store.SortCatalogue, key, func(ref store.Ref) error { return in.tx.EditDistribution(ref, &is) })
	return t
}

func (in *catalogueImport) release(key, above, version string) *catalogued {
	is := catalogue.Release{Version: version}
	t := &catalogued{key: key, is: &is, finish: func() {}, check: func(b *fault.Book) { catalogue.ValidateRelease(&is, b) },
		label: func() string { return joined(is.Codename, is.Date) }}
	if old := in.state.Catalogue.Release(key); old != nil {
		was := *old
		t.was, is = &was, was
	}
	t.add = func() (err error) {
		if in.above[key], err = in.tx.AddRelease(in.above[above], &is); err != nil {
			return err
		}
		return in.tx.Log("added", store.SortCatalogue, key, "")
	}
	t.edit = in.editing(store.SortCatalogue, key, func(ref store.Ref) error { return in.tx.EditRelease(ref, &is) })
	return t
}

func (in *catalogueImport) edition(key, above, last string) *catalogued {
	is := catalogue.Edition{Key: last}
	t := &catalogued{key: key, is: &is, finish: func() { is.Line = cmp.Or(is.Line, is.Key) }, check: func(b *fault.Book) { catalogue.ValidateEdition(&is, b) },
		label: func() string { return joined(is.Label(), is.Architecture) }}
	if was, ok := in.state.Edition(key); ok {
		t.was, is = &was, was
	}
	t.add = func() error {
		if _, err := in.tx.AddEdition(in.above[above], &is); err != nil {
			return err
		}
		return in.tx.Log("added", store.SortCatalogue, key, "")
	}
	t.edit = in.editing(store.SortCatalogue, key, func(ref store.Ref) error { return in.tx.EditEdition(ref, &is) })
	return t
}

func (in *catalogueImport) rig(key string) *catalogued {
	is := catalogue.Rig{Key: key}
	t := &catalogued{key: key, is: &is, finish: func() {}, label: func() string { return joined(is.Name, is.Class) }, check: func(b *fault.Book) {
		catalogue.ValidateRig(&is, b)
		if is.Replaces != "" && !in.rigs[is.Replaces] {
			b.Field("replaces", "there is no rig %q", is.Replaces)
		}
	}}
	if i := slices.IndexFunc(in.state.Catalogue.Rigs, func(r catalogue.Rig) bool { return r.Key == key }); i >= 0 {
		was := in.state.Catalogue.Rigs[i]
		t.was, is = &was, was
		t.fixed = func() (string, error) { return fixedRig(in.tx, in.state.Catalogue.RigVersions[key].ID, &was, &is) }
	}
	t.add = func() error {
		if _, err := in.tx.AddRig(&is); err != nil {
			return err
		}
		return in.tx.Log("added", store.SortRig, key, "")
	}
	t.edit = in.editing(store.SortRig, key, func(ref store.Ref) error { return in.tx.EditRig(ref, &is) })
	return t
}

// editing writes a correction based on what the preview was held against.
func (in *catalogueImport) editing(sort store.Sort, key string, edit func(store.Ref) error) func() error {
	return func() error {
		ref := in.state.Catalogue.Versions[key]
		if sort == store.SortRig {
			ref = in.state.Catalogue.RigVersions[key]
		}
		if err := edit(ref); errors.Is(err, store.ErrStale) {
			return problem(Conflict, "somebody else changed %s meanwhile; look at the preview again", key)
		} else if err != nil {
			return err
		}
		return in.tx.Log("corrected", sort, key, "")
	}
}

func joined(parts ...string) string {
	return strings.Join(slices.DeleteFunc(parts, func(s string) bool { return s == "" }), ", ")
}
