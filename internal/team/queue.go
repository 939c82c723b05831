// Package team manages what a team plans: the queue, comparison plans, bench sessions, suggestions, the calendar.
package team

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/fault"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/numerals"
	"dappertally/internal/policy"
	"dappertally/internal/problem"
	"dappertally/internal/reviewing"
	"dappertally/internal/store"
)

// Request is a request for a review, with everybody who requested it.
type Request = store.Request

// QueueItem is something to be reviewed, and why.
type QueueItem struct {
	Subject  string // an edition's key; a release's, a distribution's or words if a request is less specific
	Edition  bool   // the subject is an edition in the catalogue
	Place    int    // the lead's; 0: none
	LeftOut  string // why it is left out for now
	Why      []Why
	Request  *Request
	Review   *reviewing.Review // planned, underway or submitted
	Progress float64           // of that review: coverage, between 0 and 1
	Overdue  bool
}

// Why is one reason for reviewing something.
type Why struct {
	Sort string // request, new, newer, retest, final
	Says string
}

// Queue lists what is due, in the lead's order; subjects without a place follow: overdue ones first, then by
// requesters, then alphabetically. version is the one on which a change of the order is based.
func (s *Service) Queue(
	ctx context.Context,
	who *access.Actor,
	after int64,
) (items []QueueItem, version int, err error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return nil, 0, err
	}
	state, err := s.ledger.State(ctx, after)
	if err != nil {
		return nil, 0, err
	}
	q := &queue{state: state, items: map[string]*QueueItem{}, now: s.ledger.Now()}
	if q.policy, _, err = s.policy.Rules(ctx); err != nil {
		return nil, 0, err
	}
	if q.reviews, err = s.reviewing.All(ctx); err != nil {
		return nil, 0, err
	}
	q.done = reviewed(q.reviews)
	requests, err := s.ledger.Store.Requests(ctx)
	if err != nil {
		return nil, 0, ledger.Failed(err, "reading requests")
	}
	progress, err := s.ledger.Store.Progress(ctx)
	if err != nil {
		return nil, 0, ledger.Failed(err, "reading progress")
	}
	places, version, err := s.ledger.Store.QueuePlaces(ctx)
	if err != nil {
		return nil, 0, ledger.Failed(err, "reading the queue's order")
	}
	q.catalogue()
	q.underway(progress)
	q.addRequests(requests)
	for subject, p := range places {
		if x := q.items[state.Catalogue.Resolve(subject)]; x != nil {
			x.Place, x.LeftOut = p.Place, p.LeftOut
		}
	}
	for _, x := range q.items {
		items = append(items, *x)
	}
	slices.SortFunc(items, before)
	return items, version, nil
}

// before orders the queue.
func before(a, b QueueItem) int {
	rank := func(x QueueItem) int {
		switch {
		case x.LeftOut != "":
			return 2
		case x.Place > 0:
			return 0
		}
		return 1
	}
	flag := func(b bool) int {
		if b {
			return 0
		}
		return 1
	}
	requesters := func(x QueueItem) int {
		if x.Request == nil {
			return 0
		}
		return len(x.Request.RequestedBy)
	}
	return cmp.Or(
		cmp.Compare(rank(a), rank(b)),
		cmp.Compare(a.Place, b.Place),
		cmp.Compare(flag(a.Overdue), flag(b.Overdue)),
		cmp.Compare(requesters(b), requesters(a)),
		strings.Compare(a.Subject, b.Subject),
	)
}

// queue is built from the catalogue, the reviews and the requests.
type queue struct {
	state   *ledger.Records
	policy  policy.Rules
	reviews []store.Review
	done    map[string]bool // editions that have a review which was not withdrawn
	items   map[string]*QueueItem
	now     time.Time
}

func (q *queue) item(subject string) *QueueItem {
	x := q.items[subject]
	if x == nil {
		_, edition := q.state.Edition(subject)
		x = &QueueItem{Subject: subject, Edition: edition}
		q.items[subject] = x
	}
	return x
}

// reviewed returns the editions that have a review.
func reviewed(reviews []store.Review) map[string]bool {
	done := map[string]bool{}
	for i := range reviews {
		if reviews[i].State != reading.Withdrawn {
			done[reviews[i].Edition] = true
		}
	}
	return done
}

// catalogue adds the newest edition of each line if it has no review, and rolling releases whose review is stale.
func (q *queue) catalogue() {
	for i := range q.state.Catalogue.Distributions {
		d := &q.state.Catalogue.Distributions[i]
		newest := map[string]string{} // edition by line
		for _, r := range d.Releases {
			for _, e := range r.Editions {
				if !d.Retired && !r.Retired && !e.Retired && r.Date <= q.now.Format(time.DateOnly) {
					newest[cmp.Or(e.Line, e.Key)] = catalogue.EditionKey(d.Key, r.Version, e.Key)
				}
			}
		}
		for _, edition := range newest {
			q.due(d, edition)
		}
	}
}

func (q *queue) due(d *catalogue.Distribution, edition string) {
	if !q.done[edition] {
		earlier := q.state.Previous(edition)
		if earlier == nil {
			q.add(edition, "new", "never reviewed")
			return
		}
		if pre, final := reviewing.PreRelease(q.state, earlier.Edition); pre && final == edition {
			q.add(edition, "final", "the final release is out; "+earlier.Edition+" was a pre-release")
			return
		}
		q.add(edition, "newer", "makes the review of "+earlier.Edition+" outdated")
		return
	}
	r := q.state.CurrentReview(edition)
	if r == nil || d.Model == "fixed" {
		return
	}
	if days := int(q.now.Sub(*r.Accepted).Hours() / 24); days >= q.policy.RetestDays {
		q.add(
			edition,
			"retest",
			fmt.Sprintf("%s, accepted %s ago; review due every %s", d.Model,
				numerals.Count(days, "day"), numerals.Count(q.policy.RetestDays, "day")),
		)
	}
}

func (q *queue) add(subject, sort, says string) {
	x := q.item(subject)
	x.Why = append(x.Why, Why{sort, says})
}

// underway adds the open reviews.
func (q *queue) underway(progress map[string]map[string]string) {
	for i := range q.reviews {
		r := &q.reviews[i]
		if r.State != reading.Planned && r.State != reading.Underway && r.State != reading.Submitted {
			continue
		}
		x := q.item(r.Edition)
		if x.Review != nil && x.Review.Created.After(r.Created) {
			continue
		}
		x.Review = r
		x.Overdue = r.State != reading.Submitted && r.Due != "" && r.Due < q.now.Format(time.DateOnly)
		if list, err := scoring.Newest(q.state.Checklists.Lists, r.Checklist); err == nil {
			x.Progress = scoring.Progress(list, progress[r.ID])
		}
	}
}

func (q *queue) addRequests(requests []Request) {
	for i := range requests {
		r := &requests[i]
		if r.State != "open" {
			continue
		}
		x := q.item(q.state.Catalogue.Resolve(r.Subject))
		if x.Request != nil { // a merge has joined two requests
			x.Request.RequestedBy = append(x.Request.RequestedBy, r.RequestedBy...)
			x.Why[len(x.Why)-1].Says = fmt.Sprintf("requested by %d", len(x.Request.RequestedBy))
			continue
		}
		if x.Request = r; len(r.RequestedBy) > 0 {
			says := "requested by 1"
			if n := len(r.RequestedBy); n > 1 {
				says = fmt.Sprintf("requested by %d", n)
			}
			x.Why = append(x.Why, Why{"request", says})
		}
	}
}

const longestSubject = 250

// subject returns the subject of a request: a current key of the catalogue, or words.
func subject(state *ledger.Records, text string) (string, error) {
	text = strings.Join(strings.Fields(text), " ")
	if text == "" || len(text) > longestSubject {
		return "", problem.Field(
			"/subject",
			"name in 1 to %d bytes what to review, best as distribution/release/edition",
			longestSubject,
		)
	}
	return state.Catalogue.Resolve(text), nil
}

// Ask adds a request for a review. Repeated requests add requesters; each person counts once.
func (s *Service) Ask(
	ctx context.Context,
	who *access.Actor,
	text, reason string,
) (id string, change int64, err error) {
	if err := who.Permit(AskForReview); err != nil {
		return "", 0, err
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return "", 0, err
	}
	about, err := subject(state, text)
	if err != nil {
		return "", 0, err
	}
	change, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		id, err = ask(tx, about, reason, false)
		return err
	})
	return id, change, err
}

func ask(tx *store.Tx, about, reason string, reader bool) (id string, err error) {
	id, err = tx.OpenRequest(about)
	if errors.Is(err, store.ErrNotFound) {
		id, err = tx.AddRequest(about)
	}
	if err != nil {
		return "", err
	}
	if err := tx.AddRequester(id, reason, reader); err != nil {
		return "", ledger.Exists(err, "you already requested %s", about)
	}
	return id, tx.Log("asked", store.SortQueue, about, reason)
}

// DecideRequest closes a request that is met by other means, or declined with a reason.
func (s *Service) DecideRequest(
	ctx context.Context,
	who *access.Actor,
	id string,
	v ledger.Version,
	to, decision string,
) (int64, error) {
	if err := who.Permit(OrderQueue); err != nil {
		return 0, err
	}
	var book fault.Book
	if to != "met" && to != "declined" {
		book.Field("state", "must be met or declined")
	}
	if strings.TrimSpace(decision) == "" {
		book.Field("decision", "give a reason, shown to those who asked")
	}
	if err := problem.From("the decision", book.List()); err != nil {
		return 0, err
	}
	requests, err := s.ledger.Store.Requests(ctx)
	if err != nil {
		return 0, ledger.Failed(err, "reading requests")
	}
	refs := map[string]store.Ref{}
	for _, r := range requests {
		if r.State == "open" {
			refs[r.ID] = r.Ref
		}
	}
	ref, err := ledger.Based(refs, id, v)
	if err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.DecideRequest(ref, to, decision); err != nil {
			return err
		}
		return tx.Log(to, store.SortQueue, id, decision)
	})
}

// Order puts the queue in the lead's order: the named subjects come first, in that order, then those that had a place
// before, then all others. Every subject must be in the queue. Without subjects, all places are removed.
func (s *Service) Order(ctx context.Context, who *access.Actor, v ledger.Version, subjects []string) (int64, error) {
	if err := who.Permit(OrderQueue); err != nil {
		return 0, err
	}
	if v == 0 {
		return 0, problem.New(
			problem.NoVersion,
			"the change does not name the order it is based on: read the queue first, and repeat the "+
				"change",
		)
	}
	items, _, err := s.Queue(ctx, who, 0)
	if err != nil {
		return 0, err
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return 0, err
	}
	subjects = slices.Clone(subjects)
	var book fault.Book
	book.In("subjects", func() {
		for i, x := range subjects {
			subjects[i] = state.Catalogue.Resolve(x)
			book.In(i, func() {
				switch {
				case slices.Contains(subjects[:i], subjects[i]):
					book.Add("%s is duplicated", x)
				case !slices.ContainsFunc(items, func(item QueueItem) bool { return item.Subject == subjects[i] }):
					book.Add("%.100q is not in the queue; nothing was ordered", x)
				}
			})
		}
	})
	if err := problem.From("the order", book.List()); err != nil {
		return 0, err
	}
	if len(subjects) > 0 {
		for _, x := range items { // in their order
			if x.Place > 0 && !slices.Contains(subjects, x.Subject) {
				subjects = append(subjects, x.Subject)
			}
		}
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		last, err := tx.LastOrder()
		if err != nil {
			return err
		}
		if last != int(v) {
			return ledger.Failed(store.ErrStale, "")
		}
		if err := tx.OrderQueue(subjects); err != nil {
			return err
		}
		return tx.Log("ordered", store.SortQueue, "*", "")
	})
}

// LeaveOut leaves a subject out of the queue with a reason, or puts it back if the reason is empty.
func (s *Service) LeaveOut(ctx context.Context, who *access.Actor, text, why string) (int64, error) {
	if err := who.Permit(OrderQueue); err != nil {
		return 0, err
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return 0, err
	}
	about, err := subject(state, text)
	if err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.LeaveOut(about, why); err != nil {
			return err
		}
		return tx.Log("left out", store.SortQueue, about, why)
	})
}
