// Package board holds in memory what rankings read, keeps it current from the change log, and remembers what was
// computed from it.
package board

import (
	"cmp"
	"context"
	"log/slog"
	"maps"
	"reflect"
	"slices"
	"strings"
	"sync"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/store"
)

// State is the records as of one change. It is immutable; a newer state replaces it.
type State struct {
	Number     int64
	Team       string // name of the team; empty if none was given
	Catalogue  *store.Catalogue
	Checklists *store.Checklists
	reviews    map[string]*currentReview  // current reviews
	current    []reading.Review           // the same, by id, without their readings
	shelf      *shelf                     // shared with all other states
	heads      []head                     // tables of all reviews, in the order of lists
	places     map[string]catalogue.Place // of editions, by full key
	placed     []catalogue.Place          // the same, by key
	names      map[string]string          // of distributions, by key
	answers    *answers                   // by query; shared with older states that have the same answers
}

// Board follows the change log of one database.
type Board struct {
	store *store.Store
	log   *slog.Logger
	shelf *shelf

	refreshing sync.Mutex // one refresh at a time, so that no older state replaces a newer one

	mu     sync.Mutex
	state  *State
	fresh  chan struct{} // closed when there is a newer state
	wake   chan struct{}
	failed error // of the last attempt to follow
}

// New returns a board that has seen nothing yet; Follow fills it.
func New(s *store.Store, log *slog.Logger) *Board {
	return &Board{store: s, log: log, shelf: newShelf(), fresh: make(chan struct{}), wake: make(chan struct{}, 1)}
}

// pollEvery limits how long a change of another instance stays unseen.
const pollEvery = 100 * time.Millisecond

// Time limits for reading the newest change number, and for reading what changed.
const (
	askTime  = 2 * time.Second
	loadTime = 2 * time.Minute
)

// Follow keeps the board current until ctx ends. If the database does not answer, Follow probes it with a separate
// connection; while the database is away, requests fail at once.
func (b *Board) Follow(ctx context.Context) {
	ticker := time.NewTicker(pollEvery)
	defer ticker.Stop()
	for {
		err := b.Refresh(ctx)
		if err != nil && ctx.Err() == nil {
			if err = b.store.Look(ctx); err == nil { // only one connection was broken
				err = b.Refresh(ctx)
			}
		}
		b.follows(ctx, err)
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		case <-b.wake:
		}
	}
}

// follows records whether the board could follow.
func (b *Board) follows(ctx context.Context, err error) {
	b.mu.Lock()
	changed := (err == nil) != (b.failed == nil)
	b.failed = err
	if changed && err != nil { // wakes everybody who waits for news
		close(b.fresh)
		b.fresh = make(chan struct{})
	}
	b.mu.Unlock()
	if !changed || ctx.Err() != nil {
		return
	}
	if err != nil {
		b.log.Error("the board cannot follow the database", "error", err)
	} else {
		b.log.Info("the board follows the database again")
	}
}

// Wake makes Follow check at once.
func (b *Board) Wake() {
	select {
	case b.wake <- struct{}{}:
	default:
	}
}

// Err returns why the board could not follow the last time; nil if it could.
func (b *Board) Err() error {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.failed
}

// Now returns the newest state, or nil before the first.
func (b *Board) Now() *State {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.state
}

// After waits for a state that has seen the change with that number, and returns it.
func (b *Board) After(ctx context.Context, number int64) (*State, error) {
	for {
		b.mu.Lock()
		state, fresh := b.state, b.fresh
		b.mu.Unlock()
		if state != nil && state.Number >= number {
			return state, nil
		}
		if err := b.store.Away(); err != nil {
			return nil, err
		}
		b.Wake()
		select {
		case <-fresh:
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}

// Refresh checks once for changes and applies them.
func (b *Board) Refresh(ctx context.Context) error {
	b.refreshing.Lock()
	defer b.refreshing.Unlock()
	old := b.Now()
	if old != nil {
		last, err := b.lastChange(ctx)
		if err != nil || last == old.Number {
			return err
		}
	}
	ctx, cancel := context.WithTimeout(ctx, loadTime)
	defer cancel()
	snap, err := b.store.ReadAt(ctx)
	if err != nil {
		return err
	}
	defer snap.Close()
	next, err := b.load(snap, old)
	if err != nil {
		return err
	}
	b.mu.Lock()
	b.state = next
	close(b.fresh)
	b.fresh = make(chan struct{})
	b.mu.Unlock()
	if old == nil {
		go next.prepare()
	}
	return nil
}

// prepare computes the rows of current reviews before somebody needs them.
func (s *State) prepare() {
	for i := range s.Checklists.Lists {
		if c := &s.Checklists.Lists[i]; c.State != checklist.Draft {
			s.Input(c).Prepare()
		}
	}
}

func (b *Board) lastChange(ctx context.Context) (int64, error) {
	ctx, cancel := context.WithTimeout(ctx, askTime)
	defer cancel()
	return b.store.LastChange(ctx)
}

// changed is what has changed since a state of the records.
type changed struct {
	catalogued, listed, ruled bool     // the catalogue and the rigs, the checklists, the rules
	touched                   []string // reviews, by id
	all                       bool
}

func changedSince(snap *store.Snapshot, old *State) (c changed, err error) {
	if old == nil {
		return changed{true, true, true, nil, true}, nil
	}
	log, err := snap.Changes(old.Number)
	if err != nil {
		return c, err
	}
	for i := range log {
		if err := c.add(snap, &log[i]); err != nil {
			return c, err
		}
	}
	slices.Sort(c.touched)
	c.touched = slices.Compact(c.touched)
	return c, nil
}

func (c *changed) add(snap *store.Snapshot, x *store.Change) error {
	switch x.Sort {
	case store.SortCatalogue, store.SortRig:
		c.catalogued = true
	case store.SortChecklist:
		c.listed = true
	case store.SortPolicy:
		c.ruled = true
	case store.SortPerson:
		c.all = c.all || x.Action == "erased" // names occur in many places
	case store.SortReview:
		if x.Subject != "*" {
			c.touched = append(c.touched, x.Subject)
			break
		}
		many, err := snap.Touched(x.Number)
		c.touched = append(c.touched, many...)
		c.all = c.all || len(many) == 0
		return err
	case store.SortProposal, store.SortFile, store.SortQueue, store.SortPlan, store.SortKnownIssue, store.SortMapping,
		store.SortReport: // they are not kept here
	}
	return nil
}

// load reads what changed since old, or everything if old is nil.
func (b *Board) load(snap *store.Snapshot, old *State) (*State, error) {
	c, err := changedSince(snap, old)
	if err != nil {
		return nil, err
	}
	if c.all && old != nil {
		return b.load(snap, nil)
	}
	next := &State{Number: snap.Number, shelf: b.shelf, answers: newAnswers()}
	if err := next.loadLists(snap, old, c.catalogued, c.listed); err != nil {
		return nil, err
	}
	if err := next.loadReviews(snap, old, c.touched, c.catalogued); err != nil {
		return nil, err
	}
	if err := next.loadTeam(snap, old, c.ruled); err != nil {
		return nil, err
	}
	// What is recorded in a review that is not current changes no answer.
	stands := func(id string) bool {
		_, before := old.reviews[id]
		_, now := next.reviews[id]
		return before || now
	}
	switch {
	case old == nil || c.listed || slices.ContainsFunc(c.touched, stands):
	case !c.catalogued:
		next.answers = old.answers
	case reflect.DeepEqual(old.Catalogue.Rigs, next.Catalogue.Rigs):
		next.answers = old.answers.lasting()
	}
	return next, nil
}

func (s *State) loadLists(snap *store.Snapshot, old *State, catalogued, listed bool) (err error) {
	if catalogued {
		if s.Catalogue, err = snap.Catalogue(); err != nil {
			return err
		}
		s.index()
	} else {
		s.Catalogue, s.places, s.placed, s.names = old.Catalogue, old.places, old.placed, old.names
	}
	if !listed {
		s.Checklists = old.Checklists
		return err
	}
	s.Checklists, err = snap.Checklists()
	if err == nil && old != nil {
		s.keepSections(old.Checklists)
	}
	return err
}

// keepSections keeps the sections of checklist versions that ask and score as before, so that sums computed for them
// are found again.
func (s *State) keepSections(old *store.Checklists) {
	for i := range s.Checklists.Lists {
		now := &s.Checklists.Lists[i]
		for j := range old.Lists {
			was := &old.Lists[j]
			if was.Name() == now.Name() && was.Policy.Reviewers == now.Policy.Reviewers &&
				reflect.DeepEqual(was.Sections, now.Sections) {
				now.Sections = was.Sections
			}
		}
	}
}

func (s *State) loadTeam(snap *store.Snapshot, old *State, ruled bool) (err error) {
	if ruled {
		s.Team, err = snap.Team()
	} else {
		s.Team = old.Team
	}
	return err
}

func (s *State) loadReviews(snap *store.Snapshot, old *State, touched []string, catalogued bool) error {
	if old != nil {
		s.reviews, s.current = old.reviews, old.current
		if len(touched) == 0 {
			s.loadHeads(old, nil, nil, catalogued)
			return nil
		}
	}
	read, err := snap.Reviews(touched)
	if err != nil {
		return err
	}
	if s.moves(old, touched, read) {
		if err := s.loadCurrent(snap, old, touched, read); err != nil {
			return err
		}
	}
	s.loadHeads(old, touched, read, catalogued)
	return nil
}

// moves reports whether a review that was read is current, or a touched one was current before.
func (s *State) moves(old *State, touched []string, read []store.Review) bool {
	stood := func(id string) bool { return old.reviews[id] != nil }
	stands := func(r store.Review) bool { return isCurrent(&r) }
	return old == nil || slices.ContainsFunc(touched, stood) || slices.ContainsFunc(read, stands)
}

func isCurrent(r *store.Review) bool { return !r.Accepted.IsZero() && r.State != reading.Withdrawn }

// loadCurrent puts the current ones of the reviews that were read, which have those ids, in place of the earlier
// ones; of all if old is nil.
func (s *State) loadCurrent(snap *store.Snapshot, old *State, ids []string, read []store.Review) error {
	follows, err := snap.Follows(ids)
	if err != nil {
		return err
	}
	s.reviews = make(map[string]*currentReview, len(read))
	if old != nil {
		maps.Copy(s.reviews, old.reviews)
		for _, id := range ids {
			delete(s.reviews, id)
			s.shelf.forget(s.Checklists.Lists, id)
		}
	}
	for i := range read {
		if r := &read[i]; isCurrent(r) {
			s.reviews[r.ID] = &currentReview{r.AsAccepted(nil, nil), s.shelf.words.pack(nil), follows[r.ID], r.Alone}
		}
	}
	err = snap.EachPinned(ids, func(review string, readings []reading.Reading) {
		if r, stands := s.reviews[review]; stands {
			r.readings = s.shelf.words.pack(readings)
		}
	})
	s.order()
	return err
}

// order sorts the current reviews by id.
func (s *State) order() {
	s.current = make([]reading.Review, 0, len(s.reviews))
	byID := func(a, b *currentReview) int { return strings.Compare(a.ID, b.ID) }
	for _, r := range slices.SortedFunc(maps.Values(s.reviews), byID) {
		s.current = append(s.current, r.Review)
	}
}

func (s *State) index() {
	s.places = map[string]catalogue.Place{}
	s.names = map[string]string{}
	for i := range s.Catalogue.Distributions {
		s.names[s.Catalogue.Distributions[i].Key] = s.Catalogue.Distributions[i].Name
	}
	for _, p := range catalogue.Places(s.Catalogue.Distributions) {
		s.places[p.Key()] = p
	}
	s.placed = make([]catalogue.Place, 0, len(s.places))
	for _, key := range slices.Sorted(maps.Keys(s.places)) {
		s.placed = append(s.placed, s.places[key])
	}
}

// Place finds an edition, with its release and distribution, by its full key.
func (s *State) Place(key string) (catalogue.Place, bool) {
	p, ok := s.places[key]
	return p, ok
}

// Places returns all editions of the catalogue, by key. They are shared: do not modify them.
func (s *State) Places() []catalogue.Place { return s.placed }

// Edition finds an edition by its full key.
func (s *State) Edition(key string) (catalogue.Edition, bool) {
	p, ok := s.places[key]
	if !ok {
		return catalogue.Edition{}, false
	}
	return *p.Edition, true
}

// EditionName returns an edition's name for people.
func (s *State) EditionName(key string) (distribution, release, edition string) {
	distribution, release, edition, _ = catalogue.SplitEdition(key)
	if e, ok := s.Edition(key); ok {
		edition = e.Label()
	}
	return cmp.Or(s.names[distribution], distribution), release, edition
}

// DistributionName returns the name of a distribution.
func (s *State) DistributionName(key string) string { return s.names[key] }

// Retired names the retired part of an edition's key: the distribution, the release or the edition itself; empty if
// none is retired.
func (s *State) Retired(edition string) string {
	p, ok := s.places[edition]
	switch {
	case !ok:
		return ""
	case p.Distribution.Retired:
		return p.Distribution.Key
	case p.Release.Retired:
		return catalogue.ReleaseOf(edition)
	case p.Edition.Retired:
		return edition
	}
	return ""
}

// Alone reports whether a current review was accepted by its only reviewer.
func (s *State) Alone(review string) bool {
	r, stands := s.reviews[review]
	return stands && r.alone
}

// CurrentCounts counts the current reviews, by the key of their checklist.
func (s *State) CurrentCounts() map[string]int {
	counts := map[string]int{}
	for i := range s.current {
		key, _, _ := strings.Cut(s.current[i].Checklist, "@")
		counts[key]++
	}
	return counts
}

// Input returns the input of the core for one checklist version. Its reviews are shared: do not modify them; its
// source has their readings.
func (s *State) Input(c *checklist.Checklist) scoring.Input {
	return scoring.Input{Checklist: c, Rigs: s.Catalogue.Rigs, Reviews: s.current, Source: s.source()}
}

// Readings returns the readings of a current review, by time, then id; nil if it is not current.
func (s *State) Readings(review string) []reading.Reading { return s.ReadingsIn(review, nil) }

// ReadingsIn is Readings in the memory of room, valid until that is used again.
func (s *State) ReadingsIn(review string, room *reading.Room) []reading.Reading {
	if r, stands := s.reviews[review]; stands {
		return s.shelf.words.unpack(r.readings, room)
	}
	return nil
}
