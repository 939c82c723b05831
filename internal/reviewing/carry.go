package reviewing

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/ledger"
	"dappertally/internal/people"
	"dappertally/internal/policy"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// CarriedReview is a review that was, or would be, carried over to a newer version.
type CarriedReview struct {
	reading.Carried
	From     string // the review that it was carried over from
	Edition  string
	ID       string // the new review; empty on a trial
	Accepted bool   // whether it is accepted in the same step; on a trial: whether it would be
	Entries  int    // findings and other entries about criteria that are no longer asked
	Was, Is  VersionScore
}

// VersionScore is the score and the coverage of an edition on one checklist version; without a score if no weighted
// criterion is answered.
type VersionScore struct {
	Overall  *float64
	Coverage float64
}

// CarryOver selects which reviews are carried over, to which version, and how far.
type CarryOver struct {
	Reviews   []string // ids; none: every accepted review on an older version
	To        string   // KEY@VERSION in force
	Trial     bool     // report what would happen and change nothing
	Unchanged bool     // only those that Accept would accept
	// Accept also accepts, in the same step, the unchanged results of a currently accepted review. It includes
	// reviews that were carried over before and still wait.
	Accept bool
}

// CarryOver creates, for each of the reviews, a new one on the given version: answers to questions that are asked in
// the same way are kept, the others must be given again. All of them or none are carried over. The result lists the
// unchanged ones first, both groups by edition.
func (s *Service) CarryOver(ctx context.Context, who *access.Actor, o CarryOver) ([]CarriedReview, int64, error) {
	if err := who.Permit(PlanReview); err != nil {
		return nil, 0, err
	}
	if o.Accept {
		if err := who.Permit(Accept); err != nil {
			return nil, 0, err
		}
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return nil, 0, err
	}
	newer, err := answers.Version(state, o.To)
	if err != nil {
		return nil, 0, err
	}
	if newer.State != checklist.InForce {
		return nil, 0, problem.New(
			problem.Conflict, "%s is %s; reviews can only be carried over to a version in force", o.To, newer.State,
		)
	}
	all, err := s.All(ctx)
	if err != nil {
		return nil, 0, err
	}
	rules, _, err := s.policy.Rules(ctx)
	if err != nil {
		return nil, 0, err
	}
	c := carrier{Service: s, state: state, newer: newer, all: all, accept: o.Accept}
	if rules.SecondReviewer == policy.SecondRequired {
		c.notAlone = who.Name
	}
	chosen, err := c.choose(o.Reviews)
	if err != nil {
		return nil, 0, err
	}
	moves := make([]carryMove, len(chosen))
	for i, r := range chosen {
		if moves[i], err = c.prepare(ctx, r); err != nil {
			return nil, 0, err
		}
	}
	if o.Unchanged {
		moves = slices.DeleteFunc(moves, func(m carryMove) bool { return !m.Accepted })
	}
	c.weigh(moves)
	slices.SortStableFunc(moves, func(a, b carryMove) int {
		if a.Unchanged != b.Unchanged {
			if a.Unchanged {
				return -1
			}
			return 1
		}
		return strings.Compare(a.Edition, b.Edition)
	})
	var change int64
	if !o.Trial {
		change, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error { return c.write(tx, moves) })
		if err != nil {
			return nil, 0, err
		}
		if o.Accept {
			change = s.checklists.Succeed(ctx, who, newer.Key, change)
		}
	}
	out := make([]CarriedReview, len(moves))
	for i := range moves {
		out[i] = moves[i].CarriedReview
	}
	return out, change, nil
}

// carryMove is one review that is carried over.
type carryMove struct {
	CarriedReview
	from     *store.Review
	open     *store.Review // if it was carried over before: the new review, which waits
	readings []reading.Reading
	entries  []reading.Entry
	rows     []store.ReadingRow
}

type carrier struct {
	*Service
	state *ledger.Records
	newer *checklist.Checklist
	all   []store.Review

	accept   bool
	notAlone string // who cannot accept what only they reviewed; empty: no such rule
}

// choose finds the selected reviews and checks that each can be carried over.
func (c *carrier) choose(ids []string) ([]*store.Review, error) {
	if len(ids) == 0 {
		return c.allLeft()
	}
	var chosen []*store.Review
	var book fault.Book
	for n, id := range ids {
		pointer := fmt.Sprintf("reviews/%d", n)
		r := c.find(id)
		switch {
		case r == nil:
			book.Field(pointer, "there is no review %s", id)
		case slices.Contains(ids[:n], id):
			book.Field(pointer, "is duplicated")
		default:
			if why := c.refuses(r); why != "" {
				book.Field(pointer, "%s", why)
				continue
			}
			chosen = append(chosen, r)
		}
	}
	return chosen, problem.From("nothing", book.List())
}

// allLeft returns every review that can be carried over and was not yet; for an edition with accepted reviews on
// several older versions, the one on the newest.
func (c *carrier) allLeft() ([]*store.Review, error) {
	var chosen []*store.Review
	on := map[string]int{} // the version, by edition
	for i := range c.all {
		r := &c.all[i]
		version, older := c.olderVersion(r)
		if !older || !isCurrent(r) || !c.latest(r) || (c.reviewed(r.Edition) && !c.waits(r)) {
			continue
		}
		before := slices.IndexFunc(chosen, func(x *store.Review) bool { return x.Edition == r.Edition })
		switch {
		case before < 0:
			chosen = append(chosen, r)
		case version > on[r.Edition]:
			chosen[before] = r
		default:
			continue
		}
		on[r.Edition] = version
	}
	if len(chosen) == 0 {
		return nil, problem.New(
			problem.Conflict, "there is no review on an older version to carry over to %s", c.newer.Name(),
		)
	}
	return chosen, nil
}

// olderVersion returns the version of a review, and whether it is an older one of the target checklist.
func (c *carrier) olderVersion(r *store.Review) (int, bool) {
	list, err := answers.Version(c.state, r.Checklist)
	if err != nil {
		return 0, false
	}
	return list.Version, list.Key == c.newer.Key && list.Version < c.newer.Version
}

// refuses explains why a review cannot be carried over; empty if it can.
func (c *carrier) refuses(r *store.Review) string {
	_, older := c.olderVersion(r)
	switch already := c.carried(r); {
	case !older:
		return fmt.Sprintf(
			"%s was made on %s, which is not an older version of %s", r.Edition, r.Checklist, c.newer.Name(),
		)
	case r.State == reading.Withdrawn:
		return r.Edition + ": the review was withdrawn"
	case already != "" && !c.waits(r):
		return fmt.Sprintf("%s was already carried over to %s, as review %s", r.Edition, c.newer.Name(), already)
	}
	return ""
}

// carried returns the review on the newer version to which r was carried over before.
func (c *carrier) carried(r *store.Review) string {
	for i := range c.all {
		if x := &c.all[i]; x.Carried == r.ID && x.Checklist == c.newer.Name() && x.State != reading.Withdrawn {
			return x.ID
		}
	}
	return ""
}

// waits reports whether r was carried over before and its new review still has to be accepted.
func (c *carrier) waits(r *store.Review) bool { return c.accept && isCurrent(r) && c.open(r) != nil }

// open returns the review to which r was carried over and that nobody has accepted yet.
func (c *carrier) open(r *store.Review) *store.Review {
	if x := c.find(c.carried(r)); x != nil && x.Accepted.IsZero() {
		return x
	}
	return nil
}

// reviewed reports whether the edition already has a review on the newer version.
func (c *carrier) reviewed(edition string) bool {
	return slices.ContainsFunc(c.all, func(x store.Review) bool {
		return x.Edition == edition && x.Checklist == c.newer.Name() && x.State != reading.Withdrawn
	})
}

// latest reports whether there is no later accepted review of the same edition and version.
func (c *carrier) latest(r *store.Review) bool {
	return !slices.ContainsFunc(c.all, func(x store.Review) bool {
		return x.Edition == r.Edition && x.Checklist == r.Checklist && isCurrent(&x) &&
			(x.Accepted.After(r.Accepted) || (x.Accepted.Equal(r.Accepted) && x.ID > r.ID))
	})
}

// prepare collects what a review, and those that it continues, have for the newer version. Of an accepted review it
// takes only what the acceptance pinned.
func (c *carrier) prepare(ctx context.Context, r *store.Review) (carryMove, error) {
	m := carryMove{from: r, CarriedReview: CarriedReview{From: r.ID, Edition: r.Edition}}
	older, err := answers.Version(c.state, r.Checklist)
	if err != nil {
		return m, err
	}
	var readings []reading.Reading
	known, replaced := map[string]bool{}, map[string]bool{}
	for x := r; x != nil; x = c.find(x.Continues) {
		own, err := c.ledger.Store.Readings(ctx, x.ID, isCurrent(x))
		if err != nil {
			return m, ledger.Failed(err, "reading readings")
		}
		for _, one := range own {
			if known[one.ID] || (one.Replaces != "" && replaced[one.Replaces]) {
				continue
			}
			known[one.ID], replaced[one.Replaces] = true, true
			readings = append(readings, one)
		}
		written, err := c.ledger.Store.Entries(ctx, x.ID, isCurrent(x))
		if err != nil {
			return m, ledger.Failed(err, "reading a review's record")
		}
		for _, e := range written {
			_, head := e.Part()
			switch {
			case known[head.ID]:
			case c.holds(&e.Entry):
				known[head.ID] = true
				m.entries = append(m.entries, e.Entry)
			default:
				m.Entries++
			}
		}
	}
	m.Carried, m.readings = reading.Carry(older, c.newer, readings)
	for i := range m.readings {
		x := &m.readings[i]
		row := store.ReadingRow{
			Reading: x,
			Version: c.state.Checklists.Versions[c.newer.Name()].ID,
			Rig:     c.state.Catalogue.RigVersions[x.Rig].ID,
		}
		if x.Received != nil {
			row.Received = *x.Received
		}
		m.rows = append(m.rows, row)
	}
	own := func(x reading.Reading) bool { return x.Reviewer == c.notAlone }
	alone := c.notAlone != "" && !slices.ContainsFunc(m.readings, func(x reading.Reading) bool { return !own(x) })
	if c.accept && m.Unchanged && isCurrent(r) && !alone {
		m.Accepted = true
		m.open = c.open(r)
	}
	return m, nil
}

// weigh computes the score and the coverage of each edition as they are, and as they would be on the newer version.
func (c *carrier) weigh(moves []carryMove) {
	was := map[string]map[string]VersionScore{} // by checklist version, then edition
	accepted := c.state.Input(c.newer)
	accepted.Reviews = slices.Clone(accepted.Reviews)
	all := accepted
	all.Reviews = slices.Clone(all.Reviews)
	now := c.ledger.Now()
	for i := range moves {
		m := &moves[i]
		if was[m.from.Checklist] == nil {
			was[m.from.Checklist] = map[string]VersionScore{}
			if older, err := answers.Version(c.state, m.from.Checklist); err == nil {
				was[m.from.Checklist] = versionScoresOf(c.state.Input(older))
			}
		}
		over := reading.Review{
			ID:        m.From + " carried over",
			Edition:   m.Edition,
			Checklist: c.newer.Name(),
			State:     reading.Accepted,
			Accepted:  &now,
			Readings:  m.readings,
		}
		all.Reviews = append(all.Reviews, over)
		if m.Accepted { // what waits is not lent to others yet
			accepted.Reviews = append(accepted.Reviews, over)
		}
	}
	is, later := versionScoresOf(accepted), versionScoresOf(all)
	for i := range moves {
		m := &moves[i]
		then := is
		if !m.Accepted {
			then = later
		}
		for _, x := range []struct {
			of   map[string]VersionScore
			into *VersionScore
		}{{was[m.from.Checklist], &m.Was}, {then, &m.Is}} {
			if score, ok := x.of[m.Edition]; ok {
				*x.into = score
			}
		}
	}
}

// versionScoresOf returns the scores of editions with the checklist's own weights.
func versionScoresOf(in scoring.Input) map[string]VersionScore {
	points := scoring.Tabulate(in, scoring.Options{}).Columns()
	scores := points.Score(checklist.Audience{}, false)
	all := make(map[string]VersionScore, len(points.Editions))
	for e, edition := range points.Editions {
		s := VersionScore{Coverage: scores.Coverage[e]}
		if x := scores.Overall[e]; !math.IsNaN(x) {
			s.Overall = &x
		}
		all[edition] = s
	}
	return all
}

// write carries the reviews over and accepts those that should be accepted.
func (c *carrier) write(tx *store.Tx, moves []carryMove) (err error) {
	var editions []string
	for i := range moves {
		m := &moves[i]
		next := store.Ref{Revision: 1}
		if m.open != nil {
			m.ID, next = m.open.ID, m.open.Ref
		} else if m.ID, err = c.carry(tx, m.from, m.entries, m.rows); err != nil {
			return err
		}
		if !m.Accepted {
			continue
		}
		next.ID = m.ID
		if err := tx.AcceptReview(next, "unchanged since it was accepted on "+m.from.Checklist); err != nil {
			return err
		}
		editions = append(editions, m.Edition, catalogue.ReleaseOf(m.Edition))
		if err := tx.Log(reading.Accepted, store.SortReview, m.ID, "carried over unchanged"); err != nil {
			return err
		}
	}
	if len(editions) == 0 {
		return nil
	}
	return tx.MeetRequests(editions, "reviewed")
}

// holds reports whether an entry makes sense on the newer version: an entry about a criterion that is no longer asked
// is left behind.
func (c *carrier) holds(e *reading.Entry) bool {
	var book fault.Book
	reading.ValidateEntry(e, c.newer, &book)
	return len(book.List()) == 0
}

func (c *carrier) find(id string) *store.Review {
	i := slices.IndexFunc(c.all, func(r store.Review) bool { return r.ID == id })
	if i < 0 {
		return nil
	}
	return &c.all[i]
}

func (c *carrier) carry(
	tx *store.Tx,
	r *store.Review,
	entries []reading.Entry,
	rows []store.ReadingRow,
) (string, error) {
	// The lock keeps others from carrying the same review over at the same time.
	if _, _, err := tx.LockReview(r.ID); err != nil {
		return "", err
	}
	newer := c.state.Checklists.Versions[c.newer.Name()].ID
	already, err := tx.CarriedTo(r.ID, newer)
	if err != nil {
		return "", err
	}
	if already {
		return "", problem.New(
			problem.Conflict, "somebody else is carrying %s over to %s", r.Edition, c.newer.Name(),
		)
	}
	people, err := people.IDs(tx)
	if err != nil {
		return "", err
	}
	next := store.Review{
		Ref: store.Ref{ID: store.NewID()}, State: reading.Underway, Carried: r.ID,
		Reason: fmt.Sprintf("carried over from %s", r.Checklist),
	}
	if err := tx.AddReview(&next, c.state.Catalogue.Versions[r.Edition].ID, newer, people[r.Assigned]); err != nil {
		return "", err
	}
	for i := range entries {
		if err := tx.AddEntry(next.ID, 1, &entries[i], false, false); err != nil {
			return "", err
		}
	}
	for i := range rows {
		rows[i].Review, rows[i].Reviewer = next.ID, people[rows[i].Reading.Reviewer]
	}
	if err := tx.AddReadings(rows); err != nil {
		return "", err
	}
	return next.ID, tx.Log("carried over", store.SortReview, next.ID, r.Edition)
}
