package store_test

import (
	"bytes"
	"crypto/sha256"
	"errors"
	"fmt"
	"strings"
	"testing"

	"dappertally/core/checklist"
	"dappertally/internal/store"
)

// do writes as the desk's person.
func (d *desk) do(t *testing.T, do func(*store.Tx) error) {
	t.Helper()
	if _, err := d.Write(t.Context(), d.person, now, do); err != nil {
		t.Fatal(err)
	}
}

// lists reads all checklist versions from a fresh snapshot.
func lists(t *testing.T, s *store.Store) *store.Checklists {
	t.Helper()
	snap, err := s.ReadAt(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer snap.Close()
	c, err := snap.Checklists()
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// TestAudienceRevisions: the newest revision of each audience replaces the frozen one, and keeps its order; the
// document stays.
func TestAudienceRevisions(t *testing.T) {
	d := newDesk(t)
	list := lists(t, d.Store).Lists[0]
	next := *list.Clone()
	next.Version = 2
	next.Audiences = []checklist.Audience{{Key: "pensioner", Title: "pensioners"}, {Key: "radio"}, {Key: "tinkerer"}}
	write(t, d.Store, func(tx *store.Tx) error {
		err := tx.AddChecklist(store.NewID(), &next, tx.Now())
		return err
	})
	revise := func(a checklist.Audience, drop bool) {
		t.Helper()
		ref := lists(t, d.Store).Versions["desk@2"]
		write(t, d.Store, func(tx *store.Tx) error { return tx.ReviseAudience(ref, &a, drop, "why") })
	}
	revise(checklist.Audience{Key: "library"}, false)
	revise(checklist.Audience{Key: "pensioner", Title: "the old"}, false)
	revise(checklist.Audience{Key: "radio"}, true)
	revise(checklist.Audience{Key: "pensioner", Title: "the oldest"}, false)
	var got []string
	for _, l := range lists(t, d.Store).Lists {
		if l.Version == 2 {
			for _, a := range l.Audiences {
				got = append(got, a.Key+" "+a.Title)
			}
		}
	}
	if strings.Join(got, ", ") != "pensioner the oldest, tinkerer , library " {
		t.Errorf("audiences: %q", got)
	}
	revisions, err := d.AudienceRevisions(t.Context(), lists(t, d.Store).Versions["desk@2"].ID)
	if err != nil {
		t.Fatal(err)
	}
	got = nil
	for _, r := range revisions {
		got = append(got, fmt.Sprintf("%s %d %s %v", r.Audience.Key, r.Revision, r.Audience.Title, r.Dropped))
	}
	if strings.Join(
		got, ", ",
	) != "library 1  false, pensioner 1 pensioners false, pensioner 2 the old false, pensioner 3 the oldest false, radio 1  false, radio 2  true, tinkerer 1  false" {
		t.Errorf("revisions: %q", got)
	}
	stale := lists(t, d.Store).Versions["desk@2"]
	stale.Revision--
	_, err = d.Write(t.Context(), d.person, now, func(tx *store.Tx) error {
		return tx.ReviseAudience(stale, &checklist.Audience{Key: "radio"}, false, "")
	})
	if !errors.Is(err, store.ErrStale) {
		t.Errorf("a stale revision: %v", err)
	}
}

func TestShownVersion(t *testing.T) {
	d := newDesk(t)
	if shown := lists(t, d.Store).Shown["desk"]; shown != 0 {
		t.Errorf("nothing was chosen, and %d is shown", shown)
	}
	write(t, d.Store, func(tx *store.Tx) error { return tx.Show("desk", 1, 0.5) })
	if shown := lists(t, d.Store).Shown["desk"]; shown != 1 {
		t.Errorf("%d is shown, want 1", shown)
	}
}

// TestDropVersion removes a draft and nothing else.
func TestDropVersion(t *testing.T) {
	d := newDesk(t)
	drop := func(name string) error {
		_, err := d.Write(
			t.Context(),
			d.person,
			now,
			func(tx *store.Tx) error { return tx.DropVersion(lists(t, d.Store).Versions[name]) },
		)
		return err
	}
	if err := drop("desk@1"); !errors.Is(err, store.ErrStale) {
		t.Errorf("a version in force: %v", err)
	}
	next := *lists(t, d.Store).Lists[0].Clone()
	next.Version, next.State = 2, checklist.Draft
	write(t, d.Store, func(tx *store.Tx) error {
		err := tx.AddChecklist(store.NewID(), &next, tx.Now())
		return err
	})
	if err := drop("desk@2"); err != nil {
		t.Errorf("a draft: %v", err)
	}
	if n := len(lists(t, d.Store).Lists); n != 1 {
		t.Errorf("%d versions are left, want 1", n)
	}
}

func TestProposals(t *testing.T) {
	d := newDesk(t)
	weight := 3.0
	first := store.Proposal{
		Ref:    store.Ref{ID: store.NewID()},
		Title:  "Less",
		Reason: "It is long.",
		Edits:  []checklist.Edit{{Drop: "guide"}, {Section: "all", Weight: &weight}},
	}
	second := store.Proposal{
		Ref:    store.Ref{ID: store.NewID()},
		Title:  "More",
		Reason: "It is short.",
		Edits:  []checklist.Edit{{Drop: "start"}},
	}
	d.do(t, func(tx *store.Tx) error {
		if err := tx.AddProposal(&first, d.version); err != nil {
			return err
		}
		if err := tx.AddProposal(&second, d.version); err != nil {
			return err
		}
		for _, text := range []string{"One", "Two"} {
			if err := tx.Comment(first.ID, text); err != nil {
				return err
			}
		}
		return tx.Comment(second.ID, "Three")
	})
	p, err := d.Proposal(t.Context(), first.ID)
	if err != nil {
		t.Fatal(err)
	}
	if p.Checklist != "desk@1" || p.Person != "ines" || p.State != "open" || len(p.Edits) != 2 ||
		*p.Edits[1].Weight != 3 ||
		len(p.Comments) != 2 ||
		p.Comments[1].Text != "Two" ||
		!p.Decided.IsZero() {
		t.Errorf("%+v", p)
	}
	d.do(t, func(tx *store.Tx) error { return tx.DecideProposal(p.Ref, "declined", "no") })
	_, err = d.Write(
		t.Context(), d.person, now, func(tx *store.Tx) error { return tx.DecideProposal(p.Ref, "accepted", "") },
	)
	if !errors.Is(err, store.ErrStale) {
		t.Errorf("decided twice at once: %v", err)
	}
	all, err := d.Proposals(t.Context())
	if err != nil || len(all) != 2 || len(all[0].Comments)+len(all[1].Comments) != 3 {
		t.Errorf("%+v, %v", all, err)
	}
	if _, err := d.Proposal(t.Context(), store.NewID()); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a proposal that is not there: %v", err)
	}
}

// TestFiles keeps a file of several pieces, and nothing of a file whose transaction did not end.
func TestFiles(t *testing.T) {
	d := newDesk(t)
	content := bytes.Repeat([]byte("kit "), 700_000)
	sum := sha256.Sum256(content)
	_, err := d.Write(t.Context(), d.person, now, func(tx *store.Tx) error {
		if _, err := tx.AddFile(sum[:], bytes.NewReader(content)); err != nil {
			return err
		}
		return errors.New("given up")
	})
	if err == nil {
		t.Fatal("no error")
	}
	if _, err := d.FileSize(t.Context(), sum[:]); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("what was given up is there: %v", err)
	}
	write(t, d.Store, func(tx *store.Tx) error {
		_, err := tx.AddFile(sum[:], bytes.NewReader(content))
		return err
	})
	size, err := d.FileSize(t.Context(), sum[:])
	var out bytes.Buffer
	if err != nil || size != int64(len(content)) || d.WriteFile(t.Context(), sum[:], &out) != nil ||
		!bytes.Equal(out.Bytes(), content) {
		t.Errorf("%d bytes, %v; %d came back", size, err, out.Len())
	}
	_, err = d.Write(t.Context(), d.person, now, func(tx *store.Tx) error {
		_, err := tx.AddFile(sum[:], bytes.NewReader(content))
		return err
	})
	if !errors.Is(err, store.ErrExists) {
		t.Errorf("the same file again: %v", err)
	}
	empty := sha256.Sum256(nil)
	write(t, d.Store, func(tx *store.Tx) error {
		_, err := tx.AddFile(empty[:], bytes.NewReader(nil))
		return err
	})
	if size, err := d.FileSize(t.Context(), empty[:]); err != nil || size != 0 {
		t.Errorf("an empty file: %d bytes, %v", size, err)
	}
}
