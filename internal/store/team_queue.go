package store

import (
	"context"
	"database/sql"
	"fmt"
	"time"
)

// Request is a request for a review, with everybody who requested it.
type Request struct {
	Ref
	Subject     string // a key of the catalogue, or words for something that is not in it
	State       string // open, met, declined
	Decision    string
	Created     time.Time
	RequestedBy []Requester
}

// Requester is somebody who requested a review.
type Requester struct {
	Person string // empty: a reader without an account
	Reason string
	At     time.Time
}

// QueuePlace is the lead's decision about a subject of the queue.
type QueuePlace struct {
	Place   int    // 0: none
	LeftOut string // why it is left out for now
}

// Requests reads requests, oldest first, with their requesters.
func (s *Store) Requests(ctx context.Context) ([]Request, error) {
	requests := []Request{}
	byID := map[string]int{}
	err := each(
		ctx,
		s.db,
		`SELECT id, revision, subject, state, decision, created FROM requests ORDER BY created, id`,
		nil,
		func(row *sql.Rows) error {
			var r Request
			err := row.Scan(&r.ID, &r.Revision, &r.Subject, &r.State, &r.Decision, &r.Created)
			byID[r.ID] = len(requests)
			requests = append(requests, r)
			return err
		},
	)
	if err != nil {
		return nil, err
	}
	err = each(
		ctx,
		s.db,
		`SELECT v.request, p.name, v.reason, v.at FROM requesters v LEFT JOIN people p ON p.id = v.person ORDER BY v.request, v.number`,
		nil,
		func(row *sql.Rows) error {
			var id string
			var v Requester
			if err := row.Scan(&id, orEmpty{&v.Person}, &v.Reason, &v.At); err != nil {
				return err
			}
			if i, ok := byID[id]; ok {
				requests[i].RequestedBy = append(requests[i].RequestedBy, v)
			}
			return nil
		},
	)
	return requests, err
}

// OpenRequest returns the open request for a subject; ErrNotFound if there is none. Until the transaction ends,
// nobody else can open one.
func (t *Tx) OpenRequest(subject string) (id string, err error) {
	if err := t.lockQueue(); err != nil {
		return "", err
	}
	err = t.row(`SELECT id FROM requests WHERE state = 'open' AND subject = ?`, subject).Scan(&id)
	return id, translate(err)
}

// AddRequest adds an open request without requesters.
func (t *Tx) AddRequest(subject string) (id string, err error) {
	id = NewID()
	return id, t.exec(`INSERT INTO requests (id, subject, created) VALUES (?, ?, ?)`, id, subject, t.now)
}

// AddRequester adds a requester to a request: the writing person, or a reader without an account. A second request of
// a person returns ErrExists.
func (t *Tx) AddRequester(request, reason string, reader bool) error {
	person := null(t.person)
	if reader {
		person = null("")
	}
	var number int
	if err := t.row(`SELECT COALESCE(MAX(number), 0) + 1 FROM requesters WHERE request = ?`, request).Scan(&number); err != nil {
		return translate(err)
	}
	return t.exec(
		`INSERT INTO requesters (request, number, person, reason, at) VALUES (?, ?, ?, ?, ?)`,
		request,
		number,
		person,
		reason,
		t.now,
	)
}

// DecideRequest closes a request.
func (t *Tx) DecideRequest(ref Ref, state, decision string) error {
	return t.edit("requests", ref.ID, ref.Revision, "state = ?, decision = ?", state, decision)
}

// MeetRequests closes the open requests for subjects that were reviewed.
func (t *Tx) MeetRequests(subjects []string, decision string) error {
	for _, s := range subjects {
		if err := t.exec(`UPDATE requests SET state = 'met', decision = ?, revision = revision + 1 WHERE state = 'open' AND subject = ?`, decision, s); err != nil {
			return err
		}
	}
	return nil
}

// QueuePlaces reads the lead's order by subject, and the number of its last change.
func (s *Store) QueuePlaces(ctx context.Context) (places map[string]QueuePlace, last int, err error) {
	places = map[string]QueuePlace{}
	if err := s.db.QueryRowContext(ctx, `SELECT COALESCE(MAX(number), 0) + 1 FROM changes WHERE sort = 'queue' AND action = 'ordered'`).Scan(&last); err != nil {
		return nil, 0, translate(err)
	}
	err = each(ctx, s.db, `SELECT subject, place, left_out FROM queue_places`, nil, func(row *sql.Rows) error {
		var subject string
		var p QueuePlace
		err := row.Scan(&subject, &p.Place, &p.LeftOut)
		places[subject] = p
		return err
	})
	return places, last, err
}

// lockQueue makes writers of the queue wait for each other. They lock the policy's row, which always exists: locking
// a missing row could cause a deadlock.
func (t *Tx) lockQueue() error {
	var id string
	return translate(t.row(`SELECT id FROM policy FOR UPDATE`).Scan(&id))
}

// LastOrder returns the number of QueuePlaces, within the transaction; nobody else can order the queue until it ends.
func (t *Tx) LastOrder() (last int, err error) {
	if err := t.lockQueue(); err != nil {
		return 0, err
	}
	err = t.row(`SELECT COALESCE(MAX(number), 0) + 1 FROM changes WHERE sort = 'queue' AND action = 'ordered'`).
		Scan(&last)
	return last, translate(err)
}

// OrderQueue puts subjects in order; all others lose their place.
func (t *Tx) OrderQueue(subjects []string) error {
	if err := t.exec(`UPDATE queue_places SET place = 0`); err != nil {
		return err
	}
	for i, s := range subjects {
		if err := t.exec(`INSERT INTO queue_places (subject, place) VALUES (?, ?) ON DUPLICATE KEY UPDATE place = VALUES(place)`, s, i+1); err != nil {
			return err
		}
	}
	return t.exec(`DELETE FROM queue_places WHERE place = 0 AND left_out = ''`)
}

// LeaveOut stores why a subject is left out for now; empty: it is not.
func (t *Tx) LeaveOut(subject, why string) error {
	return t.exec(
		`INSERT INTO queue_places (subject, place, left_out) VALUES (?, 0, ?) ON DUPLICATE KEY UPDATE left_out = VALUES(left_out)`,
		subject,
		why,
	)
}

// Progress returns, for each planned, underway or submitted review, which criteria somebody has answered (true) or
// given a reason for not answering (false).
func (s *Store) Progress(ctx context.Context) (map[string]map[string]string, error) {
	progress := map[string]map[string]string{}
	err := each(
		ctx,
		s.db,
		`SELECT x.review, x.criterion, MAX(NOT JSON_EXISTS(x.answer, '$.notTested') AND NOT JSON_EXISTS(x.answer, '$.notApplicable')), MAX(JSON_EXISTS(x.answer, '$.notApplicable'))
		FROM readings x JOIN reviews r ON r.id = x.review WHERE r.state IN ('planned', 'underway', 'submitted')
		AND `+arrivedReadings+` AND NOT EXISTS (SELECT 1 FROM readings y WHERE y.review = x.review AND y.replaces = x.id
		AND `+fmt.Sprintf(arrived, "y")+`) GROUP BY x.review, x.criterion`,
		nil,
		func(row *sql.Rows) error {
			var review, criterion string
			var answered, inapplicable bool
			if err := row.Scan(&review, &criterion, &answered, &inapplicable); err != nil {
				return err
			}
			if progress[review] == nil {
				progress[review] = map[string]string{}
			}
			state := "not-tested"
			switch {
			case answered:
				state = "answered"
			case inapplicable:
				state = "not-applicable"
			}
			progress[review][criterion] = state
			return nil
		},
	)
	return progress, err
}

// Suggestion is a suggestion from a reader without an account.
type Suggestion struct {
	Ref
	Sort      string // review, checklist, correction
	Subject   string
	Text      string
	Contact   string
	State     string // held, accepted, declined
	Decision  string
	DecidedBy string
	Became    string // id of the request that resulted
	Created   time.Time
}

// AddSuggestion stores a suggestion.
func (t *Tx) AddSuggestion(x *Suggestion) error {
	return t.exec(
		`INSERT INTO suggestions (id, sort, subject, text, contact, created) VALUES (?, ?, ?, ?, ?, ?)`,
		x.ID,
		x.Sort,
		x.Subject,
		x.Text,
		x.Contact,
		t.now,
	)
}

// HeldSuggestions counts the suggestions that wait for a lead.
func (s *Store) HeldSuggestions(ctx context.Context) (n int, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT COUNT(*) FROM suggestions WHERE state = 'held'`).Scan(&n)
	return n, translate(err)
}

// Suggestions reads all suggestions, newest first.
func (s *Store) Suggestions(ctx context.Context) ([]Suggestion, error) {
	out := []Suggestion{}
	err := each(
		ctx,
		s.db,
		`SELECT s.id, s.revision, s.sort, s.subject, s.text, s.contact, s.state, s.decision, p.name, s.became, s.created
		FROM suggestions s LEFT JOIN people p ON p.id = s.decided_by ORDER BY s.created DESC, s.id DESC`,
		nil,
		func(row *sql.Rows) error {
			var x Suggestion
			err := row.Scan(
				&x.ID,
				&x.Revision,
				&x.Sort,
				&x.Subject,
				&x.Text,
				&x.Contact,
				&x.State,
				&x.Decision,
				orEmpty{&x.DecidedBy},
				&x.Became,
				&x.Created,
			)
			out = append(out, x)
			return err
		},
	)
	return out, err
}

// FindSuggestion returns a suggestion's reference and state, within the transaction.
func (t *Tx) FindSuggestion(id string) (ref Ref, state string, err error) {
	ref.ID = id
	err = t.row(`SELECT revision, state FROM suggestions WHERE id = ?`, id).Scan(&ref.Revision, &state)
	return ref, state, translate(err)
}

// DecideSuggestion accepts a suggestion or declines it.
func (t *Tx) DecideSuggestion(ref Ref, state, decision, became string) error {
	return t.edit(
		"suggestions",
		ref.ID,
		ref.Revision,
		"state = ?, decision = ?, decided_by = ?, became = ?",
		state,
		decision,
		null(t.person),
		became,
	)
}
