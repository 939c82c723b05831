package store_test

import (
	"context"
	"encoding/json"
	"errors"
	"reflect"
	"testing"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/dbtest"
	"dappertally/internal/store"
)

// desk is a store with one review to record in.
type desk struct {
	*store.Store
	person, review, version, rig string
}

func newDesk(t *testing.T) desk {
	t.Helper()
	d := desk{Store: dbtest.Open(t), review: store.NewID()}
	list := checklist.Checklist{
		Key:     "desk",
		Version: 1,
		State:   checklist.InForce,
		Sections: []checklist.Section{
			{
				Key:    "all",
				Weight: 1,
				Criteria: []checklist.Criterion{
					{Key: "start", Kind: checklist.Grade, Weight: 1},
					{Key: "guide", Kind: checklist.Grade, Weight: 1},
				},
			},
		},
	}
	write(t, d.Store, func(tx *store.Tx) error {
		p := store.Person{Name: "ines", Title: "Ines", Roles: []string{"reviewer", "lead"}}
		if err := tx.AddPerson(&p); err != nil {
			return err
		}
		d.person = p.ID
		dist, err := tx.AddDistribution(&catalogue.Distribution{Key: "mossgate", Model: "fixed"})
		if err != nil {
			return err
		}
		rel, err := tx.AddRelease(
			dist,
			&catalogue.Release{Version: "12", Date: "2026-06-11", EndOfSupport: "2031-06-11", Replaces: []string{"11"}},
		)
		if err != nil {
			return err
		}
		edition, err := tx.AddEdition(
			rel, &catalogue.Edition{Key: "hearth", Desktop: "Hearthside", Needs: catalogue.Needs{MemoryMiB: 1024}},
		)
		if err != nil {
			return err
		}
		d.rig, d.version = store.NewID(), store.NewID()
		if err = tx.AddRig(d.rig, &catalogue.Rig{Key: "bench-a", Equipment: []string{"wireless"}}); err != nil {
			return err
		}
		if err = tx.AddChecklist(d.version, &list, tx.Now()); err != nil {
			return err
		}
		return tx.AddReview(
			&store.Review{Ref: store.Ref{ID: d.review}, State: reading.Planned, Due: "2026-11-30"},
			edition,
			d.version,
			d.person,
		)
	})
	return d
}

func (d *desk) row(x *reading.Reading) store.ReadingRow {
	return store.ReadingRow{Reading: x, Review: d.review, Version: d.version, Reviewer: d.person, Received: now}
}

func TestReadingComesBackWhole(t *testing.T) {
	d := newDesk(t)
	received := now
	want := reading.Reading{
		ID: store.NewID(), Criterion: "start", Reviewer: "ines", Rig: "bench-a", At: now.Add(-time.Hour + 123456*time.Microsecond), Received: &received, System: "s1",
		Context: checklist.Context{
			Method: "watch",
			Setup:  "default",
			Phase:  "fresh",
		}, Answer: reading.Answer{Runs: []float64{0.1, 1e-12, 123456789.125}},
		Adjustment: &reading.Adjustment{
			Amount: 4.25,
			Reason: "the “menu” waits – 4 s",
		}, Bound: "about", Disturbance: "a recorder ✓", Replaces: store.NewID(), Repeat: true, Note: "ñ 漢 🙂",
		Boots: []reading.Boot{{ID: store.NewID(), Runs: 2}, {ID: "the:third", Runs: 1}},
	}
	row := d.row(&want)
	row.Rig = d.rig
	write(t, d.Store, func(tx *store.Tx) error { return tx.AddReadings([]store.ReadingRow{row}) })
	got, err := d.Readings(t.Context(), d.review, false)
	if err != nil || len(got) != 1 {
		t.Fatalf("%v, %v", got, err)
	}
	if !reflect.DeepEqual(got[0], want) {
		a, _ := json.Marshal(want)
		b, _ := json.Marshal(got[0])
		t.Errorf("put in\n%s\ngot out\n%s", a, b)
	}
}

func TestReadingsKeepTheRules(t *testing.T) {
	d := newDesk(t)
	grade := 5.0
	make := func(change func(*store.ReadingRow)) error {
		row := d.row(
			&reading.Reading{ID: store.NewID(), Criterion: "guide", At: now, Answer: reading.Answer{Grade: &grade}},
		)
		change(&row)
		_, err := d.Write(
			context.Background(),
			d.person,
			now,
			func(tx *store.Tx) error { return tx.AddReadings([]store.ReadingRow{row}) },
		)
		return err
	}
	replaced := store.NewID()
	if err := make(func(r *store.ReadingRow) { r.Replaces = replaced }); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		name   string
		change func(*store.ReadingRow)
		want   error
	}{
		{"replaced twice", func(r *store.ReadingRow) { r.Replaces = replaced }, store.ErrExists},
		{"unknown criterion", func(r *store.ReadingRow) { r.Criterion = "luck" }, store.ErrNotFound},
		{"unknown reviewer", func(r *store.ReadingRow) { r.Reviewer = store.NewID() }, store.ErrNotFound},
		{"unknown rig", func(r *store.ReadingRow) { r.Rig = store.NewID() }, store.ErrNotFound},
		{"unknown review", func(r *store.ReadingRow) { r.Review = store.NewID() }, store.ErrNotFound},
	} {
		if err := make(c.change); !errors.Is(err, c.want) {
			t.Errorf("%s: %v, want %v", c.name, err, c.want)
		}
	}
}

func TestAcceptancePins(t *testing.T) {
	d := newDesk(t)
	grade := 5.0
	add := func() {
		write(t, d.Store, func(tx *store.Tx) error {
			return tx.AddReadings(
				[]store.ReadingRow{
					d.row(
						&reading.Reading{
							ID:        store.NewID(),
							Criterion: "guide",
							At:        now,
							Answer:    reading.Answer{Grade: &grade},
						},
					),
				},
			)
		})
	}
	counts := func() (all, pinned, waiting int) {
		a, err := d.Readings(t.Context(), d.review, false)
		if err != nil {
			t.Fatal(err)
		}
		p, err := d.Readings(t.Context(), d.review, true)
		if err != nil {
			t.Fatal(err)
		}
		r, err := d.Review(t.Context(), d.review)
		if err != nil {
			t.Fatal(err)
		}
		return len(a), len(p), r.Waiting
	}
	add()
	r, err := d.Review(t.Context(), d.review)
	if err != nil {
		t.Fatal(err)
	}
	if r.Edition != "mossgate/12/hearth" || r.Checklist != "desk@1" || r.Assigned != "ines" || r.Due != "2026-11-30" ||
		!r.Accepted.IsZero() {
		t.Errorf("the review came back as %+v", r)
	}
	write(t, d.Store, func(tx *store.Tx) error { return tx.AcceptReview(r.Ref, "") })
	add()
	if all, pinned, waiting := counts(); all != 2 || pinned != 1 || waiting != 1 {
		t.Errorf("%d readings, %d pinned, %d waiting; want 2, 1, 1", all, pinned, waiting)
	}
}

func TestSessionsAndTokensEnd(t *testing.T) {
	d := newDesk(t)
	ctx := t.Context()
	session := store.Session{Created: now, Expires: now.Add(time.Hour), Address: "192.0.2.1"}
	if err := d.AddSession(ctx, "secret", d.person, &session); err != nil {
		t.Fatal(err)
	}
	if p, x, err := d.SessionPerson(ctx, "secret", now); x.ID != session.ID || !x.Proved.Equal(now) || err != nil ||
		p.Name != "ines" {
		t.Errorf("%+v, %v", p, err)
	}
	for name, at := range map[string]time.Time{"secret": now.Add(2 * time.Hour), "other": now} {
		if _, _, err := d.SessionPerson(ctx, name, at); !errors.Is(err, store.ErrNotFound) {
			t.Errorf("session %q at %v: %v", name, at, err)
		}
	}
	token := store.Token{
		Label:   "bench",
		Roles:   []string{"reviewer", "administrator"},
		Created: now,
		Expires: now.Add(time.Hour),
	}
	write(t, d.Store, func(tx *store.Tx) error { return tx.AddToken(&token, "token", d.person, 1) })
	one := token
	if _, err := d.Write(ctx, "", now, func(tx *store.Tx) error { return tx.AddToken(&one, "one more", d.person, 1) }); !errors.Is(
		err,
		store.ErrExists,
	) {
		t.Errorf("more tokens than may be: %v", err)
	}
	// A token never has more roles than its owner has now.
	if p, _, err := d.TokenPerson(ctx, "token", now); err != nil || !reflect.DeepEqual(p.Roles, []string{"reviewer"}) {
		t.Errorf("the token has the roles %v, %v", p.Roles, err)
	}
	if _, _, err := d.TokenPerson(ctx, "token", now.Add(2*time.Hour)); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("an expired token: %v", err)
	}
	end := func(person string) error {
		_, err := d.Write(ctx, "", now, func(tx *store.Tx) error { return tx.RevokeToken(token.ID, person) })
		return err
	}
	if err := end(store.NewID()); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("somebody else's token was ended: %v", err)
	}
	if err := end(d.person); err != nil {
		t.Error(err)
	}
	// A disabled person has no session and gets none; a person who is enabled again must sign in.
	write(t, d.Store, func(tx *store.Tx) error { return tx.Disable(d.person) })
	write(t, d.Store, func(tx *store.Tx) error { return tx.AddToken(&token, "token", d.person, 1) })
	if err := d.AddSession(ctx, "late", d.person, &session); err != nil {
		t.Fatal(err)
	}
	for _, enabled := range []bool{false, true} {
		for _, secret := range []string{"secret", "late"} {
			if _, _, err := d.SessionPerson(ctx, secret, now); !errors.Is(err, store.ErrNotFound) {
				t.Errorf("enabled %t: a session of before: %v", enabled, err)
			}
		}
		if _, _, err := d.TokenPerson(ctx, "token", now); errors.Is(err, store.ErrNotFound) == enabled {
			t.Errorf("enabled %t: a token: %v", enabled, err)
		}
		write(t, d.Store, func(tx *store.Tx) error { return tx.Enable(d.person) })
	}
}

func TestDrafts(t *testing.T) {
	d := newDesk(t)
	ctx := t.Context()
	draft := store.Draft{Criterion: "guide", Rig: "bench-a", Context: checklist.Context{Phase: "fresh"}, Text: "first"}
	for _, text := range []string{"first", "second"} {
		draft.Text = text
		if err := d.SaveDraft(ctx, d.review, d.person, draft, now); err != nil {
			t.Fatal(err)
		}
	}
	got, err := d.Drafts(ctx, d.review, d.person)
	if err != nil || len(got) != 1 || got[0] != draft {
		t.Errorf("%+v, %v", got, err)
	}
	draft.Text = ""
	if err := d.SaveDraft(ctx, d.review, d.person, draft, now); err != nil {
		t.Fatal(err)
	}
	if got, err := d.Drafts(ctx, d.review, d.person); err != nil || len(got) != 0 {
		t.Errorf("an emptied draft is still there: %+v, %v", got, err)
	}
}

func TestUnreachable(t *testing.T) {
	s, err := store.Open("nobody:x@tcp(127.0.0.1:9)/none")
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if err := s.Ping(t.Context()); !errors.Is(err, store.ErrUnavailable) {
		t.Errorf("nobody listens: %v", err)
	}
	if _, err := store.Open("::::"); err == nil {
		t.Error("a malformed address was taken")
	}
}
