package store

import (
	"context"
	"database/sql"
	"slices"
	"strings"
	"time"
)

// Snapshot is a consistent read of the records as of one change.
type Snapshot struct {
	tx     *sql.Tx
	ctx    context.Context
	Number int64 // the newest change that it sees
}

// ReadAt opens a snapshot of the present. Close it.
func (s *Store) ReadAt(ctx context.Context) (*Snapshot, error) {
	tx, err := s.db.BeginTx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return nil, translate(err)
	}
	snap := &Snapshot{tx: tx, ctx: ctx}
	if err := tx.QueryRowContext(ctx, `SELECT number FROM change_counter`).Scan(&snap.Number); err != nil {
		snap.Close()
		return nil, translate(err)
	}
	return snap, nil
}

// Close ends the snapshot.
func (s *Snapshot) Close() {
	_ = s.tx.Rollback() // nothing was written
}

// Catalogue reads the catalogue and the rigs.
func (s *Snapshot) Catalogue() (*Catalogue, error) { return loadCatalogue(s.ctx, s.tx) }

// Checklists reads all checklist versions.
func (s *Snapshot) Checklists() (*Checklists, error) { return loadChecklists(s.ctx, s.tx) }

// Reviews reads the reviews with those ids, or all if ids is nil, without counting what waits in them.
func (s *Snapshot) Reviews(ids []string) ([]Review, error) {
	if ids == nil {
		return loadHeads(s.ctx, s.tx, nil)
	}
	all := []Review{}
	for some := range slices.Chunk(ids, manyIDs) {
		reviews, err := loadHeads(s.ctx, s.tx, some)
		if err != nil {
			return nil, err
		}
		all = append(all, reviews...)
	}
	return all, nil
}

// manyIDs is how many ids are named in one query.
const manyIDs = 500

// among returns the rest of a list of placeholders, after the first.
func among(values []string) string { return strings.Repeat(", ?", len(values)-1) }

// Touched reads which reviews a change affects if it affects many; none: all.
func (s *Snapshot) Touched(number int64) ([]string, error) { return touched(s.ctx, s.tx, number) }

// Touched is Snapshot.Touched within the transaction.
func (t *Tx) Touched(number int64) ([]string, error) { return touched(t.ctx, t, number) }

func touched(ctx context.Context, q querier, number int64) ([]string, error) {
	return texts(ctx, q, `SELECT review FROM touched WHERE number = ?`, number)
}

// Change is an entry of the change log.
type Change struct {
	Number  int64
	Sort    Sort
	Subject string
	Action  string
	Person  string // empty: the service itself
	At      time.Time
	Detail  string
}

// mostChanges is how many changes are read at once.
const mostChanges = 1000

// ChangesAfter reads what changed after a number, the oldest first.
func (s *Store) ChangesAfter(ctx context.Context, after int64) ([]Change, error) {
	return changesAfter(ctx, s.db, after, mostChanges)
}

func changesAfter(ctx context.Context, q querier, after int64, most int) ([]Change, error) {
	changes := []Change{}
	err := each(
		ctx,
		q,
		`SELECT c.number, c.at, c.sort, c.subject, c.action, p.name, c.detail FROM changes c LEFT JOIN people p ON p.id = c.person
		WHERE c.number > ? ORDER BY c.number LIMIT ?`,
		[]any{after, most},
		func(row *sql.Rows) error {
			var c Change
			err := row.Scan(&c.Number, &c.At, &c.Sort, &c.Subject, &c.Action, orEmpty{&c.Person}, &c.Detail)
			changes = append(changes, c)
			return err
		},
	)
	return changes, err
}

// WasAccepted reports whether a review was ever accepted.
func (s *Store) WasAccepted(ctx context.Context, review string) (was bool, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT accepted IS NOT NULL FROM reviews WHERE id = ?`, review).Scan(&was)
	return was, translate(err)
}

// LastMoves reads, for each of these reviews, the last change of its state or assignment.
func (s *Store) LastMoves(ctx context.Context, reviews []string) (map[string]Change, error) {
	moves := map[string]Change{}
	if len(reviews) == 0 {
		return moves, nil
	}
	err := each(
		ctx,
		s.db,
		`SELECT c.number, c.at, c.sort, c.subject, c.action, p.name, c.detail FROM changes c LEFT JOIN people p ON p.id = c.person
		JOIN (SELECT MAX(number) n FROM changes WHERE sort = 'review' AND subject IN (?`+strings.Repeat(
			", ?",
			len(reviews)-1,
		)+`)
			AND action IN ('planned', 'assigned', 'underway', 'submitted', 'accepted', 'withdrawn') GROUP BY subject) last ON last.n = c.number`,
		anys(reviews),
		func(row *sql.Rows) error {
			var c Change
			err := row.Scan(&c.Number, &c.At, &c.Sort, &c.Subject, &c.Action, orEmpty{&c.Person}, &c.Detail)
			moves[c.Subject] = c
			return err
		},
	)
	return moves, err
}

// Changes reads what changed after a number: only sort, subject and action.
func (s *Snapshot) Changes(after int64) ([]Change, error) { return briefly(s.ctx, s.tx, after) }

// Changes is Snapshot.Changes within the transaction.
func (t *Tx) Changes(after int64) ([]Change, error) { return briefly(t.ctx, t, after) }

func briefly(ctx context.Context, q querier, after int64) ([]Change, error) {
	var changes []Change
	err := each(
		ctx,
		q,
		`SELECT number, sort, subject, action FROM changes WHERE number > ? ORDER BY number`,
		[]any{after},
		func(row *sql.Rows) error {
			var c Change
			err := row.Scan(&c.Number, &c.Sort, &c.Subject, &c.Action)
			changes = append(changes, c)
			return err
		},
	)
	return changes, err
}

// LastCommitted is LastChange of everything committed on any node before the call.
func (s *Store) LastCommitted(ctx context.Context) (n int64, err error) {
	if !s.clustered(ctx) {
		return s.LastChange(ctx)
	}
	err = s.db.QueryRowContext(ctx, `SET STATEMENT wsrep_sync_wait = 1 FOR SELECT number FROM change_counter`).Scan(&n)
	return n, translate(err)
}

// LastChange returns the number of the newest change.
func (s *Store) LastChange(ctx context.Context) (n int64, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT number FROM change_counter`).Scan(&n)
	return n, translate(err)
}
