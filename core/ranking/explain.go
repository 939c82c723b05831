package ranking

import (
	"errors"
	"fmt"
	"math"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// ErrBalance means that a sum criterion by criterion was asked for under a policy whose overall score is not a sum.
var ErrBalance = errors.New("it needs a policy with balance 1, where section scores simply add up by weight")

// Explanation is why one edition's score is ahead of another's: what each criterion adds to the difference. The parts
// sum to the difference exactly.
type Explanation struct {
	A          string         `json:"a"`
	B          string         `json:"b"`
	Difference float64        `json:"difference"` // score of a − score of b
	Midpoint   float64        `json:"midpoint"`   // of the two scores
	Criteria   []Contribution `json:"criteria"`   // in the checklist's order
	Sections   []SectionAdds  `json:"sections"`   // in the checklist's order
	Order      string         `json:"order"`      // why the ranking's order is not that of the scores, if so
}

// Contribution is what one criterion adds, with each side's effective weight and points; nil for a side that has no
// answer.
type Contribution struct {
	Key     string   `json:"key"`
	Adds    float64  `json:"adds"`
	WeightA float64  `json:"weightA"`
	PointsA *float64 `json:"pointsA"`
	WeightB float64  `json:"weightB"`
	PointsB *float64 `json:"pointsB"`
	// Adds is the sum of these two if both sides have an answer: the effect of the points, at the mean of the two
	// weights, and the effect of the weights, at the mean of the two points. Weights differ if one side has no answer
	// to another criterion.
	ByPoints *float64 `json:"byPoints,omitempty"`
	ByWeight *float64 `json:"byWeight,omitempty"`
	// Rigs whose values are estimated for a side.
	EstimatedA []scoring.Estimate `json:"estimatedA,omitempty"`
	EstimatedB []scoring.Estimate `json:"estimatedB,omitempty"`
}

// SectionAdds is what the criteria of a section add together.
type SectionAdds struct {
	Key  string  `json:"key"`
	Adds float64 `json:"adds"`
}

// Explain splits the difference of two scorecards: with m the midpoint of the scores, criterion c adds g_c(A)·(p_c(A)
// − m) − g_c(B)·(p_c(B) − m), where g are its effective weights and p its points. Since effective weights sum to 1,
// the parts sum to the difference of the scores. The rule is section 5 of our scoring page. The balance of the policy
// must be 1, and both must have a score.
func Explain(list *checklist.Checklist, a, b *scoring.Scorecard, r *Ranking) (Explanation, error) {
	e := Explanation{A: a.Edition, B: b.Edition, Criteria: []Contribution{}, Sections: []SectionAdds{}}
	if list.Policy.Exponent() != 1 {
		return e, fmt.Errorf("no explanation: %w", ErrBalance)
	}
	for _, card := range []*scoring.Scorecard{a, b} {
		if card.Overall == nil {
			return e, fmt.Errorf("no explanation: %s has no score", card.Edition)
		}
	}
	e.Difference = *a.Overall - *b.Overall
	e.Midpoint = (*a.Overall + *b.Overall) / 2
	at := 0
	for _, s := range list.Sections {
		section := SectionAdds{Key: s.Key}
		for i := range s.Criteria {
			if !s.Criteria[i].Scored() {
				continue
			}
			x, y := &a.Criteria[at], &b.Criteria[at]
			at++
			c := Contribution{
				Key:        x.Key,
				WeightA:    x.Weight,
				PointsA:    x.Points,
				WeightB:    y.Weight,
				PointsB:    y.Points,
				EstimatedA: x.Estimates(),
				EstimatedB: y.Estimates(),
			}
			c.Adds = pull(x, e.Midpoint) - pull(y, e.Midpoint)
			c.part(e.Midpoint)
			section.Adds += c.Adds
			e.Criteria = append(e.Criteria, c)
		}
		e.Sections = append(e.Sections, section)
	}
	if r != nil {
		e.Order = r.order(a.Edition, b.Edition, list.Policy.Decisive)
	}
	return e, nil
}

// part splits what the criterion adds: (gA + gB)/2·(pA − pB) comes from points, and (gA − gB)·((pA + pB)/2 − m) from
// weights.
func (c *Contribution) part(midpoint float64) {
	if c.PointsA == nil || c.PointsB == nil {
		return
	}
	points := (c.WeightA + c.WeightB) / 2 * (*c.PointsA - *c.PointsB)
	weight := (c.WeightA - c.WeightB) * ((*c.PointsA+*c.PointsB)/2 - midpoint)
	c.ByPoints, c.ByWeight = &points, &weight
}

// FromWeight reports whether most of what the criterion adds comes from the two sides' weights, not from their
// points.
func (c *Contribution) FromWeight() bool {
	return c.ByWeight != nil && math.Abs(*c.ByWeight) > math.Abs(*c.ByPoints)+scoring.Slack
}

// pull returns how far a criterion pulls a score away from the midpoint.
func pull(c *scoring.CriterionScore, midpoint float64) float64 {
	if c.Points == nil {
		return 0
	}
	return c.Weight * (*c.Points - midpoint)
}

// order explains why the ranking orders two editions, or ties them, differently from their scores; empty if the
// scores explain it.
func (r *Ranking) order(a, b string, decisive []string) string {
	i, j := r.find(a), r.find(b)
	if i < 0 || j < 0 {
		return ""
	}
	first, second := &r.Ranking[min(i, j)], &r.Ranking[max(i, j)]
	switch {
	case first.Rank == second.Rank && first.Overall > second.Overall+scoring.Slack:
		return fmt.Sprintf(
			"a dead heat: %s and %s share rank %d although their scores differ",
			first.Edition,
			second.Edition,
			first.Rank,
		)
	case first.Rank == second.Rank:
		return fmt.Sprintf("a dead heat: both share rank %d", first.Rank)
	case second.DeadHeat && first.DeadHeat && r.oneHeat(min(i, j), max(i, j)):
		by := r.parted(min(i, j), max(i, j), decisive)
		if second.Overall > first.Overall+scoring.Slack {
			return fmt.Sprintf("a dead heat, decided by %s: %s is first although its score is lower", by, first.Edition)
		}
		return fmt.Sprintf("a dead heat, decided by %s", by)
	}
	return ""
}

func (r *Ranking) find(edition string) int {
	return slices.IndexFunc(r.Ranking, func(p Place) bool { return p.Edition == edition })
}

// oneHeat reports whether two places, i before j, belong to one dead heat. A heat begins where no decisive criterion
// opened the part.
func (r *Ranking) oneHeat(i, j int) bool {
	for k := i + 1; k <= j; k++ {
		p := &r.Ranking[k]
		if p.DecidedBy == "" && p.Rank != r.Ranking[k-1].Rank {
			return false
		}
	}
	return true
}

// parted names the criterion that separates two places of one heat: of the criteria that opened a part between them,
// the first in the order of decision.
func (r *Ranking) parted(i, j int, decisive []string) string {
	first := len(decisive)
	for k := i + 1; k <= j; k++ {
		if p := &r.Ranking[k]; p.Rank != r.Ranking[k-1].Rank {
			if at := slices.Index(decisive, p.DecidedBy); at >= 0 {
				first = min(first, at)
			}
		}
	}
	if first == len(decisive) {
		return ""
	}
	return decisive[first]
}
