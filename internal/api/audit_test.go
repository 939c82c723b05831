package api_test

import (
	"database/sql"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"dappertally/internal/contract"
	"dappertally/internal/store"
)

// entries requests entries of the audit trail.
func (w *world) entries(status int, who, query string) []contract.AuditEntry {
	w.t.Helper()
	var list contract.AuditList
	if r := w.must(status, who, "GET", "/api/v1/audit?"+query, nil); status == 200 {
		r.into(w.t, &list)
	}
	return list.Entries
}

// TestAudit records who did what, from where, and the values before, and shows it to the people concerned.
func TestAudit(t *testing.T) {
	w := newWorld(t, true)
	w.must(401, "", "POST", "/api/v1/session", map[string]any{"name": "ines", "password": "my other password"})
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	tag := w.must(200, "perrin", "GET", "/api/v1/people/tomas", nil).header.Get("ETag")
	w.must(200, "perrin", "PUT", "/api/v1/people/tomas",
		map[string]any{"name": "tomas", "title": "Tomas W.", "roles": []string{"lead", "reviewer"}}, "If-Match", tag,
		"User-Agent", contract.ClientAgent+"test")
	w.must(200, "ines", "GET", "/api/v1/exports/readings?form=csv", nil)

	all := w.entries(200, "perrin", "limit=4")
	if len(all) != 4 || all[0].Action != "exported" || all[0].By != "ines" || all[0].Way != "api" ||
		all[1].Action != "changed" || all[1].Subject != "tomas" || all[1].Way != "client" || all[1].Address != "127.0.0.1" ||
		all[2].Action != "planned" || all[2].Subject != review || all[3].Action != "sign-in failed" || all[3].By != "" {
		t.Fatalf("the newest entries: %+v", all)
	}
	said := map[string]string{}
	for _, f := range all[1].Fields {
		said[f.Field] = f.Before + " → " + f.After
	}
	if said["title"] != "Tomas Wrenfield → Tomas W." || said["roles"] != "reviewer → reviewer,lead" || said["name"] != "" {
		t.Errorf("what changed of tomas: %v", said)
	}
	if strings.Contains(all[3].Subject, "ines") || strings.Contains(all[3].Detail, "my other") {
		t.Errorf("a failed sign-in tells %+v", all[3])
	}
	if got := w.entries(200, "perrin", "by=ines&sort=review"); len(got) != 1 || got[0].Subject != review {
		t.Errorf("what ines did to reviews: %+v", got)
	}
	if got := w.entries(200, "perrin", "sort=person&subject=tomas"); len(got) != 1 || got[0].Number != all[1].Number {
		t.Errorf("what was done to tomas: %+v", got)
	}
	if got := w.entries(200, "perrin", fmt.Sprintf("before=%d&limit=1", all[1].Number)); len(got) != 1 ||
		got[0].Number != all[2].Number {
		t.Errorf("the next page: %+v", got)
	}
	w.entries(422, "perrin", "by=nobody-at-all")
	// A lead sees the history of a review, and no more.
	if got := w.entries(200, "marit", "sort=review&subject="+review); len(got) != 1 {
		t.Errorf("the history of the review: %+v", got)
	}
	w.entries(403, "marit", "sort=review")
	w.entries(403, "marit", "sort=person&subject=tomas")
	w.entries(403, "ines", "sort=review&subject="+review)
	w.entries(401, "", "")

	if n, _, err := w.svc.Store.VerifyAudit(t.Context()); err != nil || n < 4 {
		t.Errorf("%d entries, %v", n, err)
	}
	erased(t, w)
}

// erased removes a person's name from the records; the chain stays whole.
func erased(t *testing.T, w *world) {
	t.Helper()
	gone, err := w.svc.People.OnTheMachine().Erase(t.Context(), "tomas")
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range w.entries(200, "perrin", "limit=1000") {
		if strings.Contains(e.Detail+e.Subject, "omas") || len(e.Fields) > 0 && e.Fields[0].After == "Tomas W." {
			t.Errorf("after erasure: %+v", e)
		}
	}
	if n, erased, err := w.svc.Store.VerifyAudit(t.Context()); err != nil || erased < 2 {
		t.Errorf("%d entries, of %d the details erased, %v", n, erased, err)
	}
	w.must(404, "perrin", "GET", "/api/v1/people/tomas", nil)
	w.must(200, "perrin", "GET", "/api/v1/people/"+gone, nil)
}

// TestAuditIsHeld names the first entry that was altered, removed or inserted.
func TestAuditIsHeld(t *testing.T) {
	dsn := peopled.DSN(t)
	st, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { st.Close() })
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	w := newWorldOn(t, st)
	for _, key := range []string{"bench-a", "bench-b", "bench-c", "bench-d"} {
		w.must(201, "ines", "POST", "/api/v1/rigs", map[string]any{"key": key, "name": key, "class": "older"})
	}
	s := w.svc.Store
	last, hash, err := s.AuditHead(t.Context())
	if err != nil || last < 4 || len(hash) != 32 {
		t.Fatal(last, hash, err)
	}
	for name, c := range map[string]struct {
		do, undo string
		at       int64
	}{
		"an action": {`UPDATE audit SET action = 'dropped' WHERE number = ?`, `UPDATE audit SET action = 'added' WHERE number = ?`, last - 1},
		// Not by replacing: the random salt beside it may hold any digits.
		"a detail":        {`UPDATE audit SET private = CONCAT(private, ' ') WHERE number = ?`, `UPDATE audit SET private = LEFT(private, CHAR_LENGTH(private) - 1) WHERE number = ?`, last - 2},
		"one left out":    {`UPDATE audit SET number = 100000 WHERE number = ?`, `UPDATE audit SET number = ? WHERE number = 100000`, last - 1},
		"the end cut off": {`UPDATE audit SET number = -1 WHERE number = ?`, `UPDATE audit SET number = ? WHERE number = -1`, last},
	} {
		if _, err := db.ExecContext(t.Context(), c.do, c.at); err != nil {
			t.Fatal(err)
		}
		var fault *store.AuditFault
		if _, _, err := s.VerifyAudit(t.Context()); !errors.As(err, &fault) {
			t.Errorf("%s: %v", name, err)
		}
		if _, err := db.ExecContext(t.Context(), c.undo, c.at); err != nil {
			t.Fatal(err)
		}
		if _, _, err := s.VerifyAudit(t.Context()); err != nil {
			t.Errorf("%s, undone: %v", name, err)
		}
	}
	// Old entries can be removed; the chain then begins later.
	if n, err := s.PruneAudit(t.Context(), today.Add(time.Hour)); err != nil || n == 0 {
		t.Errorf("%d forgotten, %v", n, err)
	}
	w.must(201, "ines", "POST", "/api/v1/rigs", map[string]any{"key": "bench-e", "name": "e", "class": "older"})
	if n, _, err := s.VerifyAudit(t.Context()); err != nil || n != 1 {
		t.Errorf("%d entries, %v", n, err)
	}
}
