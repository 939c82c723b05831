package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"
)

// ErrAbandoned is an import that was given up, or taken for given up, before it was finished.
var ErrAbandoned = errors.New("the import was abandoned")

// arrived excludes the rows of a table, named %s, from unfinished imports. It is a count, so that the database looks
// each import up by its key: for NOT IN or NOT EXISTS it would build a list of all.
const arrived = `(SELECT COUNT(*) FROM pending_imports i WHERE i.id = %s.import_id) = 0`

// The conditions of visible readings (x) and visible entries of reviews (e).
var (
	arrivedReadings = fmt.Sprintf(arrived, "x")
	arrivedEntries  = fmt.Sprintf(arrived, "e")
)

// BeginImport starts an import that writes to these reviews in several transactions, and returns its id. Nobody sees
// what Stage writes for it before FinishImport.
func (s *Store) BeginImport(ctx context.Context, reviews []string) (id int64, err error) {
	id = 1 + rand.Int64N(1<<62)
	_, err = s.db.ExecContext(
		ctx, `INSERT INTO pending_imports (id, alive, reviews) VALUES (?, CURRENT_TIMESTAMP(6), ?)`, id, list(reviews),
	)
	return id, translate(err)
}

// Stage runs do in a separate transaction that belongs to an import; it logs no change. It returns ErrAbandoned if
// the import was given up.
func (s *Store) Stage(ctx context.Context, id int64, person string, now time.Time, do func(*Tx) error) error {
	_, err := s.inTurn(ctx, func() (int64, error) {
		t, err := s.begin(ctx, person, now)
		if err != nil {
			return 0, err
		}
		t.importID = id
		if err := do(t); err != nil {
			_ = t.Rollback() // the error that ends the transaction is more informative
			return 0, err
		}
		if err := t.meets(
			`UPDATE pending_imports SET alive = CURRENT_TIMESTAMP(6) WHERE id = ? AND NOT abandoned`, id,
		); err != nil {
			_ = t.Rollback()
			return 0, err
		}
		return 0, translate(t.Commit())
	})
	return err
}

// FinishImport makes the rows of an import visible when the transaction commits.
func (t *Tx) FinishImport(id int64) error {
	return t.meets(`DELETE FROM pending_imports WHERE id = ? AND NOT abandoned`, id)
}

// meets runs a statement that must affect the row of an import; ErrAbandoned if there is none.
func (t *Tx) meets(query string, id int64) error {
	res, err := t.ExecContext(t.ctx, query, id)
	if err != nil {
		return translate(err)
	}
	if n, err := res.RowsAffected(); err != nil || n == 1 {
		return translate(err)
	}
	return ErrAbandoned
}

// DropImport removes the rows of an unfinished import. It leaves a finished one alone.
func (s *Store) DropImport(ctx context.Context, id int64) error {
	res, err := s.db.ExecContext(ctx, `UPDATE pending_imports SET abandoned = TRUE WHERE id = ?`, id)
	if err != nil {
		return translate(err)
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return translate(err)
	}
	return s.remove(ctx, id)
}

// abandonedAfter is how long an import can write nothing before it counts as abandoned.
const abandonedAfter = time.Minute

// DropAbandoned removes the rows of interrupted imports, for example after an instance was killed.
func (s *Store) DropAbandoned(ctx context.Context) error {
	if _, err := s.db.ExecContext(
		ctx, `UPDATE pending_imports SET abandoned = TRUE WHERE alive < CURRENT_TIMESTAMP(6) - INTERVAL ? SECOND`,
		int64(abandonedAfter.Seconds()),
	); err != nil {
		return translate(err)
	}
	var ids []int64
	err := each(ctx, s.db, `SELECT id FROM pending_imports WHERE abandoned`, nil, func(row *sql.Rows) error {
		var id int64
		err := row.Scan(&id)
		ids = append(ids, id)
		return err
	})
	for _, id := range ids {
		err = errors.Join(err, s.remove(ctx, id))
	}
	return err
}

// remove deletes the rows of an abandoned import in batches, and finally the import.
func (s *Store) remove(ctx context.Context, id int64) error {
	var document []byte
	err := s.db.QueryRowContext(ctx, `SELECT reviews FROM pending_imports WHERE id = ?`, id).Scan(&document)
	if errors.Is(err, sql.ErrNoRows) {
		return nil // another instance removed it
	}
	if err != nil {
		return translate(err)
	}
	var reviews []string
	if err := json.Unmarshal(document, &reviews); err != nil {
		return err
	}
	const atOnce = 20
	for some := range slices.Chunk(reviews, atOnce) {
		for _, table := range []string{"readings", "review_entries"} {
			if _, err := s.db.ExecContext(
				ctx, `DELETE FROM `+table+` WHERE review IN (?`+among(some)+`) AND import_id = ?`, append(anys(some), id)...,
			); err != nil {
				return translate(err)
			}
		}
	}
	_, err = s.db.ExecContext(ctx, `DELETE FROM pending_imports WHERE id = ?`, id)
	return translate(err)
}

// IsPending reports whether any of these readings belongs to an unfinished import.
func (s *Store) IsPending(ctx context.Context, rows []ReadingRow) (is bool, err error) {
	args := make([]any, 0, 2*len(rows))
	for i := range rows {
		args = append(args, rows[i].Review, rows[i].ID)
	}
	err = s.db.QueryRowContext(
		ctx, `SELECT EXISTS (SELECT 1 FROM readings x JOIN pending_imports i ON i.id = x.import_id
			WHERE (x.review, x.id) IN ((?, ?)`+strings.Repeat(", (?, ?)", len(rows)-1)+`))`, args...,
	).Scan(&is)
	return is, translate(err)
}

// WithoutParents runs do without checks of foreign keys: a later transaction adds the referenced rows.
func (t *Tx) WithoutParents(do func() error) error {
	if err := t.exec(`SET SESSION foreign_key_checks = 0`); err != nil {
		return err
	}
	err := do()
	// A connection on which that fails is discarded, and the transaction with it.
	return errors.Join(err, t.exec(`SET SESSION foreign_key_checks = 1`))
}
