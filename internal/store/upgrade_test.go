package store

import (
	"testing"

	"dappertally/core/checklist"
)

// UpgradeDSN is set by the outside tests' helper: the address of an empty schema.
var UpgradeDSN func(testing.TB) string

// fillFirst puts a review with a record into a database of the first version and returns the review's id.
func fillFirst(t *testing.T, s *Store) string {
	t.Helper()
	ids := []any{NewID(), NewID(), NewID(), NewID()}
	for _, step := range []struct {
		query string
		args  []any
	}{
		{"INSERT INTO distributions (id, `key`, name, family, model, aim) VALUES (?, 'mossgate', '', '[]', 'fixed', '')", ids[:1]},
		{"INSERT INTO releases (id, distribution, version, codename, date, tier, stage, replaces, based_on) VALUES (?, ?, '12', '', '2026-06-11', '', '', '[]', '')", []any{ids[1], ids[0]}},
		{"INSERT INTO editions (id, `release`, `key`, line, desktop, architecture, profile, purpose, memory_mib, disk_gib) VALUES (?, ?, 'hearth', '', '', '', '', '', 0, 0)", []any{ids[2], ids[1]}},
		{`INSERT INTO reviews (id, edition, checklist_version, state, accepted, created, record) SELECT ?, ?, id, 'accepted', '2026-07-01', '2026-06-20',
			'{"states":[{"id":"s1","at":"2026-06-20T00:00:00Z","note":"fresh"}],"findings":[{"id":"f1","sort":"weakness","title":"no „sound“"}],"journal":[{"text":"an entry without an id"}]}'
			FROM checklist_versions WHERE version = 1`, []any{ids[3], ids[2]}},
	} {
		if _, err := s.db.ExecContext(t.Context(), step.query, step.args...); err != nil {
			t.Fatal(err)
		}
	}
	return ids[3].(string)
}

// TestUpgrade migrates a database that was filled at the first version up, down, and up again: audiences of frozen
// versions become first revisions.
func TestUpgrade(t *testing.T) {
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
	if _, err := provider.UpTo(ctx, 1); err != nil {
		t.Fatal(err)
	}
	list := checklist.Checklist{
		Key: "desk", Version: 1, State: checklist.InForce, Sections: []checklist.Section{{Key: "all", Weight: 1, Criteria: []checklist.Criterion{{Key: "guide", Kind: checklist.Grade, Weight: 1}}}},
		Audiences: []checklist.Audience{
			{Key: "pensioner", Title: "die „Alten“", Sections: map[string]float64{"all": 2.5}},
			{Key: "radio"},
		},
	}
	draft := list
	draft.Version, draft.State = 2, checklist.Draft
	if _, err := s.db.ExecContext(ctx, "INSERT INTO checklists (id, `key`) VALUES (?, ?)", NewID(), "desk"); err != nil {
		t.Fatal(err)
	}
	for _, c := range []*checklist.Checklist{&list, &draft} {
		if _, err := s.db.ExecContext(ctx, "INSERT INTO checklist_versions (id, checklist, version, state, document) SELECT ?, id, ?, ?, ? FROM checklists", NewID(), c.Version, c.State, asJSON(c)); err != nil {
			t.Fatal(err)
		}
	}
	review := fillFirst(t, s)
	for range 2 {
		if _, err := provider.Up(ctx); err != nil {
			t.Fatal(err)
		}
		lists, err := loadChecklists(ctx, s.db)
		if err != nil {
			t.Fatal(err)
		}
		revisions, err := s.AudienceRevisions(ctx, lists.Versions["desk@1"].ID)
		if err != nil || len(revisions) != 2 || revisions[0].Audience.Title != "die „Alten“" ||
			revisions[0].Audience.Sections["all"] != 2.5 ||
			revisions[1].Revision != 1 {
			t.Errorf("revisions: %+v, %v", revisions, err)
		}
		if own := lists.Lists[0].Audiences; len(own) != 2 || own[0].Key != "pensioner" {
			t.Errorf("audiences: %+v", own)
		}
		if revisions, err := s.AudienceRevisions(ctx, lists.Versions["desk@2"].ID); err != nil || len(revisions) != 0 {
			t.Errorf("a draft's audiences are revisions: %+v, %v", revisions, err)
		}
		entries, err := s.Entries(ctx, review, true)
		if err != nil || len(entries) != 3 {
			t.Fatalf("entries: %+v, %v", entries, err)
		}
		for _, e := range entries {
			switch part, head := e.Part(); {
			case part == "system" && (head.ID != "s1" || e.System.Note != "fresh"),
				part == "finding" && (head.ID != "f1" || e.Finding.Title != "no „sound“"),
				part == "journal" && head.ID == "":
				t.Errorf("entry: %+v", e.Entry)
			}
		}
		if _, err := provider.DownTo(ctx, 1); err != nil {
			t.Fatal(err)
		}
	}
}
