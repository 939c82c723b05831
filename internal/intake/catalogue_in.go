package intake

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/fault"
	"dappertally/internal/access"
	"dappertally/internal/cataloguing"
	"dappertally/internal/imports"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// ImportCatalogue adds distributions, releases, editions and rigs, and corrects existing ones in the fields that the
// file states: all of them or, if one is refused, none. A trial writes nothing.
func (s *Service) ImportCatalogue(
	ctx context.Context,
	who *access.Actor,
	entries []imports.Entry,
	trial bool,
	w Watch,
) (Imported, error) {
	return s.importing(
		ctx,
		who,
		cataloguing.EditCatalogue,
		w,
		func(state *ledger.Records, tx *store.Tx, c *course) error {
			in := newCatalogueImport(state, tx, entries)
			if err := in.meet(entries, c); err != nil {
				return err
			}
			if trial || c.done.Refused > 0 || c.done.New+c.done.Changes == 0 {
				return ledger.ErrTrial
			}
			for i, x := range in.writes {
				if err := in.write(x); err != nil {
					return ledger.Exists(
						err, "somebody else changed the catalogue meanwhile; check the preview again",
					)
				}
				c.at("written", i+1, len(in.writes))
			}
			return nil
		},
	)
}

// catalogueImport compares the entries of a file with the catalogue.
type catalogueImport struct {
	state  *ledger.Records
	tx     *store.Tx
	rigs   map[string]bool   // keys that exist or that the file adds
	above  map[string]string // ids of distributions and releases by full key; empty until new ones are written
	lines  map[string]int    // line of each entry in the file, by full key; for a rig after "rig "
	writes []*catalogued
}

func newCatalogueImport(state *ledger.Records, tx *store.Tx, entries []imports.Entry) *catalogueImport {
	in := &catalogueImport{
		state: state,
		tx:    tx,
		rigs:  map[string]bool{},
		above: map[string]string{},
		lines: map[string]int{},
	}
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

// meet determines the outcome of every entry, in the order of the file. Parents come before their children, wherever
// the file has them.
func (in *catalogueImport) meet(entries []imports.Entry, c *course) error {
	order := make([]int, len(entries))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		return cmp.Compare(slices.Index(imports.Kinds, entries[a].Kind), slices.Index(imports.Kinds, entries[b].Kind))
	})
	outcomes := make([]Outcome, len(entries))
	for n, i := range order {
		o, err := in.entry(&entries[i])
		if err != nil {
			return err
		}
		outcomes[i] = o
		c.at("checked", n+1, len(entries))
	}
	for i := range outcomes {
		c.note(outcomes[i])
	}
	return nil
}

func (in *catalogueImport) entry(e *imports.Entry) (Outcome, error) {
	o := Outcome{
		Line:    e.Line,
		Fate:    FateRefused,
		Subject: strings.TrimSpace(string(e.Kind) + " " + e.Key),
		Column:  e.Column,
		Why:     e.Fault,
	}
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
	t := in.find(e.Kind, key)
	if t == nil {
		above, _ := cataloguing.CutLast(key)
		o.Column, o.Why = "key", fmt.Sprintf("there is no %s in the catalogue or in this file", above)
		if line := in.lines[above]; line > 0 {
			o.Why = fmt.Sprintf("%s is refused, see line %d", above, line)
		}
		return o, nil
	}
	var book fault.Book
	e.Apply(t.is, &book)
	t.check(&book, in.rigs)
	if faults := book.List(); len(faults) > 0 {
		o.Column, o.Why = columnOf(faults), faults.Line()
		o.Line = e.LineOf(o.Column)
		return o, nil
	}
	o.Answer = t.label()
	if t.was == nil {
		o.Fate, o.Column = FateNew, ""
		in.announce(e.Kind, key)
		in.writes = append(in.writes, t)
		return o, nil
	}
	return o, in.correct(t, &o, e.Key != key)
}

// correct determines what a file changes in an existing entry.
func (in *catalogueImport) correct(t *catalogued, o *Outcome, renamed bool) error {
	changes := imports.Differences(t.was, t.is)
	var says []string
	if renamed {
		says = append(says, "its new name is "+t.key)
	}
	if len(changes) == 0 {
		o.Fate, o.Why = FateSame, strings.Join(says, "; ")
		return nil
	}
	if is, ok := t.is.(*catalogue.Rig); ok {
		why, err := cataloguing.FixedRig(in.tx, t.ref.ID, t.was.(*catalogue.Rig), is)
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
	in.writes = append(in.writes, t)
	return nil
}

// now returns the current key of an entry that was renamed.
func (in *catalogueImport) now(e *imports.Entry) string {
	if e.Kind == imports.Rig {
		return in.state.Catalogue.ResolveRig(e.Key)
	}
	now := in.state.Catalogue.Resolve(e.Key)
	if _, known := in.above[now]; known {
		return now
	}
	if above, own := cataloguing.CutLast(e.Key); above != "" {
		// A new entry may have a renamed parent.
		return in.state.Catalogue.Resolve(above) + "/" + own
	}
	return now
}

// announce makes an entry that will be written known to its children.
func (in *catalogueImport) announce(kind imports.Kind, key string) {
	if kind != imports.Rig {
		in.above[key] = ""
	}
}

// catalogued is one catalogue entry as it is and as the file states it.
type catalogued struct {
	key     string
	ref     store.Ref
	was, is any // pointers to a type of the catalogue; was is nil for a new one
}

// find finds the entry with a key, or starts a new one; nil if its parent is missing.
func (in *catalogueImport) find(kind imports.Kind, key string) *catalogued {
	above, own := cataloguing.CutLast(key)
	if _, there := in.above[above]; above != "" && !there {
		return nil
	}
	t := &catalogued{key: key, ref: in.state.Catalogue.Versions[key]}
	switch kind {
	case imports.Distribution:
		t.is = &catalogue.Distribution{Key: key, Family: []string{}}
		if old := in.state.Catalogue.Distribution(key); old != nil {
			t.was, t.is = old, copyOf(old)
		}
	case imports.Release:
		t.is = &catalogue.Release{Version: own}
		if old := in.state.Catalogue.Release(key); old != nil {
			t.was, t.is = old, copyOf(old)
		}
	case imports.Edition:
		t.is = &catalogue.Edition{Key: own}
		if old, ok := in.state.Edition(key); ok {
			t.was, t.is = &old, copyOf(&old)
		}
	case imports.Rig:
		t.is, t.ref = &catalogue.Rig{Key: key}, in.state.Catalogue.RigVersions[key]
		if old := in.state.Catalogue.Rig(key); old != nil {
			t.was, t.is = old, copyOf(old)
		}
	}
	return t
}

func copyOf[T any](x *T) *T {
	y := *x
	return &y
}

// check fills in what the file leaves out and reports faults. rigs are the keys that will exist.
func (t *catalogued) check(book *fault.Book, rigs map[string]bool) {
	switch x := t.is.(type) {
	case *catalogue.Distribution:
		catalogue.ValidateDistribution(x, book)
	case *catalogue.Release:
		catalogue.ValidateRelease(x, book)
	case *catalogue.Edition:
		x.Line = cmp.Or(x.Line, x.Key)
		catalogue.ValidateEdition(x, book)
	case *catalogue.Rig:
		catalogue.ValidateRig(x, book)
		if x.Replaces != "" && !rigs[x.Replaces] {
			book.Field("replaces", "there is no rig %q", x.Replaces)
		}
	}
}

// label describes the entry in a few words.
func (t *catalogued) label() string {
	switch x := t.is.(type) {
	case *catalogue.Distribution:
		return joined(x.Name, x.Model)
	case *catalogue.Release:
		return joined(x.Codename, x.Date)
	case *catalogue.Edition:
		return joined(x.Label(), x.Architecture)
	case *catalogue.Rig:
		return joined(x.Name, x.Class)
	}
	return ""
}

// write adds or corrects one entry. A correction is based on the revision that the preview was compared with.
func (in *catalogueImport) write(t *catalogued) (err error) {
	sort, action := store.SortCatalogue, "added"
	if t.was != nil {
		action = "corrected"
	}
	above, _ := cataloguing.CutLast(t.key)
	switch x := t.is.(type) {
	case *catalogue.Distribution:
		if t.was != nil {
			err = in.tx.EditDistribution(t.ref, x)
		} else {
			in.above[t.key], err = in.tx.AddDistribution(x)
		}
	case *catalogue.Release:
		if t.was != nil {
			err = in.tx.EditRelease(t.ref, x)
		} else {
			in.above[t.key], err = in.tx.AddRelease(in.above[above], x)
		}
	case *catalogue.Edition:
		if t.was != nil {
			err = in.tx.EditEdition(t.ref, x)
		} else {
			_, err = in.tx.AddEdition(in.above[above], x)
		}
	case *catalogue.Rig:
		sort = store.SortRig
		if t.was != nil {
			err = in.tx.EditRig(t.ref, x)
		} else {
			err = in.tx.AddRig(ledger.NewID(), x)
		}
	}
	switch {
	case errors.Is(err, store.ErrStale):
		return problem.New(problem.Conflict, "somebody else changed %s meanwhile; check the preview again", t.key)
	case err != nil:
		return err
	}
	return in.tx.Log(action, sort, t.key, "")
}

func joined(parts ...string) string {
	return strings.Join(slices.DeleteFunc(parts, func(s string) bool { return s == "" }), ", ")
}
