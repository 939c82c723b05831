package answers

import (
	"context"
	"slices"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/comparing"
	"dappertally/core/reading"
	"dappertally/internal/problem"
	"dappertally/internal/turns"
)

// Comparison is editions side by side.
type Comparison struct {
	*Result
	Editions []string          // editions with an accepted review, in the order of the request
	Missing  []string          // editions without an accepted review on the checklist version
	Baseline string            // as requested: an edition, or one of Baselines
	Against  map[string]string // the baseline of each edition; empty against records
	Without  []string          // editions without such a baseline on the checklist version
	Measures comparing.Comparison
	Criteria []comparing.CriterionRow
	Facts    []comparing.FactRow
	Match    comparing.HeadToHead
	Placings []comparing.Placing          // of side-by-side tests in which at least two of the editions took part
	Records  map[string][]*reading.Review // the current review of each edition, the newest first
	Systems  []comparing.Treated          // the baseline first
}

// Baselines lists the baselines that are not a single edition.
var Baselines = []string{Previous, BasedOn, Leader, AtRecord}

// The baselines that are not a single edition.
const (
	Previous = "previous" // the previous release of each edition on its line
	BasedOn  = "based-on" // the release on which each edition's release is based
	Leader   = "leader"   // the leader of the ranking
	AtRecord = "record"   // the records; measures only
)

// How many editions can be compared at once.
const (
	LeastCompared = 2
	MostCompared  = 12
)

// Compare compares two to twelve editions with a baseline; the first edition if none is requested.
func (s *Service) Compare(ctx context.Context, q Query, editions []string, baseline string) (*Comparison, error) {
	if len(editions) < LeastCompared || len(editions) > MostCompared {
		return nil, problem.Field(
			"edition", "name %d to %d editions, not %d", LeastCompared, MostCompared, len(editions),
		)
	}
	q.Group = catalogue.Group{}
	r, err := s.Rank(ctx, q)
	if err != nil {
		return nil, err
	}
	done, err := turns.Take(ctx)
	if err != nil {
		return nil, err
	}
	defer done()
	c := &Comparison{
		Result:   r,
		Editions: []string{},
		Missing:  []string{},
		Against:  map[string]string{},
		Without:  []string{},
	}
	if err := c.find(editions); err != nil {
		return nil, err
	}
	if err := c.choose(baseline); err != nil {
		return nil, err
	}
	if c.Baseline == AtRecord {
		records, _, err := s.RecordBook(ctx, q)
		if err != nil {
			return nil, err
		}
		c.Measures = comparing.CompareWithRecords(r.Table, records, c.Editions)
	} else {
		c.Measures = comparing.CompareEach(r.Table, c.Against)
	}
	c.Measures.Baseline = c.Baseline
	c.Criteria = comparing.CriteriaOf(r.Table, c.Editions, c.Against, c.Measures.Rows)
	policy, _, err := s.policy.Rules(ctx)
	if err != nil {
		return nil, err
	}
	c.Facts = comparing.FactsOf(r.Table, c.baselineFirst(), policy.Components)
	placings, err := s.placings(ctx, r)
	if err != nil {
		return nil, err
	}
	c.Match = comparing.MatchUp(r.Table, c.Editions, placings)
	c.Placings = slices.DeleteFunc(placings, func(p comparing.Placing) bool {
		took := 0
		for _, e := range c.Editions {
			if p.Place(e) > 0 {
				took++
			}
		}
		return took < 2
	})
	if err := s.records(ctx, c); err != nil {
		return nil, err
	}
	c.Systems = c.systems()
	return c, nil
}

// records reads what was recorded in the current reviews of each edition.
func (s *Service) records(ctx context.Context, c *Comparison) error {
	var all []*reading.Review
	chains := map[string]int{} // number of reviews of each edition
	for _, e := range c.baselineFirst() {
		chain := c.State.Chain(c.Table.Own(c.Table.Row(e)).Review)
		chains[e] = len(chain)
		all = append(all, chain...)
	}
	recorded, err := s.ledger.Recorded(ctx, all)
	if err != nil {
		return err
	}
	c.Records = map[string][]*reading.Review{}
	for _, e := range c.baselineFirst() {
		c.Records[e], recorded = recorded[:chains[e]], recorded[chains[e]:]
	}
	return nil
}

// find resolves the requested editions and separates those without an accepted review.
func (c *Comparison) find(asked []string) error {
	for _, e := range asked {
		key := c.State.Catalogue.Resolve(e)
		if slices.Contains(c.Editions, key) || slices.Contains(c.Missing, key) {
			return problem.Field("edition", "%s is duplicated", key)
		}
		if _, ok := c.State.Edition(key); !ok {
			return problem.New(problem.NotFound, "there is no edition %q; write distribution/release/edition", e)
		}
		if c.Includes(key) {
			c.Editions = append(c.Editions, key)
		} else {
			c.Missing = append(c.Missing, key)
		}
	}
	if len(c.Editions) == 0 {
		return problem.New(
			problem.NotFound, "%s has no accepted review on %s to compare with", c.Missing[0], c.List.Name(),
		)
	}
	return nil
}

// choose determines what each edition is compared with.
func (c *Comparison) choose(baseline string) error {
	c.Baseline = baseline
	switch baseline {
	case AtRecord:
		return nil
	case Previous, BasedOn:
		for _, e := range c.Editions {
			if b := c.before(e, baseline); b != "" {
				c.Against[e] = b
			} else {
				c.Without = append(c.Without, e)
			}
		}
		return nil
	case Leader:
		if len(c.Ranking.Ranking) == 0 {
			return problem.New(problem.NotFound, "no edition is ranked, so there is no leader")
		}
		c.Baseline = c.Ranking.Ranking[0].Edition
	case "":
		c.Baseline = c.Editions[0]
	default:
		c.Baseline = c.State.Catalogue.Resolve(baseline)
		if _, ok := c.State.Edition(c.Baseline); !ok {
			return problem.New(
				problem.NotFound,
				"there is no edition %q to compare with; write distribution/release/edition, or one of %s",
				baseline,
				strings.Join(Baselines, ", "),
			)
		}
		if !c.Includes(c.Baseline) {
			return problem.New(
				problem.NotFound, "%s has no accepted review on %s to compare with", c.Baseline, c.List.Name(),
			)
		}
	}
	if !slices.Contains(c.Editions, c.Baseline) {
		c.Editions = slices.Insert(c.Editions, 0, c.Baseline)
	}
	for _, e := range c.Editions {
		if e != c.Baseline {
			c.Against[e] = c.Baseline
		}
	}
	return nil
}

// before finds the edition's own baseline among the editions of the checklist version.
func (c *Comparison) before(edition, sort string) string {
	if sort == Previous {
		for _, earlier := range slices.Backward(c.State.Earlier(edition)) {
			if c.Includes(earlier) {
				return earlier
			}
		}
		return ""
	}
	p, _ := c.State.Place(edition)
	if p.Release == nil || p.Release.BasedOn == "" {
		return ""
	}
	var other string
	for _, e := range c.Table.Editions { // of several, the one with the same desktop
		if catalogue.ReleaseOf(e) != p.Release.BasedOn {
			continue
		}
		if x, _ := c.State.Edition(e); other == "" || strings.EqualFold(x.Desktop, p.Edition.Desktop) {
			other = e
		}
	}
	return other
}

// baselineFirst returns the editions, with the baseline first if it is one of them.
func (c *Comparison) baselineFirst() []string {
	first := slices.Clone(c.Editions)
	if i := slices.Index(first, c.Baseline); i > 0 {
		first = slices.Insert(slices.Delete(first, i, i+1), 0, c.Baseline)
	}
	return first
}

// systems returns how the systems of the editions differ from the baseline's.
func (c *Comparison) systems() []comparing.Treated {
	var subjects []comparing.Subject
	for _, e := range c.baselineFirst() {
		s := comparing.Subject{Edition: e, Readings: c.Table.Own(c.Table.Row(e)).Readings}
		for _, r := range c.Records[e] {
			s.States = append(s.States, r.States...)
		}
		subjects = append(subjects, s)
	}
	return comparing.TreatmentOf(subjects)
}
