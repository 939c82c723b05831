// Package ranking puts scorecards in order: ranks, dead heats, decisive
// criteria, and who is provisional or barred.
package ranking

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// Ranking is editions in order under one audience.
type Ranking struct {
	Ranking     []Place       `json:"ranking"`
	Provisional []Provisional `json:"provisional"` // by score, without a score last
	Barred      []Barred      `json:"barred"`      // alphabetical
}

// Place is one ranked edition. Editions of a dead heat share their rank unless
// a decisive criterion parted them.
type Place struct {
	Rank      int     `json:"rank"`
	Edition   string  `json:"edition"`
	Overall   float64 `json:"overall"` // the score that the ranking is ordered by
	DeadHeat  bool    `json:"deadHeat"`
	DecidedBy string  `json:"decidedBy"` // the criterion that opened this part of a heat
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

// By is what a ranking is ordered by: the overall score, one section or one
// criterion. At most one of its fields is set.
type By struct {
	Section   string
	Criterion string
}

// decisiveMargin is how many points of a decisive criterion still count as equal.
const decisiveMargin = 1

// Rank orders scorecards, all of one checklist version and one audience.
func Rank(cards []scoring.Scorecard, policy checklist.Policy, by By) (Ranking, error) {
	r := Ranking{Ranking: []Place{}, Provisional: []Provisional{}, Barred: []Barred{}}
	var field []entry
	for i := range cards {
		c := &cards[i]
		score, err := by.score(c)
		if err != nil {
			return r, err
		}
		switch {
		case len(c.Barred) > 0:
			r.Barred = append(r.Barred, Barred{c.Edition, criteria(c.Barred)})
		case score == nil || c.Coverage < policy.CoverageNeeded()-scoring.Slack:
			r.Provisional = append(r.Provisional, Provisional{c.Edition, score, c.Coverage})
		default:
			field = append(field, entry{c, *score})
		}
	}
	slices.SortFunc(r.Barred, func(a, b Barred) int { return strings.Compare(a.Edition, b.Edition) })
	slices.SortFunc(r.Provisional, provisionalOrder)
	slices.SortFunc(field, byScore)
	for _, heat := range parts(field, policy.Margin(), func(e entry) (float64, bool) { return e.score, true }) {
		r.place(heat, policy.Decisive)
	}
	return r, nil
}

type entry struct {
	card  *scoring.Scorecard
	score float64
}

func byScore(a, b entry) int {
	return cmp.Or(cmp.Compare(b.score, a.score), strings.Compare(a.card.Edition, b.card.Edition))
}

// parts walks down a sorted field: an entry joins the part that is open while it
// is within margin of the part's first. Entries without a value stand last, in a
// part of their own.
func parts(field []entry, margin float64, value func(entry) (float64, bool)) [][]entry {
	var out [][]entry
	for i, e := range field {
		if i > 0 {
			open := &out[len(out)-1]
			first, had := value((*open)[0])
			v, has := value(e)
			if had == has && first-v <= margin+scoring.Slack {
				*open = append(*open, e)
				continue
			}
		}
		out = append(out, []entry{e})
	}
	return out
}

// place gives the members of a heat their ranks, split by decisive criteria.
func (r *Ranking) place(heat []entry, decisive []string) {
	for _, part := range split(heat, decisive, "") {
		rank := len(r.Ranking) + 1
		slices.SortFunc(part.entries, byScore)
		for _, e := range part.entries {
			r.Ranking = append(r.Ranking, Place{
				Rank: rank, Edition: e.card.Edition, Overall: e.score,
				DeadHeat: len(heat) > 1, DecidedBy: part.opener,
			})
		}
	}
}

type part struct {
	entries []entry
	opener  string
}

// split parts a heat by the first decisive criterion, each part by the next,
// and so on; opener is the criterion that opened the part given.
func split(heat []entry, decisive []string, opener string) []part {
	if len(heat) < 2 || len(decisive) == 0 {
		return []part{{heat, opener}}
	}
	points := func(e entry) (float64, bool) { return criterionPoints(e.card, decisive[0]) }
	sorted := slices.Clone(heat)
	slices.SortStableFunc(sorted, func(a, b entry) int {
		pa, hasA := points(a)
		pb, hasB := points(b)
		switch {
		case hasA && hasB:
			return cmp.Or(cmp.Compare(pb, pa), byScore(a, b))
		case hasA != hasB:
			if hasA {
				return -1
			}
			return 1
		}
		return byScore(a, b)
	})
	var out []part
	for i, p := range parts(sorted, decisiveMargin, points) {
		if i > 0 {
			opener = decisive[0]
		}
		out = append(out, split(p, decisive[1:], opener)...)
	}
	return out
}

func criterionPoints(c *scoring.Scorecard, key string) (float64, bool) {
	for i := range c.Criteria {
		if c.Criteria[i].Key == key && c.Criteria[i].Points != nil {
			return *c.Criteria[i].Points, true
		}
	}
	return 0, false
}

// score is what the card is ordered by; nil where it has none.
func (by By) score(c *scoring.Scorecard) (*float64, error) {
	switch {
	case by.Section != "":
		for i := range c.Sections {
			if c.Sections[i].Key == by.Section {
				return c.Sections[i].Score, nil
			}
		}
		return nil, fmt.Errorf("checklist %s has no section %q", c.Checklist, by.Section)
	case by.Criterion != "":
		for i := range c.Criteria {
			if c.Criteria[i].Key == by.Criterion {
				return c.Criteria[i].Points, nil
			}
		}
		return nil, fmt.Errorf("checklist %s has no scored criterion %q", c.Checklist, by.Criterion)
	}
	return c.Overall, nil
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

func criteria(bars []scoring.Bar) []string {
	keys := make([]string, len(bars))
	for i, b := range bars {
		keys[i] = b.Criterion
	}
	return keys
}
