package service

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/core/ranking"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/board"
)

// Query says which result is asked for, and as seen after which change.
type Query struct {
	Checklist string // empty: the newest in force
	scoring.Options
	By    ranking.By
	After int64
}

// Result is a ranking with everything that it rests on. It is shared and must
// not be altered.
type Result struct {
	State    *board.State
	List     *checklist.Checklist
	Audience checklist.Audience
	Query    Query
	Table    *scoring.Table
	Cards    []scoring.Scorecard
	Ranking  ranking.Ranking
}

// Card finds the scorecard of an edition.
func (r *Result) Card(edition string) (*scoring.Scorecard, bool) {
	i := slices.IndexFunc(r.Cards, func(c scoring.Scorecard) bool { return c.Edition == edition })
	if i < 0 {
		return nil, false
	}
	return &r.Cards[i], true
}

// Rank is an edition's rank, or 0 where it is not ranked.
func (r *Result) Rank(edition string) int {
	for _, p := range r.Ranking.Ranking {
		if p.Edition == edition {
			return p.Rank
		}
	}
	return 0
}

// Rank computes the ranking that the query asks for.
func (s *Service) Rank(ctx context.Context, q Query) (*Result, error) {
	state, err := s.State(ctx, q.After)
	if err != nil {
		return nil, err
	}
	return board.Remember(state, q.String(), func() (*Result, error) {
		list, audience, err := q.resolve(state)
		if err != nil {
			return nil, err
		}
		return q.rank(state, list, audience, scoring.Tabulate(state.Input(list), q.Options))
	})
}

// String names the query among others on the same state.
func (q Query) String() string {
	var b strings.Builder
	fmt.Fprintf(&b, "%q %q %v %q %q", q.Checklist, q.Audience, q.CommonRigs, q.By.Section, q.By.Criterion)
	if q.At != nil {
		b.WriteString(q.At.UTC().Format(time.RFC3339Nano))
	}
	for _, rig := range slices.Sorted(maps.Keys(q.RigWeights)) {
		fmt.Fprintf(&b, " %q=%v", rig, q.RigWeights[rig])
	}
	return b.String()
}

func (q Query) resolve(state *board.State) (*checklist.Checklist, checklist.Audience, error) {
	list, err := Shown(state, q.Checklist)
	if err != nil {
		return nil, checklist.Audience{}, err
	}
	audience, ok := list.Audience(q.Audience)
	if !ok {
		return nil, audience, problem(NotFound, "checklist %s has no audience %q; it has %s", list.Name(), q.Audience, audiences(list))
	}
	for rig := range q.RigWeights {
		if _, ok := state.Catalogue.RigVersions[rig]; !ok {
			return nil, audience, problem(NotFound, "there is no rig %q to weigh", rig)
		}
	}
	return list, audience, nil
}

func audiences(list *checklist.Checklist) string {
	if len(list.Audiences) == 0 {
		return "none"
	}
	keys := make([]string, len(list.Audiences))
	for i, a := range list.Audiences {
		keys[i] = a.Key
	}
	return strings.Join(keys, ", ")
}

func (q Query) rank(state *board.State, list *checklist.Checklist, audience checklist.Audience, table *scoring.Table) (*Result, error) {
	r := &Result{State: state, List: list, Audience: audience, Query: q, Table: table}
	r.Cards = table.Scorecards(audience)
	var err error
	if r.Ranking, err = ranking.Rank(table.Columns(), audience, q.By); err != nil {
		return nil, problem(NotFound, "%s", err)
	}
	return r, nil
}

// Desk computes a review's score so far, with all its readings, as if it were
// accepted now. Only the team may see it.
func (s *Service) Desk(ctx context.Context, who *Actor, id string, after int64) (*Result, string, error) {
	if err := who.permit(SeeWork); err != nil {
		return nil, "", err
	}
	state, err := s.State(ctx, after)
	if err != nil {
		return nil, "", err
	}
	r, err := s.Review(ctx, who, id)
	if err != nil {
		return nil, "", err
	}
	list, err := scoring.Newest(state.Checklists.Lists, r.Checklist)
	if err != nil {
		return nil, "", failed(err, "finding the review's checklist")
	}
	in := state.Input(list)
	in.Reviews = slices.DeleteFunc(slices.Clone(in.Reviews), func(x reading.Review) bool { return x.ID == id })
	readings, _, err := s.Readings(ctx, who, id)
	if err != nil {
		return nil, "", err
	}
	in.Reviews = append(in.Reviews, board.Standing(&r, readings, nil))
	table, err := scoring.Desk(in, id, scoring.Options{})
	if err != nil {
		return nil, "", failed(err, "scoring the desk")
	}
	q := Query{Checklist: r.Checklist}
	result, err := q.rank(state, list, checklist.Audience{}, table)
	return result, r.Edition, err
}

// Comparison is editions side by side.
type Comparison struct {
	*Result
	Editions []string // that stand, in the order asked for
	Missing  []string // that have no accepted review on the checklist version
	Measures comparing.Comparison
	Systems  []comparing.Treated // the baseline first
}

// Compare holds two to twelve editions against a baseline, one of them; the
// first where it is empty.
func (s *Service) Compare(ctx context.Context, q Query, editions []string, baseline string) (*Comparison, error) {
	const least, most = 2, 12
	if len(editions) < least || len(editions) > most {
		return nil, wrong("edition", "name %d to %d editions, not %d", least, most, len(editions))
	}
	r, err := s.Rank(ctx, q)
	if err != nil {
		return nil, err
	}
	c := &Comparison{Result: r, Editions: []string{}, Missing: []string{}}
	baseline = r.State.Catalogue.Resolve(baseline)
	asked := editions
	editions = make([]string, len(asked))
	for i, e := range asked {
		e = r.State.Catalogue.Resolve(e)
		editions[i] = e
		if slices.Contains(editions[:i], e) {
			return nil, wrong("edition", "%s is named twice", e)
		}
		if _, ok := r.State.Edition(e); !ok {
			return nil, problem(NotFound, "there is no edition %q; name it distribution/release/edition", e)
		}
		if _, ok := r.Card(e); ok {
			c.Editions = append(c.Editions, e)
		} else {
			c.Missing = append(c.Missing, e)
		}
	}
	if baseline == "" && len(c.Editions) > 0 {
		baseline = c.Editions[0]
	}
	if baseline != "" && !slices.Contains(editions, baseline) {
		return nil, wrong("baseline", "%s is not among the editions compared", baseline)
	}
	if len(c.Editions) == 0 || slices.Contains(c.Missing, baseline) {
		return nil, problem(NotFound, "%s has no accepted review on %s to compare with", orFirst(baseline, c.Missing), r.List.Name())
	}
	c.Measures, err = comparing.Compare(r.Table, baseline, c.Editions)
	if err != nil {
		return nil, failed(err, "comparing")
	}
	c.Systems = systems(r, baseline, c.Editions)
	return c, nil
}

// systems tells how the systems behind the editions differ from the baseline's.
func systems(r *Result, baseline string, editions []string) []comparing.Treated {
	subjects := []comparing.Subject{{Edition: baseline}}
	for _, e := range editions {
		if e != baseline {
			subjects = append(subjects, comparing.Subject{Edition: e})
		}
	}
	for i := range subjects {
		s := &subjects[i]
		for j := range r.Table.Owns {
			if own := &r.Table.Owns[j]; own.Edition == s.Edition {
				s.Readings = own.Readings
				for _, one := range r.State.Chain(own.Review) {
					s.States = append(s.States, one.States...)
				}
			}
		}
	}
	return comparing.TreatmentOf(subjects)
}

func orFirst(s string, others []string) string {
	if s == "" && len(others) > 0 {
		return others[0]
	}
	return s
}
