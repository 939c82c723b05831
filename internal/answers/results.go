// Package answers computes what is asked of the records: rankings, comparisons, lines, records.
package answers

import (
	"context"
	"slices"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/quality"
	"dappertally/core/ranking"
	"dappertally/core/scoring"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
)

// Result is a ranking with everything that it rests on. It is shared and must
// not be altered.
type Result struct {
	State    *ledger.Records
	List     *checklist.Checklist
	Audience checklist.Audience
	Query    Query
	Table    *scoring.Table
	Columns  *scoring.Columns // the same points
	Options  scoring.Options  // that the points were computed with
	Cards    []scoring.Scorecard
	Ranking  ranking.Ranking
	unsteady [][]string // criteria, by edition of the table; nil of a desk
	Edition  string     // of a desk: whose review is on it
}

// Unsteady names the measures of an edition whose runs scatter more than they may.
func (r *Result) Unsteady(edition string) []string {
	if i, ok := slices.BinarySearch(r.Table.Editions, edition); ok && r.unsteady != nil {
		return r.unsteady[i]
	}
	return nil
}

// Card finds the scorecard of an edition.
func (r *Result) Card(edition string) (*scoring.Scorecard, bool) {
	i, ok := slices.BinarySearch(r.Table.Editions, edition) // in the order of keys, as cards are
	if !ok {
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

// Winners tells who wins each section and criterion.
func (r *Result) Winners() ranking.Winners {
	find := func() ranking.Winners { return ranking.WinnersOf(r.Columns, r.Audience, &r.Ranking) }
	if r.Query.Weights.set() {
		return find()
	}
	return ledger.Known(r.State, "winners "+r.Query.String(), find)
}

// Rank computes the ranking that the query asks for.
func (s *Service) Rank(ctx context.Context, q Query) (*Result, error) {
	state, err := s.stateFor(ctx, &q)
	if err != nil {
		return nil, err
	}
	began := time.Now()
	r, err := q.Result(ctx, state)
	if err != nil {
		return nil, err
	}
	s.ledger.Log.DebugContext(ctx, "ranked", "checklist", r.List.Name(), "audience", r.Audience.Key,
		"ranked", len(r.Ranking.Ranking), "provisional", len(r.Ranking.Provisional), "barred", len(r.Ranking.Barred),
		"change", state.Number, "took", time.Since(began))
	return r, nil
}

// Result is the ranking that the query asks for, of a state.
func (q *Query) Result(ctx context.Context, state *ledger.Records) (*Result, error) {
	rank := func() (*Result, error) {
		list, audience, err := q.resolve(state)
		if err != nil {
			return nil, err
		}
		table, err := q.table(ctx, state, list)
		if err != nil {
			return nil, err
		}
		return q.rank(state, list, audience, table)
	}
	if q.Weights.set() { // somebody is trying weights out: hardly anybody asks for the same again
		return inTurn(ctx, rank)
	}
	return ledger.Remember(ctx, state, q.String(), rank)
}

// tabled is the points that a query looks at, as they are and laid out by column.
type tabled struct {
	*scoring.Table
	columns  *scoring.Columns
	opts     scoring.Options
	unsteady [][]string
}

// table is the points that the query looks at. Audiences and weights of one's own
// share them.
func (q *Query) table(ctx context.Context, state *ledger.Records, list *checklist.Checklist) (tabled, error) {
	opts, err := q.options(state, list)
	if err != nil {
		return tabled{}, err
	}
	return ledger.Remember(ctx, state, "table "+list.Name()+q.points(), func() (tabled, error) {
		var t *scoring.Table
		if q.Ground {
			g, err := q.ground(state)
			if err != nil {
				return tabled{}, err
			}
			t = g.tabulate(state, opts)
		} else {
			t = scoring.Tabulate(state.Input(list), opts)
		}
		return tabled{t, t.Columns(), opts, quality.Unsteady(t)}, nil
	})
}

func (q Query) rank(
	state *ledger.Records,
	list *checklist.Checklist,
	audience checklist.Audience,
	t tabled,
) (*Result, error) {
	r := &Result{
		State:    state,
		List:     list,
		Audience: audience,
		Query:    q,
		Table:    t.Table,
		Columns:  t.columns,
		Options:  t.opts,
		unsteady: t.unsteady,
	}
	r.Cards = t.Scorecards(audience)
	var err error
	if r.Ranking, err = ranking.Rank(t.columns, audience, q.By); err != nil {
		return nil, problem.New(problem.NotFound, "%s", err)
	}
	return r, nil
}

// OnDesk is the result of one edition alone, from a table of its readings so far.
func OnDesk(state *ledger.Records, list *checklist.Checklist, table *scoring.Table, edition string) (*Result, error) {
	q := Query{Checklist: list.Name()}
	result, err := q.rank(state, list, checklist.Audience{}, tabled{Table: table, columns: table.Columns()})
	if err != nil {
		return nil, err
	}
	result.Edition = edition
	return result, nil
}

// Gaps lists where an edition of the result has answers and none counts in full.
func (r *Result) Gaps(edition string) []scoring.Gap {
	e, ok := slices.BinarySearch(r.Table.Editions, edition)
	if !ok {
		return []scoring.Gap{}
	}
	return r.Table.Gaps(e)
}
