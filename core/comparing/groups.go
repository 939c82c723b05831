package comparing

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/stat"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// GroupQuestion asks how one group of editions compares with another: one desktop, one base or one release model.
type GroupQuestion struct {
	Attribute string   `json:"attribute"`
	A         string   `json:"a"`
	B         string   `json:"b"`
	Equal     []string `json:"equal"` // attributes that both editions of a pair share
}

// Groups is the comparison of two groups of editions, over the pairs (one edition of each group) that are equal in
// all the other named attributes.
type Groups struct {
	GroupQuestion
	Pairs    []GroupPair   `json:"pairs"` // by edition
	Overall  Differences   `json:"overall"`
	Sections []Differences `json:"sections"` // in the checklist's order
	Criteria []Differences `json:"criteria"` // points of the scored ones, in the checklist's order
	Measures []Means       `json:"measures"` // ratios by pair; above 1, A is better
}

// GroupPair is two editions that differ in the attribute in question.
type GroupPair struct {
	A          string   `json:"a"`
	B          string   `json:"b"`
	Difference *float64 `json:"difference"` // score of a − score of b; nil if one has none
}

// Differences summarizes the differences of pairs, A − B in points.
type Differences struct {
	Key    string   `json:"key,omitempty"`
	Pairs  int      `json:"pairs"`  // number of pairs with points on both sides
	Mean   *float64 `json:"mean"`   // nil if there is no pair
	Spread *float64 `json:"spread"` // standard deviation over the pairs; nil for fewer than two
	Least  *float64 `json:"least"`
	Most   *float64 `json:"most"`
	Better int      `json:"better"` // pairs in which A is ahead
	Worse  int      `json:"worse"`
}

// GroupAgainstGroup pairs the editions of a table, with their scores for an audience. places are the places of these
// editions.
func GroupAgainstGroup(
	t *scoring.Table,
	audience checklist.Audience,
	places map[string]catalogue.Place,
	q GroupQuestion,
) (Groups, error) {
	g := Groups{
		GroupQuestion: q,
		Pairs:         []GroupPair{},
		Sections:      []Differences{},
		Criteria:      []Differences{},
		Measures:      []Means{},
	}
	if err := q.check(); err != nil {
		return g, err
	}
	pairs := q.pairs(t.Editions, places)
	columns := t.Columns()
	scores := columns.Score(audience, true)
	sum := func(key string, of func(e int) float64) Differences {
		var all []float64
		for _, p := range pairs {
			if d := of(p.a) - of(p.b); !math.IsNaN(d) {
				all = append(all, d)
			}
		}
		return differencesOf(key, all)
	}
	overall := func(e int) float64 { return scores.Overall[e] }
	for _, p := range pairs {
		made := GroupPair{A: t.Editions[p.a], B: t.Editions[p.b]}
		if d := overall(p.a) - overall(p.b); !math.IsNaN(d) {
			made.Difference = &d
		}
		g.Pairs = append(g.Pairs, made)
		measured, err := Compare(t, made.B, []string{made.A})
		if err != nil {
			return g, err
		}
		g.Measures = append(g.Measures, measured.GeometricMeans...)
	}
	g.Overall = sum("", overall)
	for s := range t.Checklist.Sections {
		g.Sections = append(
			g.Sections, sum(t.Checklist.Sections[s].Key, func(e int) float64 { return scores.Sections[s][e] }),
		)
	}
	for i, c := range t.Criteria {
		if !c.Scored() {
			continue
		}
		g.Criteria = append(g.Criteria, sum(c.Key, func(e int) float64 {
			points, answered := columns.Points(i, e)
			if !answered {
				return math.NaN()
			}
			return points
		}))
	}
	return g, nil
}

// GroupedBy lists the attributes that can name a group or be held equal.
var GroupedBy = append([]string{"distribution", "release"}, catalogue.Attributes...)

func (q *GroupQuestion) check() error {
	for _, a := range append([]string{q.Attribute}, q.Equal...) {
		if !slices.Contains(GroupedBy, a) {
			return fmt.Errorf("there is no attribute %.70q; there are %v", a, GroupedBy)
		}
	}
	switch {
	case q.A == "" || q.B == "" || strings.EqualFold(q.A, q.B):
		return fmt.Errorf("name two different groups, not %.70q and %.70q", q.A, q.B)
	case slices.Contains(q.Equal, q.Attribute):
		return fmt.Errorf("the groups differ in the %s, so it cannot be equal in a pair", q.Attribute)
	}
	return nil
}

// pair is two editions, by their index in a table.
type pair struct{ a, b int }

// pairs returns all pairs of one edition of each group that are equal in everything else named, in the order of the
// editions.
func (q *GroupQuestion) pairs(editions []string, places map[string]catalogue.Place) []pair {
	second := map[string][]int{} // by the attributes to be held equal
	for b, key := range editions {
		if p := places[key]; p.Edition != nil && p.Is(q.Attribute, q.B) {
			alike := q.alike(p)
			second[alike] = append(second[alike], b)
		}
	}
	var pairs []pair
	for a, key := range editions {
		p := places[key]
		if p.Edition == nil || !p.Is(q.Attribute, q.A) {
			continue
		}
		for _, b := range second[q.alike(p)] {
			if a != b {
				pairs = append(pairs, pair{a, b})
			}
		}
	}
	return pairs
}

// alike returns an edition's values of all attributes that are held equal.
func (q *GroupQuestion) alike(p catalogue.Place) string {
	var b strings.Builder
	for _, attribute := range q.Equal {
		value := p.Value(attribute)
		fmt.Fprintf(&b, "%d %s ", len(value), value)
	}
	return b.String()
}

// differencesOf summarizes; a difference within the slack of 0 counts as neither ahead nor behind.
func differencesOf(key string, all []float64) Differences {
	d := Differences{Key: key, Pairs: len(all)}
	if len(all) == 0 {
		return d
	}
	mean, least, most := stat.Mean(all, nil), slices.Min(all), slices.Max(all)
	d.Mean, d.Least, d.Most = &mean, &least, &most
	if len(all) > 1 {
		spread := stat.StdDev(all, nil)
		d.Spread = &spread
	}
	for _, x := range all {
		switch {
		case x > scoring.Slack:
			d.Better++
		case x < -scoring.Slack:
			d.Worse++
		}
	}
	return d
}
