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

// GroupQuestion asks for one group of editions against another: one desktop, one
// base or one release model.
type GroupQuestion struct {
	Attribute string   `json:"attribute"`
	A         string   `json:"a"`
	B         string   `json:"b"`
	Equal     []string `json:"equal"` // attributes that a pair has the same
}

// Groups is one group of editions against another, over the pairs of one edition
// each that are equal in all the other named attributes.
type Groups struct {
	GroupQuestion
	Pairs    []GroupPair   `json:"pairs"` // by edition
	Overall  Differences   `json:"overall"`
	Sections []Differences `json:"sections"` // in the checklist's order
	Criteria []Differences `json:"criteria"` // scored ones, in the checklist's order; points
	Measures []Means       `json:"measures"` // ratios, above 1 where A is better, by pair
}

// GroupPair is two editions that differ in the attribute asked about.
type GroupPair struct {
	A          string   `json:"a"`
	B          string   `json:"b"`
	Difference *float64 `json:"difference"` // score of a − score of b; nil where one has none
}

// Differences sums up the differences of pairs, A − B in points.
type Differences struct {
	Key    string   `json:"key,omitempty"`
	Pairs  int      `json:"pairs"`  // that both sides have points for
	Mean   *float64 `json:"mean"`   // nil where there is no pair
	Spread *float64 `json:"spread"` // standard deviation over the pairs; nil below two
	Least  *float64 `json:"least"`
	Most   *float64 `json:"most"`
	Better int      `json:"better"` // pairs in which A is ahead
	Worse  int      `json:"worse"`
}

// GroupAgainstGroup pairs the editions of a table, as an audience scores them. Places are
// those of its editions.
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

// GroupedBy lists the attributes that a group may be named by or held equal in.
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

// pair is two editions by their place in a table.
type pair struct{ a, b int }

// pairs are those of one edition of the first group and one of the second each that are the same in everything else
// that is named, in the order of the editions.
func (q *GroupQuestion) pairs(editions []string, places map[string]catalogue.Place) []pair {
	second := map[string][]int{} // by what is to be equal
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

// alike is what an edition has for everything that is to be equal.
func (q *GroupQuestion) alike(p catalogue.Place) string {
	var b strings.Builder
	for _, attribute := range q.Equal {
		value := p.Value(attribute)
		fmt.Fprintf(&b, "%d %s ", len(value), value)
	}
	return b.String()
}

// differencesOf sums up; what lies within the slack of 0 is neither ahead nor behind.
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
