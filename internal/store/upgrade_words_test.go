package store

import (
	"testing"

	"dappertally/core/checklist"
)

// TestUpgradeWords migrates records with old names to the present ones, back, and again.
func TestUpgradeWords(t *testing.T) {
	s, err := Open(UpgradeDSN(t))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	provider, err := s.provider()
	if err != nil {
		t.Fatal(err)
	}
	ctx := t.Context()
	do := func(query string, args ...any) {
		t.Helper()
		if _, err := s.db.ExecContext(ctx, query, args...); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := provider.UpTo(ctx, 1); err != nil {
		t.Fatal(err)
	}
	list := checklist.Checklist{Key: "desk", Version: 1, State: checklist.InForce}
	do("INSERT INTO checklists (id, `key`) VALUES (?, ?)", NewID(), "desk")
	do("INSERT INTO checklist_versions (id, checklist, version, state, document) SELECT ?, id, 1, ?, ? FROM checklists",
		NewID(), list.State, asJSON(&list))
	review := fillFirst(t, s)
	if _, err := provider.UpTo(ctx, 23); err != nil {
		t.Fatal(err)
	}
	person := NewID()
	do("INSERT INTO people (id, name, title, created) VALUES (?, 'ines', '', NOW())", person)
	do("UPDATE reviews SET state = 'handed-in'")
	do(`INSERT INTO changes (number, at, action, sort, subject, detail) VALUES
		(1, NOW(), 'handed-in', 'review', ?, ''), (2, NOW(), 'added', 'trouble', 'blurred-text', '')`, review)
	do(
		"INSERT INTO suggestions (id, sort, subject, text, state, created) VALUES (?, 'review', 'x', '', 'let-in', NOW())",
		NewID(),
	)
	do("INSERT INTO troubles (id, `key`, document, created) VALUES (?, 'blurred-text', '{}', NOW())", NewID())
	do(
		"INSERT INTO hooks (id, url, secret, sorts, active, created) VALUES (?, '', '', 'review,trouble', 1, NOW())",
		NewID(),
	)
	for i, address := range []string{"/what-if?newest=true", "/how-sure?shake=both", "/look-into", "/what-ifs"} {
		do("INSERT INTO saved_views (id, person, title, address, created) VALUES (?, ?, ?, ?, NOW())",
			NewID(), person, string(rune('a'+i)), address)
	}

	old := []string{"handed-in", "handed-in trouble", "let-in", "blurred-text", "review,trouble"}
	now := []string{"submitted", "submitted known-issue", "accepted", "blurred-text", "review,known-issue"}
	have := func(table string, want []string) {
		t.Helper()
		for i, query := range []string{
			"SELECT state FROM reviews",
			"SELECT CONCAT(a.action, ' ', b.sort) FROM changes a, changes b WHERE a.number = 1 AND b.number = 2",
			"SELECT state FROM suggestions", "SELECT `key` FROM " + table, "SELECT sorts FROM hooks",
		} {
			var got string
			if err := s.db.QueryRowContext(ctx, query).Scan(&got); err != nil || got != want[i] {
				t.Errorf("%s: %q, %v; want %q", query, got, err, want[i])
			}
		}
	}
	have("troubles", old)
	for range 2 {
		if _, err := provider.UpTo(ctx, 24); err != nil {
			t.Fatal(err)
		}
		have("known_issues", now)
		for title, want := range map[string]string{
			"a": "/weights?newest=true", "b": "/steadiness?vary=both", "c": "/data-quality", "d": "/what-ifs",
		} {
			var got string
			err := s.db.QueryRowContext(ctx, "SELECT address FROM saved_views WHERE title = ?", title).Scan(&got)
			if err != nil || got != want {
				t.Errorf("the saved view %s leads to %q, %v; want %q", title, got, err, want)
			}
		}
		if _, err := provider.DownTo(ctx, 23); err != nil {
			t.Fatal(err)
		}
	}
}
