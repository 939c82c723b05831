package ranking

import (
	"fmt"
	"math"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// Effect is what a proposed checklist would change in a ranking.
type Effect struct {
	TauB      *float64 `json:"tauB"`      // correlation of the ranks of editions ranked in both; nil if undefined
	Moves     []Move   `json:"moves"`     // by edition
	NotTested []string `json:"notTested"` // criteria that no existing answer answers
	Now       Ranking  `json:"now"`
	Then      Ranking  `json:"then"`
}

// Move is one edition before and after. A rank is nil if the edition is not ranked.
type Move struct {
	Edition      string   `json:"edition"`
	Now          *int     `json:"now"`
	Then         *int     `json:"then"`
	ScoreNow     *float64 `json:"scoreNow"`
	ScoreThen    *float64 `json:"scoreThen"`
	CoverageNow  float64  `json:"coverageNow"`
	CoverageThen float64  `json:"coverageThen"`
}

// EffectOf ranks the editions with an accepted review on the input's checklist, as it is and as proposed. New
// criteria, and criteria whose kind, items or unit changed, count as not tested in the proposal; changed scoring
// rules are computed again.
func EffectOf(in scoring.Input, proposed *checklist.Checklist, opts scoring.Options) (Effect, error) {
	e := Effect{Moves: []Move{}, NotTested: []string{}}
	then := in.Project(proposed)
	for _, s := range then.Checklist.Sections {
		for i := range s.Criteria {
			if c := &s.Criteria[i]; then.Ignored[c.Key] && c.Scored() {
				e.NotTested = append(e.NotTested, c.Key)
			}
		}
	}
	before, err := view(in, opts)
	if err != nil {
		return e, err
	}
	after, err := view(then, opts)
	if err != nil {
		return e, fmt.Errorf("as proposed: %w", err)
	}
	e.Now, e.Then = before.ranking, after.ranking
	var x, y []int
	for i, edition := range before.editions {
		m := Move{
			Edition: edition, Now: before.rank(edition), Then: after.rank(edition),
			ScoreNow: before.score(i), ScoreThen: after.score(i),
			CoverageNow: before.scores.Coverage[i], CoverageThen: after.scores.Coverage[i],
		}
		e.Moves = append(e.Moves, m)
		if m.Now != nil && m.Then != nil {
			x, y = append(x, *m.Now), append(y, *m.Then)
		}
	}
	e.TauB = TauB(x, y)
	return e, nil
}

type seen struct {
	editions []string
	scores   scoring.Scores
	ranking  Ranking
	ranks    map[string]int // by edition
}

func view(in scoring.Input, opts scoring.Options) (seen, error) {
	audience, ok := in.Checklist.Audience(opts.Audience)
	if !ok {
		return seen{}, fmt.Errorf("checklist %s has no audience %q", in.Checklist.Name(), opts.Audience)
	}
	columns := scoring.Tabulate(in, opts).Columns()
	s := seen{editions: columns.Editions, scores: columns.Score(audience, false), ranks: map[string]int{}}
	var err error
	s.ranking, err = Rank(columns, audience, By{})
	for _, p := range s.ranking.Ranking {
		s.ranks[p.Edition] = p.Rank
	}
	return s, err
}

// rank returns an edition's rank; nil if it is not ranked.
func (s *seen) rank(edition string) *int {
	if rank, ok := s.ranks[edition]; ok {
		return &rank
	}
	return nil
}

// score returns the score of the edition at that index; nil if it has none.
func (s *seen) score(e int) *float64 {
	if x := s.scores.Overall[e]; !math.IsNaN(x) {
		return &x
	}
	return nil
}

// TauB returns Kendall's tau-b of two rankings of the same things, with ties (Kendall, Biometrika 1945). It is nil if
// either consists only of ties.
func TauB(x, y []int) *float64 {
	var agree, tiedX, tiedY, pairs float64
	for i := range x {
		for j := range i {
			dx, dy := sign(x[i]-x[j]), sign(y[i]-y[j])
			agree += float64(dx * dy)
			pairs++
			if dx == 0 {
				tiedX++
			}
			if dy == 0 {
				tiedY++
			}
		}
	}
	scale := (pairs - tiedX) * (pairs - tiedY)
	if scale == 0 {
		return nil
	}
	tau := agree / math.Sqrt(scale)
	return &tau
}

func sign(n int) int {
	switch {
	case n < 0:
		return -1
	case n > 0:
		return 1
	}
	return 0
}
