package intake

import (
	"context"
	"fmt"
	"slices"

	"dappertally/core/bundle"
	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/imports"
	"dappertally/internal/ledger"
	"dappertally/internal/numerals"
	"dappertally/internal/reviewing"
	"dappertally/internal/store"
)

// ImportBundle imports what a valid bundle holds and the service does not have, all of it or nothing. It refuses what
// differs from existing records: a bundle never changes what was recorded.
func (s *Service) ImportBundle(
	ctx context.Context,
	who *access.Actor,
	b *bundle.Bundle,
	trial bool,
	w Watch,
) (Imported, error) {
	if err := who.Permit(ImportBundle); err != nil {
		return Imported{}, err
	}
	c, end := w.follow()
	defer end()
	change, err := s.bring(ctx, who, c, func(state *ledger.Records, tx *store.Tx) (*arrivals, error) {
		m := s.meeting(who, tx, state, c)
		if err := m.meet(b); err != nil {
			return nil, err
		}
		if trial || c.done.Refused > 0 || c.done.New == 0 {
			return nil, ledger.ErrTrial
		}
		return m.im.find(b, tx)
	})
	done, err := c.done.written(change, err)
	if done.Written {
		for _, c := range b.Checklists {
			done.Change = s.checklists.Succeed(ctx, who, c.Key, done.Change)
		}
	}
	return done, err
}

func (s *Service) meeting(who *access.Actor, tx *store.Tx, state *ledger.Records, c *course) *meeting {
	m := &meeting{who: who, tx: tx, state: state, course: c, im: newImporter()}
	m.im.state = state
	m.im.readings, m.im.entries = map[string]map[string]bool{}, map[string]map[string]bool{}
	return m
}

// meeting compares a bundle with the existing records.
type meeting struct {
	who    *access.Actor
	tx     *store.Tx
	state  *ledger.Records
	im     importer
	course *course
}

// say reports the outcome for one object; there is the existing one, nil if there is none.
func (m *meeting) say(subject, answer string, there bool, same bool) {
	o := Outcome{Subject: subject, Answer: answer, Fate: FateNew}
	switch {
	case there && same:
		o.Fate = FateSame
	case there:
		o.Fate, o.Why = FateRefused, "it exists with other content; a bundle changes nothing that exists"
	}
	m.course.note(o)
}

func (m *meeting) meet(b *bundle.Bundle) error {
	known, err := m.tx.PeopleIDs()
	if err != nil {
		return err
	}
	for i := range b.Reviews {
		for j := range b.Reviews[i].Readings {
			if name := b.Reviews[i].Readings[j].Reviewer; known[name] == "" {
				known[name] = name
				m.say("account "+name, "cannot sign in", false, false)
			}
		}
	}
	for i := range b.Rigs {
		r := &b.Rigs[i]
		old := m.state.Catalogue.Rig(r.Key)
		m.im.rigs[r.Key] = m.state.Catalogue.RigVersions[r.Key].ID
		m.say("rig "+r.Key, r.Name, old != nil, old != nil && ledger.SameJSON(old, r))
	}
	for i := range b.Distributions {
		m.distribution(&b.Distributions[i])
	}
	for i := range b.Checklists {
		c := &b.Checklists[i]
		m.im.versions[c.Name()] = m.state.Checklists.Versions[c.Name()].ID
		j := slices.IndexFunc(
			m.state.Checklists.Lists, func(x checklist.Checklist) bool { return x.Name() == c.Name() },
		)
		m.say("checklist "+c.Name(), c.Title, j >= 0, j >= 0 && ledger.SameJSON(m.state.Checklists.Lists[j], c))
	}
	return m.reviews(b)
}

func (m *meeting) distribution(d *catalogue.Distribution) {
	versions := m.state.Catalogue.Versions
	old := m.state.Catalogue.Distribution(d.Key)
	m.im.above[d.Key] = versions[d.Key].ID
	m.say("distribution "+d.Key, d.Name, old != nil, old != nil && len(imports.Differences(old, d)) == 0)
	for i := range d.Releases {
		r := &d.Releases[i]
		key := d.Key + "/" + r.Version
		m.im.above[key] = versions[key].ID
		old := m.state.Catalogue.Release(key)
		m.say("release "+key, r.Codename, old != nil, old != nil && len(imports.Differences(old, r)) == 0)
		for k := range r.Editions {
			e := &r.Editions[k]
			full := key + "/" + e.Key
			m.im.editions[full] = versions[full].ID
			old, ok := m.state.Edition(full)
			m.say("edition "+full, e.Desktop, ok, ok && len(imports.Differences(&old, e)) == 0)
		}
	}
}

// reviews reports each review as a whole: its missing readings and entries are new.
func (m *meeting) reviews(b *bundle.Bundle) error {
	all, err := m.tx.Reviews()
	if err != nil {
		return ledger.Failed(err, "reading reviews")
	}
	for i := range b.Reviews {
		r := &b.Reviews[i]
		subject := fmt.Sprintf("review %s of %s", r.ID, r.Edition)
		j := slices.IndexFunc(all, func(x store.Review) bool { return x.ID == r.ID })
		if j < 0 {
			m.say(subject, numerals.Count(len(r.Readings), "reading")+", "+numerals.Plural(len(r.Entries()), "entry", "entries"), false, false)
			continue
		}
		if all[j].Edition != r.Edition || all[j].Checklist != r.Checklist {
			m.say(subject, fmt.Sprintf("on %s", r.Checklist), true, false)
			continue
		}
		if err := m.review(subject, r); err != nil {
			return err
		}
	}
	return nil
}

func (m *meeting) review(subject string, r *reading.Review) error {
	if _, _, err := m.tx.LockReview(r.ID); err != nil {
		return err
	}
	there, err := m.tx.Readings(r.ID)
	if err != nil {
		return err
	}
	byID := map[string]*reading.Reading{}
	m.im.readings[r.ID], m.im.entries[r.ID] = map[string]bool{}, map[string]bool{}
	for i := range there {
		byID[there[i].ID] = &there[i]
		m.im.readings[r.ID][there[i].ID] = true
	}
	kept, err := m.tx.Review(r.ID)
	if err != nil {
		return ledger.Failed(err, "reading a review")
	}
	hidden, err := reviewing.HiddenOf(m.tx, m.who, &kept, there)
	if err != nil {
		return err
	}
	fresh, other := 0, ""
	for i := range r.Readings {
		x := &r.Readings[i]
		switch old := byID[x.ID]; {
		case old == nil:
			fresh++
		case !hidden[x.ID] && !sameBut(old, x, false, false):
			other = x.ID
		}
	}
	entries, err := m.tx.Entries(r.ID)
	if err != nil {
		return ledger.Failed(err, "reading a review's record")
	}
	for _, e := range entries {
		_, head := e.Part()
		m.im.entries[r.ID][head.ID] = true
	}
	for _, e := range r.Entries() {
		if _, head := e.Part(); !m.im.entries[r.ID][head.ID] {
			fresh++
		}
	}
	switch {
	case other != "":
		m.say(subject, "reading "+other, true, false)
	case fresh > 0:
		m.say(subject, fmt.Sprintf("%d new readings and entries", fresh), false, false)
	default:
		m.say(subject, numerals.Count(len(r.Readings), "reading"), true, true)
	}
	return nil
}
