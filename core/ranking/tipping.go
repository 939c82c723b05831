package ranking

import (
	"fmt"
	"math"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// Tipping is how far one weight must move before another edition leads.
type Tipping struct {
	Leader   string     `json:"leader"`   // highest overall of the ranked; not always rank 1
	Sections []TipPoint `json:"sections"` // in the checklist's order
	Criteria []TipPoint `json:"criteria"` // shares of their sections; scored ones, in the checklist's order
}

// TipPoint is one weight's share and where the lead would change as it moves.
type TipPoint struct {
	Key   string  `json:"key"`
	Share float64 `json:"share"` // 0–1
	Up    *Tip    `json:"up"`    // nil: no greater share changes the lead
	Down  *Tip    `json:"down"`  // nil: no smaller one does
}

// Tip is the share at which another edition takes the lead.
type Tip struct {
	Share  float64 `json:"share"`
	Leader string  `json:"leader"` // the lower key among equals
}

// TippingPoints moves one weight at a time, the others keeping their proportions,
// and finds where the leader of the ranked editions would lose the lead. With t the
// share of what moves, an edition's score is
//
//	f(t) = ((1 − t)·q·R + t·P) / ((1 − t)·q + t)
//
// P its score in what moves, R its score without it, q the share of the other weight
// that it has scores for; f = R where it has no score in what moves. The rule is
// section 5 of our scoring page. The balance of the policy must be 1.
func TippingPoints(
	list *checklist.Checklist,
	a checklist.Audience,
	cards []scoring.Scorecard,
	r *Ranking,
) (Tipping, error) {
	t := Tipping{Sections: []TipPoint{}, Criteria: []TipPoint{}}
	if list.Policy.Exponent() != 1 {
		return t, fmt.Errorf("no tipping points: %w", ErrBalance)
	}
	var ranked []scoring.Scorecard
	lead, places := 0, r.places()
	for _, card := range cards { // in the order of keys
		if _, ok := places[card.Edition]; !ok {
			continue
		}
		ranked = append(ranked, card)
		if *card.Overall > *ranked[lead].Overall+scoring.Slack {
			lead = len(ranked) - 1
		}
	}
	if len(ranked) > 0 {
		t.Leader = ranked[lead].Edition
	}
	var whole float64
	for s := range list.Sections {
		whole += a.SectionWeight(&list.Sections[s])
	}
	paths := make([]path, len(ranked))
	first := 0 // of the section's criteria, among those scored
	for s := range list.Sections {
		section := &list.Sections[s]
		weight := a.SectionWeight(section)
		for i := range ranked {
			paths[i] = sectionPath(list, a, &ranked[i], s, whole-weight)
		}
		t.Sections = append(t.Sections, tipPoint(section.Key, weight, whole, ranked, paths, lead))
		var within float64
		scored := scoredOf(section)
		for _, c := range scored {
			within += a.CriterionWeight(c)
		}
		for n, c := range scored {
			for i := range ranked {
				paths[i] = criterionPath(list, a, &ranked[i], s, scored, first, n)
			}
			t.Criteria = append(t.Criteria, tipPoint(c.Key, a.CriterionWeight(c), within, ranked, paths, lead))
		}
		first += len(scored)
	}
	return t, nil
}

func scoredOf(s *checklist.Section) []*checklist.Criterion {
	var scored []*checklist.Criterion
	for i := range s.Criteria {
		if s.Criteria[i].Scored() {
			scored = append(scored, &s.Criteria[i])
		}
	}
	return scored
}

// path is an edition's score as a weight moves, in x = t/(1 − t), from 0 to
// infinity: (n0 + n1·x)/(d0 + d1·x).
type path struct{ n0, n1, d0, d1 float64 }

// flat is a score that stays the same.
func flat(score float64) path { return path{score, 0, 1, 0} }

// moving is the score where p has a part t, and the rest r, with scores for the
// share q of the other weight, the part 1 − t.
func moving(p, r, q float64) path { return path{q * r, p, q, 1} }

// sectionPath is a card's overall score as the weight of section s moves; others is
// the weight of all other sections together.
func sectionPath(list *checklist.Checklist, a checklist.Audience, card *scoring.Scorecard, s int, others float64) path {
	var sum, scored float64
	for i := range list.Sections {
		if score := card.Sections[i].Score; i != s && score != nil {
			w := a.SectionWeight(&list.Sections[i])
			sum += w * *score
			scored += w
		}
	}
	p := card.Sections[s].Score
	switch {
	case p == nil:
		return flat(*card.Overall)
	case scored == 0 || others == 0:
		return flat(*p)
	}
	return moving(*p, sum/scored, scored/others)
}

// criterionPath is a card's overall score as the weight of one criterion of section
// s moves within it: the nth of those scored there, which begin at first among all.
func criterionPath(
	list *checklist.Checklist,
	a checklist.Audience,
	card *scoring.Scorecard,
	s int,
	scored []*checklist.Criterion,
	first, n int,
) path {
	var sum, answered, others float64
	for i, c := range scored {
		if i == n {
			continue
		}
		w := a.CriterionWeight(c)
		others += w
		if p := card.Criteria[first+i].Points; p != nil {
			sum += w * *p
			answered += w
		}
	}
	own := card.Criteria[first+n].Points
	var in path
	switch {
	case own == nil:
		return flat(*card.Overall)
	case answered == 0 || others == 0:
		in = flat(*own)
	default:
		in = moving(*own, sum/answered, answered/others)
	}
	// The overall score is rest + share·(the section's), over the sections that
	// have a score. The section has one as soon as the criterion weighs anything.
	var rest, whole float64
	for i := range list.Sections {
		w := a.SectionWeight(&list.Sections[i])
		if score := card.Sections[i].Score; i == s || score != nil {
			whole += w
			if i != s {
				rest += w * *score
			}
		}
	}
	if whole == 0 {
		return flat(*card.Overall)
	}
	rest /= whole
	share := a.SectionWeight(&list.Sections[s]) / whole
	return path{rest*in.d0 + share*in.n0, rest*in.d1 + share*in.n1, in.d0, in.d1}
}

// tipPoint finds the nearest crossings of the leader's path with any other.
func tipPoint(key string, weight, whole float64, ranked []scoring.Scorecard, paths []path, lead int) TipPoint {
	p := TipPoint{Key: key}
	if whole == 0 {
		return p
	}
	p.Share = weight / whole
	if weight == whole { // nothing else has a proportion to keep
		return p
	}
	for i := range paths {
		if i == lead {
			continue
		}
		for _, t := range crossings(paths[lead], paths[i]) {
			if t >= p.Share-scoring.Slack && (p.Up == nil || t < p.Up.Share-scoring.Slack) {
				p.Up = &Tip{t, ranked[i].Edition}
			}
			if t <= p.Share+scoring.Slack && (p.Down == nil || t > p.Down.Share+scoring.Slack) {
				p.Down = &Tip{t, ranked[i].Edition}
			}
		}
	}
	return p
}

// crossings is the shares, strictly between 0 and 1, at which two paths meet; none
// where they are the same throughout.
func crossings(f, g path) []float64 {
	// f − g has the numerator a·x² + b·x + c.
	a := f.n1*g.d1 - g.n1*f.d1
	b := f.n0*g.d1 + f.n1*g.d0 - g.n0*f.d1 - g.n1*f.d0
	c := f.n0*g.d0 - g.n0*f.d0
	var out []float64
	for _, x := range roots(a, b, c) {
		if t := x / (1 + x); x > 0 && t > scoring.Slack && t < 1-scoring.Slack {
			out = append(out, t)
		}
	}
	return out
}

// roots solves a·x² + b·x + c = 0 over the reals, without the loss of digits that
// the schoolbook formula has (Press et al., Numerical Recipes, section 5.6).
// Coefficients within the slack of 0 are 0; where all are, there are no roots.
func roots(a, b, c float64) []float64 {
	const slack = scoring.Slack
	if math.Abs(a) <= slack {
		if math.Abs(b) <= slack {
			return nil
		}
		return []float64{-c / b}
	}
	d := b*b - 4*a*c
	if d < 0 {
		return nil
	}
	q := -(b + math.Copysign(math.Sqrt(d), b)) / 2
	if q == 0 {
		return []float64{0}
	}
	return []float64{q / a, c / q}
}
