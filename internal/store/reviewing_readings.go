package store

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"time"

	"dappertally/core/reading"
)

const readingColumns = `x.review, x.id, x.criterion, p.name, g.key, x.measured, x.received, x.system, x.method, x.setup, x.phase,
	x.answer, x.adjustment, x.adjustment_reason, x.bound, x.disturbance, x.replaces, x.is_repeat, x.note, x.boots`

// Without the hint, the database starts with the people if many reviews are named, and reads everything that each
// wrote.
var readingTables = ` FROM readings x STRAIGHT_JOIN people p ON p.id = x.reviewer LEFT JOIN rigs g ON g.id = x.rig WHERE ` +
	arrivedReadings + ` AND `

// loadReadings reads readings by review, each ordered by time, then id. where restricts them.
func loadReadings(ctx context.Context, q querier, where string, args ...any) (map[string][]reading.Reading, error) {
	readings := map[string][]reading.Reading{}
	err := each(
		ctx,
		q,
		`SELECT `+readingColumns+readingTables+where,
		args,
		func(row *sql.Rows) error {
			review, x, err := scanReading(row)
			readings[review] = append(readings[review], x)
			return err
		},
	)
	for _, of := range readings { // sorted here, since the database would sort all of them together
		slices.SortFunc(of, func(a, b reading.Reading) int {
			return cmp.Or(a.At.Compare(b.At), strings.Compare(a.ID, b.ID))
		})
	}
	return readings, err
}

func scanReading(row interface{ Scan(...any) error }) (review string, x reading.Reading, err error) {
	var received sql.NullTime
	var answer []byte
	var amount sql.NullFloat64
	var reason, boots string
	err = row.Scan(
		&review,
		&x.ID,
		&x.Criterion,
		&x.Reviewer,
		orEmpty{&x.Rig},
		&x.At,
		&received,
		&x.System,
		&x.Context.Method,
		&x.Context.Setup,
		&x.Context.Phase,
		&answer,
		&amount,
		&reason,
		&x.Bound,
		&x.Disturbance,
		orEmpty{&x.Replaces},
		&x.Repeat,
		&x.Note,
		&boots,
	)
	if err != nil {
		return "", x, err
	}
	if x.Boots, err = reading.ParseBoots(boots); err != nil {
		return "", x, err
	}
	if received.Valid {
		x.Received = &received.Time
	}
	if amount.Valid {
		x.Adjustment = &reading.Adjustment{Amount: amount.Float64, Reason: reason}
	}
	return review, x, json.Unmarshal(answer, &x.Answer)
}

// Readings reads all readings of a review, ordered by time, then id; pinnedOnly leaves out those that no acceptance
// has pinned.
func (s *Store) Readings(ctx context.Context, review string, pinnedOnly bool) ([]reading.Reading, error) {
	where := `x.review = ?`
	if pinnedOnly {
		where += ` AND x.pinned`
	}
	all, err := loadReadings(ctx, s.db, where, review)
	if err != nil {
		return nil, err
	}
	if all[review] == nil {
		return []reading.Reading{}, nil
	}
	return all[review], nil
}

// ReadingsOf is Readings for many reviews, by review.
func (s *Store) ReadingsOf(
	ctx context.Context, reviews []string, pinnedOnly bool,
) (map[string][]reading.Reading, error) {
	return readingsOf(ctx, s.db, reviews, pinnedOnly)
}

func readingsOf(
	ctx context.Context, q querier, reviews []string, pinnedOnly bool,
) (map[string][]reading.Reading, error) {
	pinned := ``
	if pinnedOnly {
		pinned = `x.pinned AND `
	}
	all := map[string][]reading.Reading{}
	for some := range slices.Chunk(reviews, manyIDs) {
		part, err := loadReadings(ctx, q, pinned+`x.review IN (?`+among(some)+`)`, anys(some)...)
		if err != nil {
			return nil, err
		}
		maps.Copy(all, part)
	}
	return all, nil
}

// Unpinned returns which of these reviews have readings that no acceptance has pinned.
func (s *Store) Unpinned(ctx context.Context, reviews []string) (map[string]bool, error) {
	found := map[string]bool{}
	for some := range slices.Chunk(reviews, manyIDs) {
		ids, err := texts(
			ctx, s.db, `SELECT DISTINCT x.review FROM readings x WHERE NOT x.pinned AND `+arrivedReadings+` AND x.review IN (?`+among(some)+`)`,
			anys(some)...)
		if err != nil {
			return nil, err
		}
		for _, id := range ids {
			found[id] = true
		}
	}
	return found, nil
}

// Pinned returns the ids of a review's pinned readings.
func (s *Store) Pinned(ctx context.Context, review string) (map[string]bool, error) {
	return loadPinned(ctx, s.db, review)
}

// Pinned is Store.Pinned within the transaction.
func (t *Tx) Pinned(review string) (map[string]bool, error) { return loadPinned(t.ctx, t, review) }

func loadPinned(ctx context.Context, q querier, review string) (map[string]bool, error) {
	pinned := map[string]bool{}
	err := each(
		ctx,
		q,
		`SELECT id FROM readings WHERE review = ? AND pinned`,
		[]any{review},
		func(row *sql.Rows) error {
			var id string
			err := row.Scan(&id)
			pinned[id] = true
			return err
		},
	)
	return pinned, err
}

// FindReading reads one reading of a review within the transaction.
func (t *Tx) FindReading(review, id string) (reading.Reading, error) {
	_, x, err := scanReading(
		t.row(`SELECT `+readingColumns+readingTables+`x.review = ? AND x.id = ?`, review, id),
	)
	return x, translate(err)
}

// ReplacedBy returns the reading of the review that replaces the one with that id; ErrNotFound if none does.
func (t *Tx) ReplacedBy(review, id string) (reading.Reading, error) {
	_, x, err := scanReading(
		t.row(`SELECT `+readingColumns+readingTables+`x.review = ? AND x.replaces = ?`, review, id),
	)
	return x, translate(err)
}

// ReadingRow is a reading with the ids of what it refers to.
type ReadingRow struct {
	*reading.Reading
	Review, Version, Reviewer, Rig string // ids; Rig can be empty
	Received                       time.Time
	Pinned                         bool
}

const insertReading = `INSERT INTO readings (review, id, checklist_version, criterion, reviewer, rig, measured, received, system, method, setup, phase,
	answer, adjustment, adjustment_reason, bound, disturbance, replaces, is_repeat, note, boots, pinned,
	import_id) VALUES `

const readingPlaces = `(?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`

// AddReadings inserts readings in statements of many rows each.
func (t *Tx) AddReadings(rows []ReadingRow) error {
	const batch = 500
	for len(rows) > 0 {
		n := min(batch, len(rows))
		args := make([]any, 0, 23*n)
		for _, r := range rows[:n] {
			args = append(append(args, r.values()...), t.importID)
		}
		if err := t.exec(insertReading+readingPlaces+strings.Repeat(", "+readingPlaces, n-1), args...); err != nil {
			return err
		}
		rows = rows[n:]
	}
	return nil
}

func (r *ReadingRow) values() []any {
	var amount sql.NullFloat64
	var reason string
	if a := r.Adjustment; a != nil {
		amount, reason = sql.NullFloat64{Float64: a.Amount, Valid: true}, a.Reason
	}
	return []any{
		r.Review,
		r.ID,
		r.Version,
		r.Criterion,
		r.Reviewer,
		null(r.Rig),
		r.At,
		sql.NullTime{Time: r.Received, Valid: !r.Received.IsZero()},
		r.System,
		r.Context.Method,
		r.Context.Setup,
		r.Context.Phase,
		asJSON(&r.Answer),
		amount,
		reason,
		r.Bound,
		r.Disturbance,
		null(r.Replaces),
		r.Repeat,
		r.Note,
		reading.BootWords(r.Boots),
		r.Pinned,
	}
}

// Readings reads all readings of a review within the transaction, by time then id.
func (t *Tx) Readings(review string) ([]reading.Reading, error) {
	all, err := loadReadings(t.ctx, t, `x.review = ?`, review)
	return all[review], err
}

// Sampled is a reading with its review and the edition's key.
type Sampled struct {
	reading.Reading
	Review, Edition string
}

// ReadingsOn reads the readings of one criterion on one rig, ordered by time, in some checklist versions; all except
// the criterion are given by id. pinnedOnly leaves out those that no acceptance has pinned.
func (s *Store) ReadingsOn(
	ctx context.Context, versions []string, criterion, rig string, pinnedOnly bool,
) ([]Sampled, error) {
	if len(versions) == 0 {
		return nil, nil
	}
	where := `x.checklist_version IN (?` + among(versions) + `) AND x.criterion = ? AND x.rig = ? AND r.state <> '` +
		reading.Withdrawn + `'`
	if pinnedOnly {
		where += ` AND x.pinned`
	}
	var all []Sampled
	err := each(ctx, s.db, `SELECT `+readingColumns+`, CONCAT(d.key, '/', l.version, '/', e.key)
		FROM readings x STRAIGHT_JOIN reviews r ON r.id = x.review STRAIGHT_JOIN editions e ON e.id = r.edition
		STRAIGHT_JOIN releases l ON l.id = e.release STRAIGHT_JOIN distributions d ON d.id = l.distribution
		STRAIGHT_JOIN people p ON p.id = x.reviewer LEFT JOIN rigs g ON g.id = x.rig WHERE `+arrivedReadings+` AND `+where,
		append(anys(versions), criterion, rig), func(row *sql.Rows) error {
			var one Sampled
			var err error
			one.Review, one.Reading, err = scanReading(withEdition{row, &one.Edition})
			all = append(all, one)
			return err
		})
	if err != nil {
		return nil, err
	}
	slices.SortFunc(all, func(a, b Sampled) int { return cmp.Or(a.At.Compare(b.At), strings.Compare(a.ID, b.ID)) })
	return all, nil
}

// withEdition is a row with an edition's key after the columns of a reading.
type withEdition struct {
	*sql.Rows
	edition *string
}

func (w withEdition) Scan(into ...any) error { return w.Rows.Scan(append(into, w.edition)...) }
