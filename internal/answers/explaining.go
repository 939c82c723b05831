package answers

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/comparing"
	"dappertally/core/ranking"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/turns"
)

// Explain returns why one edition is ahead of another, criterion by criterion. By default they are the first two of
// the ranking.
func (s *Service) Explain(ctx context.Context, q Query, a, b string) (*Result, ranking.Explanation, error) {
	r, err := s.Rank(ctx, q)
	if err != nil {
		return nil, ranking.Explanation{}, err
	}
	if a == "" && b == "" {
		if len(r.Ranking.Ranking) < 2 {
			return nil, ranking.Explanation{}, problem.New(
				problem.NotFound, "fewer than two editions are ranked; name two",
			)
		}
		a, b = r.Ranking.Ranking[0].Edition, r.Ranking.Ranking[1].Edition
	}
	named, err := r.stand(a, b)
	if err != nil {
		return nil, ranking.Explanation{}, err
	}
	if named[0] == named[1] {
		return nil, ranking.Explanation{}, problem.Field("b", "an edition cannot be ahead of itself; name another")
	}
	first, _ := r.Card(named[0])
	second, _ := r.Card(named[1])
	e, err := ranking.Explain(r.List, first, second, &r.Ranking)
	return r, e, refused(err)
}

// refused turns what the core cannot compute into a conflict with the records.
func refused(err error) error {
	if err != nil && !errors.As(err, new(*problem.Error)) {
		return problem.New(problem.Conflict, "%s", err)
	}
	return err
}

// stand resolves editions that must have an accepted review on the result's checklist version and belong to its
// group.
func (r *Result) stand(editions ...string) ([]string, error) {
	named := make([]string, len(editions))
	for i, e := range editions {
		named[i] = r.State.Catalogue.Resolve(e)
		if _, ok := r.State.Edition(named[i]); !ok {
			return nil, problem.New(problem.NotFound, "there is no edition %q; write distribution/release/edition", e)
		}
		if r.Includes(named[i]) {
			continue
		}
		if !r.Query.Group.Empty() &&
			slices.ContainsFunc(
				AcceptedPlaces(r.State, r.List), func(p catalogue.Place) bool { return p.Key() == named[i] },
			) {
			return nil, problem.New(problem.NotFound, "%s is not in the requested group", named[i])
		}
		return nil, problem.New(problem.NotFound, "%s has no accepted review on %s", named[i], r.List.Name())
	}
	return named, nil
}

// TippingPoints returns how far one weight must change before another edition leads.
func (s *Service) TippingPoints(ctx context.Context, q Query) (*Result, ranking.Tipping, error) {
	r, err := s.Rank(ctx, q)
	if err != nil {
		return nil, ranking.Tipping{}, err
	}
	tip := func(context.Context) (ranking.Tipping, error) {
		t, err := ranking.TippingPoints(r.Columns, r.Audience, &r.Ranking)
		return t, refused(err)
	}
	var t ranking.Tipping
	if q.Weights.set() {
		t, err = inTurn(ctx, tip)
	} else {
		t, err = remember(ctx, &q, r.State, "tipping "+q.String(), tip)
	}
	return r, t, err
}

// A larger field is varied less often if the request does not say how often, since the work grows with both.
const (
	wholeDraws  = 10_000
	wholeField  = 500
	fewestDraws = 500
)

// drawsIn returns how often a field is drawn, given the number for a small field and the lowest number.
func drawsIn(field, draws, fewest int) int {
	if field <= wholeField {
		return draws
	}
	return max(draws*wholeField/field, fewest)
}

// Steadiness returns how often the order holds when weights and readings are varied.
func (s *Service) Steadiness(
	ctx context.Context, q Query, how ranking.Variation,
) (*Result, ranking.SparseSteadiness, error) {
	r, err := s.Rank(ctx, q)
	if err != nil {
		return nil, ranking.SparseSteadiness{}, err
	}
	if err := bound(r, &how); err != nil {
		return nil, ranking.SparseSteadiness{}, err
	}
	name := fmt.Sprintf("steadiness %+v of %s", how, q.String())
	how.Workers = workers(ctx)
	vary := func(ctx context.Context) (varied, error) {
		st, err := ranking.VaryColumns(ctx, r.Columns, r.Table.Varied, r.Audience, &r.Ranking, how)
		return varied{st}, err
	}
	var st varied
	if q.Weights.set() {
		st, err = inTurn(ctx, vary)
	} else {
		st, err = remember(ctx, &q, r.State, name, vary)
	}
	if err != nil && ctx.Err() == nil && !errors.As(err, new(*problem.Error)) {
		err = problem.New(problem.Invalid, "%s", err)
	}
	return r, st.SparseSteadiness, err
}

// varied is the remembered answer.
type varied struct{ ranking.SparseSteadiness }

// Weight implements ledger.Weighty.
func (s varied) Weight() int { return len(s.Editions) / editionsInWeight }

// mostMatched is how many editions can be compared with each other in pairs.
const mostMatched = 60

// HeadToHead compares editions in pairs; by default those that are ranked. Placings of side-by-side tests count too.
func (s *Service) HeadToHead(ctx context.Context, q Query, editions []string) (*Result, comparing.HeadToHead, error) {
	r, err := s.Rank(ctx, q)
	if err != nil {
		return nil, comparing.HeadToHead{}, err
	}
	if len(editions) == 0 {
		for _, p := range r.Ranking.Ranking {
			editions = append(editions, p.Edition)
		}
	} else if editions, err = r.stand(editions...); err != nil {
		return nil, comparing.HeadToHead{}, err
	}
	if len(editions) > mostMatched {
		return nil, comparing.HeadToHead{}, problem.Field(
			"edition",
			"%d editions make too many pairs; filter the group, or name at most %d",
			len(editions),
			mostMatched,
		)
	}
	placings, err := s.placings(ctx, r)
	if err != nil {
		return nil, comparing.HeadToHead{}, err
	}
	done, err := turns.Take(ctx)
	if err != nil {
		return nil, comparing.HeadToHead{}, err
	}
	defer done()
	return r, comparing.MatchUp(r.Table, editions, placings), nil
}

// placings returns those of closed bench sessions, up to the moment of the result.
func (s *Service) placings(ctx context.Context, r *Result) ([]comparing.Placing, error) {
	all, err := s.ledger.Store.ClosedPlacings(ctx)
	if err != nil {
		return nil, ledger.Failed(err, "reading placings")
	}
	var placings []comparing.Placing
	for _, x := range all {
		if r.Query.At != nil && x.At.After(*r.Query.At) {
			continue
		}
		p := comparing.Placing{Question: x.Question, Order: x.Order}
		if c, ok := r.List.Criterion(x.Criterion); ok && p.Question == "" {
			p.Question = c.Title
		}
		placings = append(placings, p)
	}
	return placings, nil
}

// Groups compares one group of editions with another. By default a pair must be equal in every attribute except the
// one in question.
func (s *Service) Groups(
	ctx context.Context,
	q Query,
	asked comparing.GroupQuestion,
) (*Result, comparing.Groups, error) {
	r, err := s.Rank(ctx, q)
	if err != nil {
		return nil, comparing.Groups{}, err
	}
	if asked.Equal == nil {
		asked.Equal = slices.DeleteFunc(
			slices.Clone(catalogue.Attributes), func(a string) bool { return a == asked.Attribute },
		)
	}
	places := map[string]catalogue.Place{}
	for _, e := range r.Table.Editions {
		places[e], _ = r.State.Place(e)
	}
	for _, value := range []string{asked.A, asked.B} {
		if slices.Contains(comparing.GroupedBy, asked.Attribute) && !anyIs(places, asked.Attribute, value) {
			return nil, comparing.Groups{}, problem.New(
				problem.NotFound,
				"no accepted edition has the %s %q; there are %s",
				asked.Attribute,
				value,
				strings.Join(Values(r.State, asked.Attribute), ", "),
			)
		}
	}
	done, err := turns.Take(ctx)
	if err != nil {
		return nil, comparing.Groups{}, err
	}
	defer done()
	g, err := comparing.GroupAgainstGroup(r.Table, r.Audience, places, asked)
	if err != nil {
		return nil, g, problem.New(problem.Invalid, "%s", err)
	}
	return r, g, nil
}

func anyIs(places map[string]catalogue.Place, attribute, value string) bool {
	for _, p := range places {
		if p.Edition != nil && p.Is(attribute, value) {
			return true
		}
	}
	return false
}
