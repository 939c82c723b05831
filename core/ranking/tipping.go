package ranking

import (
	"fmt"
	"math"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// Tipping is how far one weight must change before another edition leads.
type Tipping struct {
	Leader   string     `json:"leader"`   // highest overall of the ranked; not always rank 1
	Sections []TipPoint `json:"sections"` // in the checklist's order
	Criteria []TipPoint `json:"criteria"` // shares of their sections; scored ones, in the checklist's order
}

// TipPoint is one weight's share, and where the lead would change with it.
type TipPoint struct {
	Key   string  `json:"key"`
	Share float64 `json:"share"` // 0–1
	Up    *Tip    `json:"up"`    // nil: no higher share changes the lead
	Down  *Tip    `json:"down"`  // nil: no lower share does
}

// Tip is the share at which another edition takes the lead.
type Tip struct {
	Share  float64 `json:"share"`
	Leader string  `json:"leader"` // the lower key among equals
}

// TippingPoints changes one weight at a time, the others keeping their proportions, and finds where the leader of the
// ranked editions would lose the lead. With t the share of what changes, an edition's score is
//
//	f(t) = ((1 − t)·q·R + t·P) / ((1 − t)·q + t)
//
// P is its score in what changes, R its score without it, and q the share of the other weight for which it has
// scores; f = R if it has no score in what changes. The rule is section 5 of our scoring page. The balance of the
// policy must be 1.
func TippingPoints(points *scoring.Columns, a checklist.Audience, r *Ranking) (Tipping, error) {
	list := points.Checklist
	t := Tipping{Sections: []TipPoint{}, Criteria: []TipPoint{}}
	if list.Policy.Exponent() != 1 {
		return t, fmt.Errorf("no tipping points: %w", ErrBalance)
	}
	m := mover{Columns: points, audience: a, scores: points.Score(a, true)}
	places := r.places()
	for e, edition := range points.Editions { // in the order of keys
		if _, ok := places[edition]; !ok {
			continue
		}
		m.ranked = append(m.ranked, e)
		if m.scores.Overall[e] > m.scores.Overall[m.ranked[m.lead]]+scoring.Slack {
			m.lead = len(m.ranked) - 1
		}
	}
	if len(m.ranked) > 0 {
		t.Leader = points.Editions[m.ranked[m.lead]]
	}
	var whole float64
	for s := range list.Sections {
		whole += a.SectionWeight(&list.Sections[s])
	}
	m.paths = make([]path, len(m.ranked))
	first := 0 // indexes of the section's criteria among all
	for s := range list.Sections {
		section := &list.Sections[s]
		weight := a.SectionWeight(section)
		for n, e := range m.ranked {
			m.paths[n] = m.section(e, s, whole-weight)
		}
		t.Sections = append(t.Sections, m.tipPoint(section.Key, weight, whole))
		scored := scoredOf(section, first)
		var within float64
		for _, i := range scored {
			within += a.CriterionWeight(points.Criteria[i])
		}
		for _, i := range scored {
			for n, e := range m.ranked {
				m.paths[n] = m.criterion(e, s, scored, i)
			}
			c := points.Criteria[i]
			t.Criteria = append(t.Criteria, m.tipPoint(c.Key, a.CriterionWeight(c), within))
		}
		first += len(section.Criteria)
	}
	return t, nil
}

// mover changes weights and computes the scores of the ranked editions.
type mover struct {
	*scoring.Columns
	audience checklist.Audience
	scores   scoring.Scores
	ranked   []int // indexes into the columns
	lead     int   // position of the leader among the ranked
	paths    []path
}

// scoredOf returns the scored criteria of a section, by their index among all; its first is at first.
func scoredOf(s *checklist.Section, first int) []int {
	var scored []int
	for i := range s.Criteria {
		if s.Criteria[i].Scored() {
			scored = append(scored, first+i)
		}
	}
	return scored
}

// path is an edition's score as a function of a weight, with x = t/(1 − t) from 0 to infinity: (n0 + n1·x)/(d0 +
// d1·x).
type path struct{ n0, n1, d0, d1 float64 }

// flat returns a score that stays the same.
func flat(score float64) path { return path{score, 0, 1, 0} }

// moving returns the score if p has the share t, and r the share 1 − t, with scores for the part q of the other
// weight.
func moving(p, r, q float64) path { return path{q * r, p, q, 1} }

// section returns the overall score of edition e as the weight of section s changes; others is the weight of all
// other sections together.
func (m *mover) section(e, s int, others float64) path {
	var sum, scored float64
	for i := range m.Checklist.Sections {
		if score := m.scores.Sections[i][e]; i != s && !math.IsNaN(score) {
			w := m.audience.SectionWeight(&m.Checklist.Sections[i])
			sum += w * score
			scored += w
		}
	}
	p := m.scores.Sections[s][e]
	switch {
	case math.IsNaN(p):
		return flat(m.scores.Overall[e])
	case scored == 0 || others == 0:
		return flat(p)
	}
	return moving(p, sum/scored, scored/others)
}

// criterion returns the overall score of edition e as the weight of criterion own of section s changes within it,
// among the criteria scored there.
func (m *mover) criterion(e, s int, scored []int, own int) path {
	var sum, answered, others float64
	for _, i := range scored {
		if i == own {
			continue
		}
		w := m.audience.CriterionWeight(m.Criteria[i])
		others += w
		if p, ok := m.Points(i, e); ok {
			sum += w * p
			answered += w
		}
	}
	p, ok := m.Points(own, e)
	var in path
	switch {
	case !ok:
		return flat(m.scores.Overall[e])
	case answered == 0 || others == 0:
		in = flat(p)
	default:
		in = moving(p, sum/answered, answered/others)
	}
	// The overall score is rest + share·(the section's), over the sections that have a score. The section has one as
	// soon as the criterion has any weight.
	var rest, whole float64
	for i := range m.Checklist.Sections {
		w := m.audience.SectionWeight(&m.Checklist.Sections[i])
		if score := m.scores.Sections[i][e]; i == s || !math.IsNaN(score) {
			whole += w
			if i != s {
				rest += w * score
			}
		}
	}
	if whole == 0 {
		return flat(m.scores.Overall[e])
	}
	rest /= whole
	share := m.audience.SectionWeight(&m.Checklist.Sections[s]) / whole
	return path{rest*in.d0 + share*in.n0, rest*in.d1 + share*in.n1, in.d0, in.d1}
}

// tipPoint finds the nearest crossings of the leader's path with any other.
func (m *mover) tipPoint(key string, weight, whole float64) TipPoint {
	p := TipPoint{Key: key}
	if whole == 0 {
		return p
	}
	p.Share = weight / whole
	if weight == whole { // no other weight has a proportion to keep
		return p
	}
	for n, e := range m.ranked {
		if n == m.lead {
			continue
		}
		for _, t := range crossings(m.paths[m.lead], m.paths[n]) {
			if t >= p.Share-scoring.Slack && (p.Up == nil || t < p.Up.Share-scoring.Slack) {
				p.Up = &Tip{t, m.Editions[e]}
			}
			if t <= p.Share+scoring.Slack && (p.Down == nil || t > p.Down.Share+scoring.Slack) {
				p.Down = &Tip{t, m.Editions[e]}
			}
		}
	}
	return p
}

// crossings returns the shares, strictly between 0 and 1, at which two paths meet; none if they are identical.
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

// roots solves a·x² + b·x + c = 0 over the reals, without the cancellation of the usual formula (Press et al.,
// Numerical Recipes, section 5.6). Coefficients within the slack of 0 count as 0; if all do, there are no roots.
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
