package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"dappertally/core/checklist"
)

// AudienceRevision is one revision of an audience of a frozen checklist version.
type AudienceRevision struct {
	Revision int
	Audience checklist.Audience
	Dropped  bool
	Reason   string
	Person   string // empty: the service itself
	Created  time.Time
}

// AudienceRevisions reads all revisions of a version's audiences, by key and
// revision.
func (s *Store) AudienceRevisions(ctx context.Context, version string) ([]AudienceRevision, error) {
	revisions := []AudienceRevision{}
	err := each(
		ctx,
		s.db,
		"SELECT a.revision, a.document, a.dropped, a.reason, p.name, a.created FROM audiences a LEFT JOIN people p ON p.id = a.person WHERE a.checklist_version = ? ORDER BY a.key, a.revision",
		[]any{version},
		func(row *sql.Rows) error {
			var r AudienceRevision
			var document []byte
			if err := row.Scan(&r.Revision, &document, &r.Dropped, &r.Reason, orEmpty{&r.Person}, &r.Created); err != nil {
				return err
			}
			err := json.Unmarshal(document, &r.Audience)
			revisions = append(revisions, r)
			return err
		},
	)
	return revisions, err
}

// loadAudiences reads the newest revision of every audience, by version's id, in the order in which they were
// created.
func loadAudiences(ctx context.Context, q querier) (map[string][]checklist.Audience, error) {
	all := map[string][]checklist.Audience{}
	err := each(ctx, q, `SELECT a.checklist_version, a.document, a.dropped FROM audiences a
		JOIN (SELECT checklist_version, `+"`key`"+`, MAX(revision) AS newest, MIN(created) AS first FROM audiences GROUP BY checklist_version, `+"`key`"+`) n
		ON n.checklist_version = a.checklist_version AND n.key = a.key AND n.newest = a.revision ORDER BY n.first, a.key`, nil, func(row *sql.Rows) error {
		var version string
		var document []byte
		var dropped bool
		if err := row.Scan(&version, &document, &dropped); err != nil {
			return err
		}
		var a checklist.Audience
		if err := json.Unmarshal(document, &a); err != nil {
			return fmt.Errorf("audience of version %s: %w", version, err)
		}
		if all[version] == nil {
			all[version] = []checklist.Audience{}
		}
		if !dropped {
			all[version] = append(all[version], a)
		}
		return nil
	})
	return all, err
}

// revised replaces the audiences with which the version was frozen by their newest revisions, in the same order; new
// ones follow.
func revised(frozen, newest []checklist.Audience) []checklist.Audience {
	place := func(a checklist.Audience) int {
		return slices.IndexFunc(frozen, func(f checklist.Audience) bool { return f.Key == a.Key })
	}
	slices.SortStableFunc(newest, func(a, b checklist.Audience) int {
		x, y := place(a), place(b)
		switch {
		case x == y:
			return 0
		case y < 0 || (x >= 0 && x < y):
			return -1
		}
		return 1
	})
	return newest
}

// ReviseAudience adds a revision of an audience to a version, based on that revision of the version.
func (t *Tx) ReviseAudience(ref Ref, a *checklist.Audience, dropped bool, reason string) error {
	if err := t.edit("checklist_versions", ref.ID, ref.Revision, "state = state"); err != nil {
		return err
	}
	return t.addAudience(ref.ID, a, dropped, reason, t.now)
}

func (t *Tx) addAudience(version string, a *checklist.Audience, dropped bool, reason string, created time.Time) error {
	return t.exec(
		"INSERT INTO audiences (checklist_version, `key`, revision, dropped, document, reason, person, created) SELECT ?, ?, COALESCE(MAX(revision), 0) + 1, ?, ?, ?, ?, ? FROM audiences WHERE checklist_version = ? AND `key` = ?",
		version,
		a.Key,
		dropped,
		asJSON(a),
		reason,
		null(t.person),
		created.UTC(),
		version,
		a.Key,
	)
}

// freezeAudiences stores the audiences of a version that comes into force as first revisions.
func (t *Tx) freezeAudiences(version string, c *checklist.Checklist, since time.Time) error {
	for i := range c.Audiences {
		if err := t.addAudience(version, &c.Audiences[i], false, "", since); err != nil {
			return err
		}
	}
	return nil
}
