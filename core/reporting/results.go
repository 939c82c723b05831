package reporting

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"dappertally/core/bundle"
	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/core/quality"
	"dappertally/core/ranking"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// Question is what a report's results answer, with every choice made, so that they can be computed again.
type Question struct {
	Checklist  string   `json:"checklist"` // key@version
	Audiences  []string `json:"audiences"` // at least one
	Editions   []string `json:"editions"`  // editions with an accepted review, by key
	Baseline   string   `json:"baseline"`
	Rigs       []string `json:"rigs"` // nil: all
	CommonRigs bool     `json:"commonRigs"`
}

// Results is all figures of a report, computed from its bundle.
type Results struct {
	Question
	List       *checklist.Checklist
	Places     map[string]catalogue.Place
	Machines   []catalogue.Rig // of the bundle
	Views      []View          // one for each audience, in the order of the question
	Table      *scoring.Table
	Comparison comparing.Comparison
	Criteria   []comparing.CriterionRow
	Facts      []comparing.FactRow
	Match      comparing.HeadToHead
	Quality    quality.Quality
	Records    map[string][]*reading.Review // of each edition, the newest first
	Systems    []comparing.Treated          // the baseline first
	Lines      []Line                       // of editions with an earlier release here
}

// View is the results for one audience.
type View struct {
	Audience    checklist.Audience
	Cards       []scoring.Scorecard
	Ranking     ranking.Ranking
	Winners     ranking.Winners
	Steadiness  ranking.Steadiness
	Tipping     *ranking.Tipping     // nil: the policy's balance does not allow it
	Explanation *ranking.Explanation // of the first two; nil likewise, or if fewer are ranked
}

// Line is an edition with the earlier releases of its line.
type Line struct {
	Edition    string
	Points     []LinePoint // oldest first, the edition itself last
	Succession comparing.Succession
}

// LinePoint is the score of one release on a line: on its own checklist version, and on the common ground of that and
// the report's.
type LinePoint struct {
	Edition   string   `json:"edition"`
	Date      string   `json:"date"`
	Checklist string   `json:"checklist"`
	Overall   *float64 `json:"overall"`
	Ground    *float64 `json:"ground"`
}

// Seed is the seed with which every report's ranking is varied, so that anybody who computes it again gets the same
// draws.
const Seed = 1

// Compute answers the question from a bundle. An empty baseline becomes the leader of the first audience, or the
// first edition if none is ranked.
func Compute(ctx context.Context, b *bundle.Bundle, q Question) (*Results, error) {
	list, err := scoring.Newest(b.Checklists, q.Checklist)
	if err != nil {
		return nil, err
	}
	r := &Results{
		Question: q,
		List:     list,
		Machines: b.Rigs,
		Places:   map[string]catalogue.Place{},
		Records:  map[string][]*reading.Review{},
	}
	for _, p := range catalogue.Places(b.Distributions) {
		r.Places[p.Key()] = p
	}
	r.Table = scoring.Tabulate(b.Input(list), r.options())
	if r.Editions = r.Table.Editions; len(r.Editions) == 0 {
		return nil, fmt.Errorf("none of the editions has an accepted review on %s", list.Name())
	}
	for _, key := range q.Audiences {
		v, err := r.view(ctx, key)
		if err != nil {
			return nil, err
		}
		r.Views = append(r.Views, v)
	}
	if len(r.Views) == 0 {
		return nil, fmt.Errorf("a report needs at least one audience")
	}
	if err := r.compare(); err != nil {
		return nil, err
	}
	r.Quality = quality.Of(r.Table, quality.LinesOf(b.Distributions))
	return r, r.follow(b)
}

// options returns the question's options for the core.
func (q *Question) options() scoring.Options {
	only := make(map[string]bool, len(q.Editions))
	for _, e := range q.Editions {
		only[e] = true
	}
	return scoring.Options{CommonRigs: q.CommonRigs, Rigs: q.Rigs, Only: only}
}

func (r *Results) view(ctx context.Context, key string) (View, error) {
	audience, ok := r.List.Audience(key)
	if !ok {
		return View{}, fmt.Errorf("checklist %s has no audience %q", r.List.Name(), key)
	}
	v := View{Audience: audience, Cards: r.Table.Scorecards(audience)}
	columns := r.Table.Columns()
	var err error
	if v.Ranking, err = ranking.Rank(columns, audience, ranking.By{}); err != nil {
		return v, err
	}
	v.Winners = ranking.WinnersOf(columns, audience, &v.Ranking)
	if v.Steadiness, err = ranking.Vary(ctx, r.Table, audience, &v.Ranking, ranking.Variation{Seed: Seed}); err != nil {
		return v, err
	}
	if r.List.Policy.Exponent() != 1 || len(v.Ranking.Ranking) == 0 {
		return v, nil
	}
	tipping, err := ranking.TippingPoints(columns, audience, &v.Ranking)
	if err != nil {
		return v, err
	}
	v.Tipping = &tipping
	if len(v.Ranking.Ranking) < 2 {
		return v, nil
	}
	e, err := ranking.Explain(
		r.List, v.Card(v.Ranking.Ranking[0].Edition), v.Card(v.Ranking.Ranking[1].Edition), &v.Ranking,
	)
	v.Explanation = &e
	return v, err
}

// Card returns an edition's scorecard; nil if it has none.
func (v *View) Card(edition string) *scoring.Scorecard {
	for i := range v.Cards {
		if v.Cards[i].Edition == edition {
			return &v.Cards[i]
		}
	}
	return nil
}

// Place returns an edition's place in the ranking; nil if it is not ranked.
func (v *View) Place(edition string) *ranking.Place {
	for i := range v.Ranking.Ranking {
		if v.Ranking.Ranking[i].Edition == edition {
			return &v.Ranking.Ranking[i]
		}
	}
	return nil
}

// compare compares the editions with the baseline and with each other.
func (r *Results) compare() (err error) {
	if main := r.Views[0].Ranking.Ranking; r.Baseline == "" && len(main) > 0 {
		r.Baseline = main[0].Edition
	}
	r.Baseline = cmp.Or(r.Baseline, r.Editions[0])
	if r.Comparison, err = comparing.Compare(r.Table, r.Baseline, nil); err != nil {
		return err
	}
	against := map[string]string{}
	first := []string{r.Baseline}
	for _, e := range r.Editions {
		if e != r.Baseline {
			against[e] = r.Baseline
			first = append(first, e)
		}
	}
	r.Criteria = comparing.CriteriaOf(r.Table, r.Editions, against, r.Comparison.Rows)
	r.Facts = comparing.FactsOf(r.Table, first, nil)
	r.Match = comparing.MatchUp(r.Table, nil, nil)
	return nil
}

// follow adds the editions' earlier releases, and the records of their reviews.
func (r *Results) follow(b *bundle.Bundle) error {
	byID := map[string]*reading.Review{}
	for i := range b.Reviews {
		byID[b.Reviews[i].ID] = &b.Reviews[i]
	}
	var subjects []comparing.Subject
	for e := range r.Table.Editions {
		own := r.Table.Own(e)
		r.Records[own.Edition] = reading.Chain(own.Review, byID)
		s := comparing.Subject{Edition: own.Edition, Readings: own.Readings}
		for _, review := range r.Records[own.Edition] {
			s.States = append(s.States, review.States...)
		}
		if own.Edition == r.Baseline {
			subjects = slices.Insert(subjects, 0, s)
		} else {
			subjects = append(subjects, s)
		}
	}
	r.Systems = comparing.TreatmentOf(subjects)
	l := liner{
		bundle:  b,
		results: r,
		byID:    byID,
		tables: map[string]*scoring.Table{
			r.List.Name(): scoring.Tabulate(b.Input(r.List), scoring.Options{CommonRigs: r.CommonRigs, Rigs: r.Rigs}),
		},
		grounds: map[string]comparing.Ground{},
	}
	return l.lines()
}

// Name returns an edition's name for people.
func (r *Results) Name(edition string) string {
	p, ok := r.Places[edition]
	if !ok {
		return edition
	}
	name := p.Distribution.Name
	if name == "" {
		name = p.Distribution.Key
	}
	return name + " " + p.Release.Version + " " + p.Edition.Label()
}
