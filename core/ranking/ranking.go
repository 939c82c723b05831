// Package ranking orders scorecards: ranks, dead heats, decisive criteria, and which editions are provisional or
// barred.
package ranking

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"runtime"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// Ranking is the order of editions for one audience.
type Ranking struct {
	Ranking     []Place       `json:"ranking"`
	Provisional []Provisional `json:"provisional"` // by score, those without a score last
	Barred      []Barred      `json:"barred"`      // alphabetical
}

// Place is one ranked edition. Editions of a dead heat share their rank unless a decisive criterion separates them.
type Place struct {
	Rank      int     `json:"rank"`
	Edition   string  `json:"edition"`
	Overall   float64 `json:"overall"` // the score that determines the order
	DeadHeat  bool    `json:"deadHeat"`
	DecidedBy string  `json:"decidedBy"` // the criterion that opened this part of a heat, if any
}

// Provisional is an edition with too little coverage to be ranked.
type Provisional struct {
	Edition  string   `json:"edition"`
	Overall  *float64 `json:"overall"`
	Coverage float64  `json:"coverage"`
}

// Barred is an edition that failed gates.
type Barred struct {
	Edition  string   `json:"edition"`
	Criteria []string `json:"criteria"`
}

// By is what determines the order: the overall score, one section or one criterion. At most one of its fields is set.
type By struct {
	Section   string
	Criterion string
}

// decisiveMargin is the difference in points of a decisive criterion that still counts as equal.
const decisiveMargin = 1

// Rank orders editions by their points under an audience's weights and gates.
func Rank(points *scoring.Columns, a checklist.Audience, by By) (Ranking, error) {
	r := Ranking{Ranking: []Place{}, Provisional: []Provisional{}, Barred: []Barred{}}
	scores := points.Score(a, by.Section != "")
	field := field{points: points, order: make([]int, 0, len(points.Editions))}
	var err error
	if field.scores, err = by.scores(points, scores); err != nil {
		return r, err
	}
	policy := points.Checklist.Policy
	bars := barred(points, a)
	for e, edition := range points.Editions {
		score := field.scores[e]
		switch criteria, failed := bars[e]; {
		case failed:
			r.Barred = append(r.Barred, Barred{edition, criteria})
		case math.IsNaN(score) || scores.Coverage[e] < policy.CoverageNeeded()-scoring.Slack:
			r.Provisional = append(r.Provisional, provisional(edition, score, scores.Coverage[e]))
		default:
			field.order = append(field.order, e)
		}
	}
	slices.SortFunc(r.Provisional, provisionalOrder)
	field.inOrder()
	if len(policy.Decisive) == 0 {
		r.Ranking = field.places(policy.Margin())
		return r, nil
	}
	r.Ranking = make([]Place, 0, len(field.order))
	for _, heat := range parts(field.order, field.scores, policy.Margin()) {
		r.place(&field, heat, policy.Decisive)
	}
	return r, nil
}

// placesAtOnce is how many places a worker writes before it looks for more.
const placesAtOnce = 8192

// places returns the ranks of sorted editions if no criterion splits heats.
func (f *field) places(margin float64) []Place {
	ranks := make([]int, len(f.order)+1) // and one after the last
	first := 0
	for n, e := range f.order {
		if f.scores[f.order[first]]-f.scores[e] > margin+scoring.Slack {
			first = n
		}
		ranks[n] = first + 1
	}
	out := make([]Place, len(f.order))
	write := func(n int) {
		e := f.order[n]
		out[n] = Place{
			Rank: ranks[n], Edition: f.points.Editions[e], Overall: f.scores[e],
			DeadHeat: ranks[n] <= n || ranks[n+1] == ranks[n],
		}
	}
	parts := (len(out) + placesAtOnce - 1) / placesAtOnce
	_ = each(context.Background(), runtime.GOMAXPROCS(0), parts, func() func(part int) { // nothing ends it
		return func(part int) {
			for n := part * placesAtOnce; n < min((part+1)*placesAtOnce, len(out)); n++ {
				write(n)
			}
		}
	})
	return out
}

// barred returns, by edition, the criteria whose gates were failed.
func barred(points *scoring.Columns, a checklist.Audience) map[int][]string {
	bars := map[int][]string{}
	for i, c := range points.Criteria {
		gate, ok := a.Gate(c)
		if !ok || !c.Scored() {
			continue
		}
		for e := range points.Editions {
			if p, answered := points.Points(i, e); answered && p < gate-scoring.Slack {
				bars[e] = append(bars[e], c.Key)
			}
		}
	}
	return bars
}

func provisional(edition string, score, coverage float64) Provisional {
	p := Provisional{Edition: edition, Coverage: coverage}
	if !math.IsNaN(score) {
		p.Overall = &score
	}
	return p
}

// field is the editions to be ranked, by their index in the columns; indexes follow the order of keys.
type field struct {
	points    *scoring.Columns
	scores    []float64 // by edition; NaN means none
	order     []int     // of the editions that are ranked
	contested []float64 // points in a decisive criterion, by edition
}

// sort orders editions by value, highest first and without a value last, then by
// score, then by key.
func (f *field) sort(editions []int, value []float64) {
	slices.SortFunc(editions, func(a, b int) int {
		switch va, vb := value[a], value[b]; {
		case va > vb, math.IsNaN(vb) && !math.IsNaN(va):
			return -1
		case va < vb, math.IsNaN(va) && !math.IsNaN(vb):
			return 1
		}
		return cmp.Or(cmp.Compare(f.scores[b], f.scores[a]), cmp.Compare(a, b))
	})
}

// parts walks sorted editions: an edition joins the current part while its value is within the margin of the first
// one's. Those without a value come last, in a part of their own.
func parts(editions []int, value []float64, margin float64) [][]int {
	var out [][]int
	first := 0
	for i, e := range editions {
		a, b := value[editions[first]], value[e]
		apart := a-b > margin+scoring.Slack || math.IsNaN(a) != math.IsNaN(b)
		if i > 0 && apart {
			out = append(out, editions[first:i:i])
			first = i
		}
	}
	if len(editions) > 0 {
		out = append(out, editions[first:])
	}
	return out
}

// place assigns ranks to the members of a heat, which are ordered by score, split by decisive criteria.
func (r *Ranking) place(f *field, heat []int, decisive []string) {
	for _, part := range f.split(heat, decisive, "") {
		rank := len(r.Ranking) + 1
		f.sort(part.editions, f.scores)
		for _, e := range part.editions {
			r.Ranking = append(r.Ranking, Place{
				Rank: rank, Edition: f.points.Editions[e], Overall: f.scores[e],
				DeadHeat: len(heat) > 1, DecidedBy: part.opener,
			})
		}
	}
}

type part struct {
	editions []int
	opener   string
}

// split splits a heat by the first decisive criterion, each part by the next, and so on; opener is the criterion that
// opened the given part.
func (f *field) split(heat []int, decisive []string, opener string) []part {
	if len(heat) < 2 || len(decisive) == 0 {
		return []part{{heat, opener}}
	}
	value, shared := f.contest(decisive[0], heat)
	if !shared {
		return f.split(heat, decisive[1:], opener)
	}
	f.sort(heat, value)
	var out []part
	for i, p := range parts(heat, value, decisiveMargin) {
		if i > 0 {
			opener = decisive[0]
		}
		out = append(out, f.split(p, decisive[1:], opener)...)
	}
	return out
}

// contest returns the points by which a decisive criterion may split a heat, by edition, set only for the heat.
// shared is false if no rig is common to all its members.
func (f *field) contest(key string, heat []int) (value []float64, shared bool) {
	i, ok := f.points.Index(key)
	if !ok {
		return nil, false
	}
	points, shared := f.points.Contest(i, heat)
	if f.contested == nil {
		f.contested = make([]float64, len(f.points.Editions))
	}
	for n, e := range heat {
		f.contested[e] = points[n]
	}
	return f.contested, shared
}

// criterion returns the points in a criterion by edition, NaN if there are none.
func (f *field) criterion(key string) []float64 {
	values := make([]float64, len(f.points.Editions))
	i, ok := f.points.Index(key)
	for e := range values {
		values[e] = math.NaN()
		if ok {
			if p, answered := f.points.Points(i, e); answered {
				values[e] = p
			}
		}
	}
	return values
}

// scores returns what determines the order, by edition; NaN if there is none.
func (by By) scores(points *scoring.Columns, s scoring.Scores) ([]float64, error) {
	list := points.Checklist
	switch {
	case by.Section != "":
		i := slices.IndexFunc(list.Sections, func(s checklist.Section) bool { return s.Key == by.Section })
		if i < 0 {
			return nil, fmt.Errorf("checklist %s has no section %q", list.Name(), by.Section)
		}
		return s.Sections[i], nil
	case by.Criterion != "":
		i, ok := points.Index(by.Criterion)
		if !ok || !points.Criteria[i].Scored() {
			return nil, fmt.Errorf("checklist %s has no scored criterion %q", list.Name(), by.Criterion)
		}
		f := field{points: points}
		return f.criterion(by.Criterion), nil
	}
	return s.Overall, nil
}

func provisionalOrder(a, b Provisional) int {
	switch {
	case a.Overall != nil && b.Overall != nil:
		return cmp.Or(cmp.Compare(*b.Overall, *a.Overall), strings.Compare(a.Edition, b.Edition))
	case a.Overall != nil:
		return -1
	case b.Overall != nil:
		return 1
	}
	return strings.Compare(a.Edition, b.Edition)
}

// places returns the position of each ranked edition in the ranking.
func (r *Ranking) places() map[string]int {
	places := make(map[string]int, len(r.Ranking))
	for i := range r.Ranking {
		places[r.Ranking[i].Edition] = i
	}
	return places
}
