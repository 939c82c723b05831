package store

import (
	"context"
	"database/sql"
	"fmt"
	"slices"
	"time"

	"dappertally/core/reading"
)

// Review is a stored review, without its readings.
type Review struct {
	Ref
	Edition    string // distribution/release/edition
	Checklist  string // key@version
	State      string
	Accepted   time.Time // zero: never
	Continues  string
	Carried    string // the review on an older version from which this one was carried over
	Assigned   string // a person's name
	Due        string // YYYY-MM-DD
	Reason     string
	Created    time.Time
	AcceptedBy string // a person's name
	Waiting    int    // number of readings and entries that no acceptance has pinned
	Alone      bool   // its last acceptance was by its only reviewer
}

// selectReviews reads reviews, with %s for the number of their waiting readings and entries.
const selectReviews = `SELECT r.id, r.revision, CONCAT(d.key, '/', e2.version, '/', e.key), CONCAT(c.key, '@', v.version), r.state, r.accepted,
	r.continues, r.carried_from, p.name, DATE_FORMAT(r.due, '%%Y-%%m-%%d'), r.reason, r.created, q.name, %s,
	r.accepted_by IS NOT NULL AND NOT EXISTS (SELECT 1 FROM readings x WHERE x.review = r.id AND x.pinned AND x.reviewer <> r.accepted_by)
	FROM reviews r JOIN editions e ON e.id = r.edition JOIN releases e2 ON e2.id = e.release JOIN distributions d ON d.id = e2.distribution
	JOIN checklist_versions v ON v.id = r.checklist_version JOIN checklists c ON c.id = v.checklist LEFT JOIN people p ON p.id = r.assigned LEFT JOIN people q ON q.id = r.accepted_by`

// countWaiting counts what waits in a review.
var countWaiting = `(SELECT COUNT(*) FROM readings x WHERE x.review = r.id AND NOT x.pinned AND ` + arrivedReadings + `)
	+ (SELECT COUNT(*) FROM review_entries e WHERE e.review = r.id AND NOT e.pinned AND ` + arrivedEntries + `)`

// loadReviews reads the reviews with these ids, or all where ids is nil.
func loadReviews(ctx context.Context, q querier, ids []string) ([]Review, error) {
	return reviewsWith(ctx, q, countWaiting, ids)
}

// loadHeads is loadReviews without counting what waits.
func loadHeads(ctx context.Context, q querier, ids []string) ([]Review, error) {
	return reviewsWith(ctx, q, "0", ids)
}

func reviewsWith(ctx context.Context, q querier, waiting string, ids []string) ([]Review, error) {
	query, args := fmt.Sprintf(selectReviews, waiting), []any(nil)
	if ids != nil {
		if len(ids) == 0 {
			return []Review{}, nil
		}
		query, args = query+" WHERE r.id IN (?"+among(ids)+")", anys(ids)
	}
	reviews := []Review{}
	err := each(
		ctx,
		q,
		query+" ORDER BY d.key, e2.date, e2.version, e.key, r.created, r.id",
		args,
		func(row *sql.Rows) error {
			var r Review
			var accepted sql.NullTime
			if err := row.Scan(&r.ID, &r.Revision, &r.Edition, &r.Checklist, &r.State, &accepted, orEmpty{&r.Continues}, orEmpty{&r.Carried}, orEmpty{&r.Assigned}, orEmpty{&r.Due}, &r.Reason, &r.Created, orEmpty{&r.AcceptedBy}, &r.Waiting, &r.Alone); err != nil {
				return err
			}
			r.Accepted = accepted.Time
			reviews = append(reviews, r)
			return nil
		},
	)
	return reviews, err
}

func anys(ss []string) []any {
	out := make([]any, len(ss))
	for i, s := range ss {
		out[i] = s
	}
	return out
}

// AddReview adds a review with its ids of edition, checklist version and, if any, assigned person and continued
// review.
func (t *Tx) AddReview(r *Review, edition, version, assigned string) error {
	err := t.exec(
		`INSERT INTO reviews (id, edition, checklist_version, state, accepted, continues, carried_from, assigned, due, reason, created)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		r.ID,
		edition,
		version,
		r.State,
		sql.NullTime{Time: r.Accepted, Valid: !r.Accepted.IsZero()},
		null(r.Continues),
		null(r.Carried),
		null(assigned),
		null(r.Due),
		r.Reason,
		t.now,
	)
	if err != nil || r.Accepted.IsZero() {
		return err
	}
	return t.addAcceptance(r.ID, r.Accepted)
}

// addAcceptance stores when a review was accepted, so that a past moment can be restored.
func (t *Tx) addAcceptance(review string, at time.Time) error {
	return t.exec(`INSERT IGNORE INTO acceptances (review, accepted) VALUES (?, ?)`, review, at)
}

// MoveReview sets a review's state.
func (t *Tx) MoveReview(ref Ref, state, reason string) error {
	return t.edit("reviews", ref.ID, ref.Revision, "state = ?, reason = ?", state, reason)
}

// AcceptReview accepts a review and pins all its readings and entries.
func (t *Tx) AcceptReview(ref Ref, reason string) error {
	if err := t.edit("reviews", ref.ID, ref.Revision, "state = ?, accepted = ?, accepted_by = ?, reason = ?", reading.Accepted, t.now, null(t.person), reason); err != nil {
		return err
	}
	if err := t.addAcceptance(ref.ID, t.now); err != nil {
		return err
	}
	if err := t.exec(`UPDATE readings x SET x.pinned = TRUE WHERE x.review = ? AND `+arrivedReadings, ref.ID); err != nil {
		return err
	}
	return t.PinEntries(ref.ID)
}

// LockReview reads a review's state and locks it until the transaction ends.
func (t *Tx) LockReview(id string) (state, version string, err error) {
	err = t.row(`SELECT state, checklist_version FROM reviews WHERE id = ? FOR UPDATE`, id).Scan(&state, &version)
	return state, version, translate(err)
}

// CarriedTo reports whether a review was already carried over to a checklist version.
func (t *Tx) CarriedTo(id, version string) (already bool, err error) {
	err = t.row(`SELECT EXISTS (SELECT 1 FROM reviews WHERE carried_from = ? AND checklist_version = ? AND state <> ?)`, id, version, reading.Withdrawn).
		Scan(&already)
	return already, translate(err)
}

// Start moves a planned review to underway.
func (t *Tx) Start(id string) error {
	return t.exec(
		`UPDATE reviews SET state = ?, revision = revision + 1 WHERE id = ? AND state = ?`,
		reading.Underway,
		id,
		reading.Planned,
	)
}

// Review reads one review.
func (s *Store) Review(ctx context.Context, id string) (Review, error) {
	return loadReview(ctx, s.db, id)
}

// Review reads a review within the transaction.
func (t *Tx) Review(id string) (Review, error) { return loadReview(t.ctx, t, id) }

func loadReview(ctx context.Context, q querier, id string) (Review, error) {
	rs, err := loadReviews(ctx, q, []string{id})
	if err != nil {
		return Review{}, err
	}
	if len(rs) == 0 {
		return Review{}, ErrNotFound
	}
	return rs[0], nil
}

// Reviews reads all reviews within the transaction, by edition, without counting what waits in them.
func (t *Tx) Reviews() ([]Review, error) { return loadHeads(t.ctx, t, nil) }

// Waiting counts what no acceptance has pinned in each of these reviews.
func (s *Store) Waiting(ctx context.Context, ids []string) (map[string]int, error) {
	waiting := map[string]int{}
	for some := range slices.Chunk(ids, manyIDs) {
		for _, table := range []string{"readings", "review_entries"} {
			err := each(
				ctx, s.db,
				`SELECT x.review, COUNT(*) FROM `+table+` x WHERE x.review IN (?`+among(some)+`) AND NOT x.pinned AND `+
					arrivedReadings+` GROUP BY x.review`,
				anys(some),
				func(row *sql.Rows) error {
					var review string
					var n int
					err := row.Scan(&review, &n)
					waiting[review] += n
					return err
				},
			)
			if err != nil {
				return nil, err
			}
		}
	}
	return waiting, nil
}

// Assign assigns a review to a person, with a due date; either can be empty.
func (t *Tx) Assign(ref Ref, person, due string) error {
	return t.edit("reviews", ref.ID, ref.Revision, "assigned = ?, due = ?", null(person), null(due))
}

// AsAccepted returns the review as the core needs it, with these readings and entries. A reopened review is still
// accepted with what its last acceptance pinned.
func (r *Review) AsAccepted(readings []reading.Reading, entries []reading.Entry) reading.Review {
	out := reading.Review{
		ID:        r.ID,
		Edition:   r.Edition,
		Checklist: r.Checklist,
		State:     r.State,
		Continues: r.Continues,
		Carried:   r.Carried,
		Readings:  readings,
	}
	out.Take(entries)
	if !r.Accepted.IsZero() {
		accepted := r.Accepted
		out.Accepted = &accepted
		if r.State != reading.Withdrawn {
			out.State = reading.Accepted
		}
	}
	return out
}
