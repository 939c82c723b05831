package store

import (
	"context"
	"database/sql"
	"encoding/json"

	"dappertally/core/reading"
)

// Trouble is a trouble with its revision and the findings that are cases of it.
type Trouble struct {
	Ref
	reading.Trouble
	Cases []Case
}

// Case is a finding that belongs to a trouble.
type Case struct {
	Review, Edition string
	Pinned          bool // an acceptance has seen it
	Finding         reading.Finding
}

const selectTroubles = `SELECT id, revision, document FROM troubles`

func scanTrouble(row interface{ Scan(...any) error }) (t Trouble, err error) {
	var document []byte
	if err := row.Scan(&t.ID, &t.Revision, &document); err != nil {
		return t, err
	}
	return t, json.Unmarshal(document, &t.Trouble)
}

// Troubles reads all troubles by key, with their cases.
func (s *Store) Troubles(ctx context.Context) ([]Trouble, error) {
	troubles := []Trouble{}
	byKey := map[string]int{}
	err := each(ctx, s.db, selectTroubles+" ORDER BY `key`", nil, func(row *sql.Rows) error {
		t, err := scanTrouble(row)
		byKey[t.Key] = len(troubles)
		troubles = append(troubles, t)
		return err
	})
	if err != nil {
		return nil, err
	}
	rows, err := loadEntries(ctx, s.db, false, `AND e.trouble <> ''`)
	if err != nil {
		return nil, err
	}
	editions, err := s.reviewed(ctx)
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		if i, ok := byKey[r.Finding.Trouble]; ok {
			troubles[i].Cases = append(troubles[i].Cases, Case{r.Review, editions[r.Review], r.Pinned, *r.Finding})
		}
	}
	return troubles, nil
}

// reviewed is the edition of every review.
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

// Trouble reads one trouble, without its cases.
func (s *Store) Trouble(ctx context.Context, key string) (Trouble, error) {
	t, err := scanTrouble(s.db.QueryRowContext(ctx, selectTroubles+" WHERE `key` = ?", key))
	return t, translate(err)
}

// AddTrouble adds a trouble.
func (t *Tx) AddTrouble(x *reading.Trouble) error {
	return t.exec(
		"INSERT INTO troubles (id, `key`, document, person, created) VALUES (?, ?, ?, ?, ?)",
		NewID(),
		x.Key,
		asJSON(x),
		null(t.person),
		t.now,
	)
}

// EditTrouble corrects a trouble; its key stays.
func (t *Tx) EditTrouble(ref Ref, x *reading.Trouble) error {
	return t.edit("troubles", ref.ID, ref.Revision, "document = ?", asJSON(x))
}
