package answers

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/ranking"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/ledger"
	"dappertally/internal/numerals"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Query is which result is requested, and which change it must have seen.
type Query struct {
	Checklist  string // empty: the shown version
	Audience   string
	At         *time.Time // the records as of then, by receipt, acceptance and time in force
	RigWeights map[string]float64
	CommonRigs bool
	Ground     bool     // include editions of earlier versions, on the common ground
	Rigs       []string // the only rigs on which measures count; nil: all
	Classes    []string // weights of rigs, by key
	Group      catalogue.Group
	Weights    Weights // replace the audience's
	By         ranking.By
	After      int64 `json:"-"`
}

// Weights are custom weights, by key.
type Weights struct {
	Sections, Criteria map[string]float64
}

func (w *Weights) set() bool { return len(w.Sections)+len(w.Criteria) > 0 }

// stateFor returns the state for the query: the newest, or that of a past moment.
func (s *Service) stateFor(ctx context.Context, q *Query) (*ledger.Records, error) {
	state, err := s.ledger.State(ctx, q.After)
	if err != nil || q.At == nil {
		return state, err
	}
	return s.Past(ctx, state, *q.At)
}

// Past returns the state at a past moment.
func (s *Service) Past(ctx context.Context, state *ledger.Records, at time.Time) (*ledger.Records, error) {
	name := "state of " + at.UTC().Format(time.RFC3339Nano)
	return ledger.Remember(ctx, state, name, func(ctx context.Context) (*ledger.Records, error) {
		return s.past(ctx, state, at)
	})
}

func (s *Service) past(ctx context.Context, state *ledger.Records, at time.Time) (*ledger.Records, error) {
	history, err := s.history(ctx, state)
	if err != nil {
		return nil, err
	}
	return state.At(history.At(at)), nil
}

// history is the changes before the state.
func (s *Service) history(ctx context.Context, state *ledger.Records) (*store.History, error) {
	return ledger.Remember(ctx, state, "history", func(ctx context.Context) (*store.History, error) {
		history, err := s.ledger.Store.History(ctx)
		if err != nil {
			err = ledger.Failed(err, "reading the past")
		}
		return history, err
	})
}

// String identifies the query among others on the same state.
func (q *Query) String() string {
	return fmt.Sprintf("%q %q %q %q", q.Checklist, q.Audience, q.By.Section, q.By.Criterion) + q.points()
}

// points identifies the points of the query, whatever the weights.
func (q *Query) points() string {
	if q.RigWeights == nil && !q.CommonRigs && !q.Ground && q.Rigs == nil && q.Classes == nil && q.Group.Empty() {
		return ""
	}
	named, _ := json.Marshal(struct { // it holds only texts, numbers and lists
		RigWeights map[string]float64
		CommonRigs bool
		Ground     bool
		Rigs       []string
		Classes    []string
		Group      catalogue.Group
	}{q.RigWeights, q.CommonRigs, q.Ground, q.Rigs, q.Classes, q.Group})
	return string(named)
}

func (q *Query) resolve(state *ledger.Records) (*checklist.Checklist, checklist.Audience, error) {
	list, err := Shown(state, q.Checklist)
	if err != nil {
		if q.At != nil && !problem.IsKind(err, problem.NoChecklist) {
			err = problem.New(problem.NotFound, "%s at %s", err, q.At.UTC().Format(time.RFC3339))
		}
		return nil, checklist.Audience{}, err
	}
	if q.Ground && q.CommonRigs {
		return nil, checklist.Audience{}, problem.Field(
			"commonRigs",
			"the common ground of several versions and the common rigs cannot be combined; name the rigs "+
				"instead",
		)
	}
	if q.Ground {
		list = groundOf(state, list).list
	}
	audience, ok := list.Audience(q.Audience)
	if !ok {
		return nil, audience, problem.New(
			problem.NotFound, "checklist %s has no audience %q; it has %s", list.Name(), q.Audience, Audiences(list),
		)
	}
	for rig := range q.RigWeights {
		if _, ok := state.Catalogue.RigVersions[rig]; !ok {
			return nil, audience, problem.New(problem.NotFound, "there is no rig %q to give a weight", rig)
		}
	}
	if q.Weights.set() {
		audience, err = q.Weights.over(list, audience)
	}
	return list, audience, err
}

// heaviest is the highest custom weight.
const heaviest = 1e6

// over replaces an audience's weights by custom weights.
func (w *Weights) over(list *checklist.Checklist, a checklist.Audience) (checklist.Audience, error) {
	own := checklist.Audience{
		Key:      a.Key,
		Title:    a.Title,
		Gates:    a.Gates,
		Sections: maps.Clone(a.Sections),
		Criteria: maps.Clone(a.Criteria),
	}
	put := func(into *map[string]float64, what, key string, weight float64, there bool) error {
		switch {
		case !there:
			return problem.New(problem.NotFound, "checklist %s has no %s %q to give a weight", list.Name(), what, key)
		case math.IsNaN(weight) || weight < 0 || weight > heaviest:
			return problem.Field(what+"Weight", "the weight of %s must be between 0 and a million", key)
		}
		if *into == nil {
			*into = map[string]float64{}
		}
		(*into)[key] = weight
		return nil
	}
	for key, weight := range w.Sections {
		there := slices.ContainsFunc(list.Sections, func(s checklist.Section) bool { return s.Key == key })
		if err := put(&own.Sections, "section", key, weight, there); err != nil {
			return own, err
		}
	}
	for key, weight := range w.Criteria {
		c, there := list.Criterion(key)
		if err := put(&own.Criteria, "criterion", key, weight, there && c.Scored()); err != nil {
			return own, err
		}
	}
	return own, nil
}

// Audiences names a checklist's audiences, for a sentence.
func Audiences(list *checklist.Checklist) string {
	if len(list.Audiences) == 0 {
		return "none"
	}
	keys := make([]string, len(list.Audiences))
	for i, a := range list.Audiences {
		keys[i] = a.Key
	}
	return strings.Join(keys, ", ")
}

// options returns the query's options for the core.
func (q *Query) options(state *ledger.Records, list *checklist.Checklist) (scoring.Options, error) {
	opts := scoring.Options{RigWeights: q.RigWeights, CommonRigs: q.CommonRigs}
	if q.Rigs != nil || q.Classes != nil {
		opts.Rigs = []string{}
		for _, rig := range q.Rigs {
			if _, ok := state.Catalogue.RigVersions[rig]; !ok {
				return opts, problem.New(problem.NotFound, "there is no rig %q", rig)
			}
			opts.Rigs = append(opts.Rigs, rig)
		}
		for _, class := range q.Classes {
			if !slices.Contains(catalogue.Classes, class) {
				return opts, problem.New(
					problem.NotFound,
					"there is no class of rigs %q; there are %s",
					class,
					strings.Join(catalogue.Classes, ", "),
				)
			}
			for i := range state.Catalogue.Rigs {
				if r := &state.Catalogue.Rigs[i]; r.Class == class {
					opts.Rigs = append(opts.Rigs, r.Key)
				}
			}
		}
	}
	if q.Group.Empty() {
		return opts, nil
	}
	if err := KnownGroup(state, &q.Group); err != nil {
		return opts, err
	}
	lists := []*checklist.Checklist{list}
	if q.Ground {
		g, err := q.ground(state)
		if err != nil {
			return opts, err
		}
		lists = g.versions()
	}
	opts.Only = q.Group.Of(AcceptedPlaces(state, lists...))
	return opts, nil
}

// AcceptedPlaces returns the places of the editions with an accepted review on one of these checklist versions.
func AcceptedPlaces(state *ledger.Records, lists ...*checklist.Checklist) []catalogue.Place {
	var places []catalogue.Place
	seen := map[string]bool{}
	in := state.Input(lists[0])
	on := func(name string) bool {
		return slices.ContainsFunc(lists, func(c *checklist.Checklist) bool { return c.Name() == name })
	}
	for i := range in.Reviews {
		r := &in.Reviews[i]
		if p, ok := state.Place(r.Edition); ok && on(r.Checklist) && r.State == reading.Accepted && !seen[r.Edition] {
			seen[r.Edition] = true
			places = append(places, p)
		}
	}
	return places
}

// KnownGroup refuses a group with a value that is not in the catalogue, and names the possible ones: an empty ranking
// would look like an answer.
func KnownGroup(state *ledger.Records, g *catalogue.Group) error {
	places := state.Places()
	for _, key := range g.Editions {
		if _, ok := state.Edition(key); !ok && key != nobody {
			return problem.New(problem.NotFound, "there is no edition %q; write distribution/release/edition", key)
		}
	}
	for _, key := range g.Distributions {
		if !slices.ContainsFunc(places, func(p catalogue.Place) bool { return p.Distribution.Key == key }) {
			return problem.New(problem.NotFound, "there is no distribution %q with an edition", key)
		}
	}
	for _, key := range g.Families {
		one := catalogue.Group{Families: []string{key}}
		if len(one.Of(places)) == 0 {
			return problem.New(problem.NotFound, "nothing is based on %q", key)
		}
	}
	for attribute, values := range g.Attributes {
		for _, v := range values {
			if !slices.ContainsFunc(places, func(p catalogue.Place) bool { return p.Is(attribute, v) }) {
				return problem.New(
					problem.NotFound,
					"no edition has the %s %q; there are %s",
					attribute,
					v,
					strings.Join(Values(state, attribute), ", "),
				)
			}
		}
	}
	for name, day := range map[string]string{"releasedFrom": g.From, "releasedTo": g.To} {
		if _, err := time.Parse(time.DateOnly, day); day != "" && err != nil {
			return problem.Field(name, "%.70q is not a day such as 2026-04-30", day)
		}
	}
	return nil
}

// nobody is a key that no edition has, for an empty group.
const nobody = ""

// Values lists the values of an attribute in the catalogue, alphabetically.
func Values(state *ledger.Records, attribute string) []string {
	var values []string
	for _, p := range state.Places() {
		if v := p.Value(attribute); v != "" && !slices.Contains(values, v) {
			values = append(values, v)
		}
	}
	slices.Sort(values)
	return values
}

// OwnWeights names the sections and criteria with custom weights.
func (q *Query) OwnWeights() []string {
	return append(slices.Sorted(maps.Keys(q.Weights.Sections)), slices.Sorted(maps.Keys(q.Weights.Criteria))...)
}

// GroupedBy describes the filter in words.
func (q *Query) GroupedBy() []string {
	g := &q.Group
	var by []string
	add := func(what string, values []string) {
		if len(values) > 0 {
			by = append(by, what+" "+strings.Join(values, " or "))
		}
	}
	add("distribution", g.Distributions)
	add("family", g.Families)
	for _, a := range catalogue.Attributes {
		add(a, g.Attributes[a])
	}
	add("rigs of class", q.Classes)
	if g.From != "" {
		by = append(by, "released since "+g.From)
	}
	if g.To != "" {
		by = append(by, "released by "+g.To)
	}
	if g.Newest {
		by = append(by, "newest release of each line")
	}
	if n := len(g.Editions); n > 0 {
		by = append(by, numerals.Count(n, "edition")+" named")
	}
	return by
}
