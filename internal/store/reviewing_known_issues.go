package store

import (
	"context"
	"database/sql"
	"encoding/json"

	"dappertally/core/reading"
)

// KnownIssue is a known issue with its revision and the findings that are cases of it.
type KnownIssue struct {
	Ref
	reading.KnownIssue
	Cases []Case
}

// Case is a finding that belongs to a known issue.
type Case struct {
	Review, Edition string
	Pinned          bool // an acceptance has pinned it
	Finding         reading.Finding
}

const selectKnownIssues = `SELECT id, revision, document FROM known_issues`

func scanKnownIssue(row interface{ Scan(...any) error }) (t KnownIssue, err error) {
	var document []byte
	if err := row.Scan(&t.ID, &t.Revision, &document); err != nil {
		return t, err
	}
	return t, json.Unmarshal(document, &t.KnownIssue)
}

// KnownIssues reads all known issues by key, with their cases.
func (s *Store) KnownIssues(ctx context.Context) ([]KnownIssue, error) {
	knownIssues := []KnownIssue{}
	byKey := map[string]int{}
	err := each(ctx, s.db, selectKnownIssues+" ORDER BY `key`", nil, func(row *sql.Rows) error {
		t, err := scanKnownIssue(row)
		byKey[t.Key] = len(knownIssues)
		knownIssues = append(knownIssues, t)
		return err
	})
	if err != nil {
		return nil, err
	}
	rows, err := loadEntries(ctx, s.db, false, `AND e.known_issue <> ''`)
	if err != nil {
		return nil, err
	}
	editions, err := s.reviewed(ctx)
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		if i, ok := byKey[r.Finding.KnownIssue]; ok {
			knownIssues[i].Cases = append(knownIssues[i].Cases, Case{r.Review, editions[r.Review], r.Pinned, *r.Finding})
		}
	}
	return knownIssues, nil
}

// reviewed returns the edition of every review.
func (s *Store) reviewed(ctx context.Context) (map[string]string, error) {
	editions := map[string]string{}
	err := each(
		ctx,
		s.db,
		`SELECT x.id, CONCAT(d.key, '/', r.version, '/', e.key) FROM reviews x JOIN editions e ON e.id = x.edition
		JOIN releases r ON r.id = e.release JOIN distributions d ON d.id = r.distribution WHERE x.state <> 'withdrawn'`,
		nil,
		func(row *sql.Rows) error {
			var id, edition string
			err := row.Scan(&id, &edition)
			editions[id] = edition
			return err
		},
	)
	return editions, err
}

// KnownIssue reads one known issue, without its cases.
func (s *Store) KnownIssue(ctx context.Context, key string) (KnownIssue, error) {
	t, err := scanKnownIssue(s.db.QueryRowContext(ctx, selectKnownIssues+" WHERE `key` = ?", key))
	return t, translate(err)
}

// AddKnownIssue adds a known issue.
func (t *Tx) AddKnownIssue(x *reading.KnownIssue) error {
	return t.exec(
		"INSERT INTO known_issues (id, `key`, document, person, created) VALUES (?, ?, ?, ?, ?)",
		NewID(),
		x.Key,
		asJSON(x),
		null(t.person),
		t.now,
	)
}

// EditKnownIssue changes a known issue, except its key.
func (t *Tx) EditKnownIssue(ref Ref, x *reading.KnownIssue) error {
	return t.edit("known_issues", ref.ID, ref.Revision, "document = ?", asJSON(x))
}
