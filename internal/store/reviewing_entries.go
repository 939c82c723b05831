package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"slices"
	"time"

	"dappertally/core/reading"
)

// EntryRow is the newest revision of an entry of a review's record.
type EntryRow struct {
	Review string
	reading.Entry
	Revision int
	Person   string // author of this revision; empty: the service itself
	Written  time.Time
	Pinned   bool // an acceptance has pinned it
	Restores int  // the earlier revision whose content this one restores; 0: new content
}

const selectEntries = `SELECT e.review, e.id, e.revision, e.part, e.document, e.dropped, p.name, e.written, e.pinned, COALESCE(e.restores, 0) FROM review_entries e LEFT JOIN people p ON p.id = e.person`

// loadEntries reads the newest revision of each existing entry, or only of pinned ones. where restricts the entries.
func loadEntries(ctx context.Context, q querier, pinnedOnly bool, where string, args ...any) ([]EntryRow, error) {
	newest := `e.revision = (SELECT MAX(n.revision) FROM review_entries n WHERE n.review = e.review AND n.id = e.id)`
	if pinnedOnly {
		newest = `e.revision = (SELECT MAX(n.revision) FROM review_entries n WHERE n.review = e.review AND n.id = e.id AND n.pinned)`
	}
	rows := []EntryRow{}
	err := each(
		ctx,
		q,
		selectEntries+` WHERE `+newest+` AND NOT e.dropped AND `+arrivedEntries+` `+where+` ORDER BY e.review, e.id`,
		args,
		func(row *sql.Rows) error {
			r, _, err := scanEntry(row)
			rows = append(rows, r)
			return err
		},
	)
	return rows, err
}

func scanEntry(row interface{ Scan(...any) error }) (r EntryRow, dropped bool, err error) {
	var id, part string
	var document []byte
	if err := row.Scan(&r.Review, &id, &r.Revision, &part, &document, &dropped, orEmpty{&r.Person}, &r.Written, &r.Pinned, &r.Restores); err != nil {
		return r, false, err
	}
	if err := json.Unmarshal(wrapped(part, document), &r.Entry); err != nil {
		return r, false, err
	}
	_, head := r.Part()
	head.ID = id
	return r, dropped, nil
}

// wrapped returns a document under the name of its part, as an Entry is encoded.
func wrapped(part string, document []byte) []byte {
	return append(append([]byte(`{"`+part+`":`), document...), '}')
}

// document returns an entry without the name of its part.
func document(e *reading.Entry) (part, document string) {
	part, _ = e.Part()
	var fields map[string]json.RawMessage
	if err := json.Unmarshal([]byte(asJSON(e)), &fields); err != nil {
		panic(err)
	}
	return part, string(fields[part])
}

// Entries reads the entries of a review; pinnedOnly returns what the public sees.
func (s *Store) Entries(ctx context.Context, review string, pinnedOnly bool) ([]EntryRow, error) {
	return loadEntries(ctx, s.db, pinnedOnly, `AND e.review = ?`, review)
}

// EntriesOf is Entries for many reviews, one after the other.
func (s *Store) EntriesOf(ctx context.Context, reviews []string, pinnedOnly bool) ([]EntryRow, error) {
	return entriesOf(ctx, s.db, reviews, pinnedOnly)
}

func entriesOf(ctx context.Context, q querier, reviews []string, pinnedOnly bool) ([]EntryRow, error) {
	all := []EntryRow{}
	for some := range slices.Chunk(reviews, manyIDs) {
		part, err := loadEntries(ctx, q, pinnedOnly, `AND e.review IN (?`+among(some)+`)`, anys(some)...)
		if err != nil {
			return nil, err
		}
		all = append(all, part...)
	}
	return all, nil
}

// Entries reads all entries of a review within the transaction.
func (t *Tx) Entries(review string) ([]EntryRow, error) {
	return loadEntries(t.ctx, t, false, `AND e.review = ?`, review)
}

// FindEntry reads the newest revision of an entry, and whether it was removed, within the transaction.
func (t *Tx) FindEntry(review, id string) (EntryRow, bool, error) {
	r, dropped, err := scanEntry(
		t.row(selectEntries+` WHERE e.review = ? AND e.id = ? AND `+arrivedEntries+` ORDER BY e.revision DESC LIMIT 1`, review, id),
	)
	return r, dropped, translate(err)
}

// Disclosed reports whether the writing person has, or had, a disclosure in a review.
func (t *Tx) Disclosed(review string) (has bool, err error) {
	err = t.row(`SELECT EXISTS (SELECT 1 FROM review_entries WHERE review = ? AND part = 'disclosure' AND person = ?)`, review, null(t.person)).
		Scan(&has)
	return has, translate(err)
}

// AddEntry writes a revision of an entry: 1 for a new one. Of two writers of the same revision, one gets ErrExists.
func (t *Tx) AddEntry(review string, revision int, e *reading.Entry, dropped, pinned bool) error {
	part, doc := document(e)
	_, head := e.Part()
	return t.exec(
		`INSERT INTO review_entries (review, id, revision, part, document, known_issue, dropped, person, written, pinned, import_id)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		review,
		head.ID,
		revision,
		part,
		doc,
		knownIssueOf(e),
		dropped,
		null(t.person),
		t.now,
		pinned,
		t.importID,
	)
}

// knownIssueOf returns the key of the known issue of which an entry is a case.
func knownIssueOf(e *reading.Entry) string {
	if e.Finding == nil {
		return ""
	}
	return e.Finding.KnownIssue
}

// PinEntries makes the present content of a review's record public.
func (t *Tx) PinEntries(review string) error {
	return t.exec(`UPDATE review_entries e SET e.pinned = TRUE WHERE e.review = ? AND `+arrivedEntries, review)
}

// PinnedEntries reads the pinned entries of the reviews with those ids, by review.
func (s *Store) PinnedEntries(ctx context.Context, reviews []string) (map[string][]reading.Entry, error) {
	rows, err := entriesOf(ctx, s.db, reviews, true)
	all := map[string][]reading.Entry{}
	for i := range rows {
		all[rows[i].Review] = append(all[rows[i].Review], rows[i].Entry)
	}
	return all, err
}
