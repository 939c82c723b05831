// Package answers computes answers from the records: rankings, comparisons, lines, records.
package answers

import (
	"context"
	"iter"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/quality"
	"dappertally/core/ranking"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
)

// Result is a ranking with everything that it rests on. It is shared: do not modify it.
type Result struct {
	State    *ledger.Records
	List     *checklist.Checklist
	Audience checklist.Audience
	Query    Query
	Table    *scoring.Table
	Columns  *scoring.Columns // the same points
	Options  scoring.Options  // that the points were computed with
	Ranking  ranking.Ranking
	Edition  string // of a desk: the reviewer
}

// Unsteady returns the measures of an edition whose runs scatter too much.
func (r *Result) Unsteady(edition string) []string {
	if e := r.Table.Row(edition); e >= 0 && r.Edition == "" {
		return quality.Unsteady(r.Table, e)
	}
	return nil
}

// Includes reports whether an edition is part of the result.
func (r *Result) Includes(edition string) bool { return r.Table.Row(edition) >= 0 }

// Card returns the scorecard of an edition.
func (r *Result) Card(edition string) (*scoring.Scorecard, bool) {
	e := r.Table.Row(edition)
	if e < 0 {
		return nil, false
	}
	card := r.Table.Scorecard(e, r.Audience)
	return &card, true
}

// Summary returns the scorecard of an edition without its criteria, quickly.
func (r *Result) Summary(edition string) (card scoring.Scorecard, ok bool) {
	e := r.Table.Row(edition)
	if e < 0 {
		return card, false
	}
	return r.Table.Summary(e, r.Audience), true
}

// Cards returns the scorecards of all editions of the result, by edition, computed one after the other.
func (r *Result) Cards() iter.Seq[*scoring.Scorecard] {
	return func(yield func(*scoring.Scorecard) bool) {
		for e := range r.Table.Editions {
			card := r.Table.Scorecard(e, r.Audience)
			if !yield(&card) {
				return
			}
		}
	}
}

// Rank returns an edition's rank, or 0 if it is not ranked.
func (r *Result) Rank(edition string) int {
	for _, p := range r.Ranking.Ranking {
		if p.Edition == edition {
			return p.Rank
		}
	}
	return 0
}

// Winners returns the winners of each section and criterion.
func (r *Result) Winners() ranking.Winners {
	find := func() ranking.Winners { return ranking.WinnersOf(r.Columns, r.Audience, &r.Ranking) }
	if r.Query.Weights.set() {
		return find()
	}
	winners, _ := remember( // it cannot fail
		context.Background(), &r.Query, r.State, "winners "+r.Query.String(),
		func(context.Context) (ranking.Winners, error) { return find(), nil },
	)
	return winners
}

// Rank computes the ranking of the query.
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

// First returns the first editions of the ranking by overall score, at most so many, and the result on which they
// rest, without a ranking. It is quick if only the weights of sections differ from the last time.
func (s *Service) First(ctx context.Context, q Query, most int) (*Result, ranking.Top, error) {
	state, err := s.stateFor(ctx, &q)
	if err != nil {
		return nil, ranking.Top{}, err
	}
	type first struct {
		*Result
		ranking.Top
	}
	f, err := inTurn(ctx, func(ctx context.Context) (first, error) {
		list, audience, t, err := q.tabulate(ctx, state)
		if err != nil {
			return first{}, err
		}
		return first{q.over(state, list, audience, t), ranking.First(t.Columns().Sums(audience), audience, most)}, nil
	})
	return f.Result, f.Top, err
}

// Result returns the ranking of the query for a state.
func (q *Query) Result(ctx context.Context, state *ledger.Records) (*Result, error) {
	rank := func(ctx context.Context) (*Result, error) {
		list, audience, table, err := q.tabulate(ctx, state)
		if err != nil {
			return nil, err
		}
		return q.rank(state, list, audience, table)
	}
	if q.Weights.set() { // somebody is trying weights: hardly anybody requests the same again
		return inTurn(ctx, rank)
	}
	return ledger.Remember(ctx, state, q.String(), rank)
}

// tabled is the points of a query, as a table and by column.
type tabled struct {
	*scoring.Table
	opts scoring.Options
}

// tabulate returns the points of the query, with the checklist and the audience that it names.
func (q *Query) tabulate(
	ctx context.Context, state *ledger.Records,
) (*checklist.Checklist, checklist.Audience, tabled, error) {
	list, audience, err := q.resolve(state)
	if err != nil {
		return nil, audience, tabled{}, err
	}
	t, err := q.table(ctx, state, list)
	return list, audience, t, err
}

// table returns the points of the query. Audiences and custom weights share them.
func (q *Query) table(ctx context.Context, state *ledger.Records, list *checklist.Checklist) (tabled, error) {
	opts, err := q.options(state, list)
	if err != nil {
		return tabled{}, err
	}
	return remember(ctx, q, state, "table "+list.Name()+q.points(), func(context.Context) (tabled, error) {
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
		return tabled{t, opts}, nil
	})
}

// remember remembers what depends only on the points of a query. Without a group, these do not depend on the catalogue.
func remember[T any](
	ctx context.Context, q *Query, state *ledger.Records, name string, compute func(ctx context.Context) (T, error),
) (T, error) {
	if q.Group.Empty() && !q.Ground {
		return ledger.RememberLasting(ctx, state, name, compute)
	}
	return ledger.Remember(ctx, state, name, compute)
}

// Weight implements ledger.Weighty.
func (t tabled) Weight() int { return len(t.Editions) / editionsInWeight }

// editionsInWeight is how many editions weigh as much as a short answer.
const editionsInWeight = 1000

func (q Query) rank(
	state *ledger.Records,
	list *checklist.Checklist,
	audience checklist.Audience,
	t tabled,
) (*Result, error) {
	r := q.over(state, list, audience, t)
	var err error
	if r.Ranking, err = ranking.Rank(t.Columns(), audience, q.By); err != nil {
		return nil, problem.New(problem.NotFound, "%s", err)
	}
	return r, nil
}

// over returns a result without a ranking.
func (q Query) over(state *ledger.Records, list *checklist.Checklist, a checklist.Audience, t tabled) *Result {
	return &Result{
		State:    state,
		List:     list,
		Audience: a,
		Query:    q,
		Table:    t.Table,
		Columns:  t.Columns(),
		Options:  t.opts,
	}
}

// OnDesk returns the result of a review as if it were accepted now, with its readings, beside the current reviews.
// Without ranked, the result has no ranking.
func OnDesk(ctx context.Context, state *ledger.Records, review reading.Review, ranked bool) (*Result, error) {
	list, err := scoring.Newest(state.Checklists.Lists, review.Checklist)
	if err != nil {
		return nil, ledger.Failed(err, "finding the review's checklist")
	}
	q := Query{Checklist: list.Name()}
	stands, err := q.table(ctx, state, list)
	if err != nil {
		return nil, err
	}
	table := tabled{Table: stands.Desk(review)}
	r := &Result{State: state, List: list, Query: q, Table: table.Table}
	if ranked {
		r, err = q.rank(state, list, checklist.Audience{}, table)
	}
	if err == nil {
		r.Edition = review.Edition
	}
	return r, err
}

// Gaps lists where an edition of the result has answers that do not fully count.
func (r *Result) Gaps(edition string) []scoring.Gap {
	e := r.Table.Row(edition)
	if e < 0 {
		return []scoring.Gap{}
	}
	return r.Table.Gaps(e)
}
