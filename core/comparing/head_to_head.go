package comparing

import (
	"math"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// HeadToHead compares editions in pairs and counts, criterion by criterion, which one wins.
type HeadToHead struct {
	Pairs            []Pair `json:"pairs"`            // by edition
	DependsOnMachine []Flip `json:"dependsOnMachine"` // by pair, then checklist
}

// Pair counts the criteria that both editions answered and that are comparable.
type Pair struct {
	A        string  `json:"a"`
	B        string  `json:"b"`
	Wins     int     `json:"wins"` // wins of a
	Losses   int     `json:"losses"`
	Ties     int     `json:"ties"`   // splits are included
	Splits   int     `json:"splits"` // each is better on as many rigs as the other
	Criteria []Match `json:"criteria"`
}

// Match is one criterion, or one placing, of a pair.
type Match struct {
	Criterion string  `json:"criterion,omitempty"`
	Placing   string  `json:"placing,omitempty"` // the question of a side-by-side test
	Outcome   Outcome `json:"outcome"`
}

// Outcome is how a match ended for the pair's first edition.
type Outcome string

// The outcomes. A split by rig is a tie, and shown as such.
const (
	Win   Outcome = "win"
	Loss  Outcome = "loss"
	Tie   Outcome = "tie"
	Split Outcome = "split by rig"
)

// Flip is a measure whose order depends on the machine: a is better on some rigs and worse on others, and too close
// on none of these.
type Flip struct {
	Criterion string   `json:"criterion"`
	A         string   `json:"a"`
	B         string   `json:"b"`
	Better    []string `json:"better"` // rigs on which a is better
	Worse     []string `json:"worse"`
}

// Placing is the order, with ties, of the contenders in a side-by-side test: editions, best first, grouped by place.
type Placing struct {
	Question string     `json:"question"`
	Order    [][]string `json:"order"`
}

// Place returns an edition's place in the test, from 1; tied editions share it; 0 if it did not take part.
func (p *Placing) Place(edition string) int {
	place := 1
	for _, tied := range p.Order {
		if slices.Contains(tied, edition) {
			return place
		}
		place += len(tied)
	}
	return 0
}

// MatchUp compares editions in pairs, criterion by criterion. Each placing counts as a criterion of its own for the
// pairs of which it has both editions. If editions is nil, it compares all of the table, in the order of their keys.
func MatchUp(t *scoring.Table, editions []string, placings []Placing) HeadToHead {
	h := HeadToHead{Pairs: []Pair{}, DependsOnMachine: []Flip{}}
	var chosen []int
	for e, edition := range t.Editions {
		if editions == nil || slices.Contains(editions, edition) {
			chosen = append(chosen, e)
		}
	}
	for i, a := range chosen {
		for _, b := range chosen[i+1:] {
			pair, flips := matchUp(t, a, b)
			for _, p := range placings {
				pair.place(&p)
			}
			h.Pairs = append(h.Pairs, pair)
			h.DependsOnMachine = append(h.DependsOnMachine, flips...)
		}
	}
	return h
}

func matchUp(t *scoring.Table, a, b int) (Pair, []Flip) {
	pair := Pair{A: t.Editions[a], B: t.Editions[b], Criteria: []Match{}}
	var flips []Flip
	of, against := t.Cells(a), t.Cells(b)
	for i, c := range t.Criteria {
		x, y := &of[i], &against[i]
		if x.State != scoring.Answered || y.State != scoring.Answered || !c.Scored() {
			continue
		}
		if !c.Measured() {
			pair.add(Match{Criterion: c.Key, Outcome: OutcomeOf(x, y, c)})
			continue
		}
		better, worse, compared := onRigs(x, y, c)
		if compared == 0 {
			continue
		}
		pair.add(Match{Criterion: c.Key, Outcome: byRigs(better, worse)})
		if len(better) > 0 && len(worse) > 0 {
			flips = append(flips, Flip{c.Key, pair.A, pair.B, better, worse})
		}
	}
	return pair, flips
}

// onRigs names the rigs on which x is better than y and those on which it is worse, and counts the comparable rigs.
func onRigs(x, y *scoring.Cell, c *checklist.Criterion) (better, worse []string, compared int) {
	for _, r := range rows(y, x, c) {
		switch r.Verdict {
		case NotComparable:
			continue
		case Better:
			better = append(better, r.Rig)
		case Worse:
			worse = append(worse, r.Rig)
		}
		compared++
	}
	return better, worse, compared
}

func byRigs(better, worse []string) Outcome {
	switch n := len(better) - len(worse); {
	case n > 0:
		return Win
	case n < 0:
		return Loss
	case len(better) > 0:
		return Split
	}
	return Tie
}

// gradesApart is the largest difference of grades that counts as equal.
const gradesApart = 0.5

// OutcomeOf compares the points of x with those of y, in a criterion that both answered and that is neither a measure
// nor a fact.
func OutcomeOf(x, y *scoring.Cell, c *checklist.Criterion) Outcome {
	margin := 0.0
	if c.Kind == checklist.Grade {
		margin = 10 * gradesApart
	}
	switch d := *x.Points - *y.Points; {
	case math.Abs(d) <= margin+scoring.Slack:
		return Tie
	case d > 0 && !leftOpen(y, x):
		return Win
	case d < 0 && !leftOpen(x, y):
		return Loss
	}
	return Tie
}

// leftOpen reports whether, because of a bound, it is not certain that the lower cell is lower.
func leftOpen(low, high *scoring.Cell) bool {
	bounded := func(c *scoring.Cell, bound string) bool {
		return slices.ContainsFunc(
			c.Rigs, func(r scoring.OnRig) bool { return r.Counts() && slices.Contains(r.Bounds(), bound) },
		)
	}
	return bounded(low, "at-least") || bounded(high, "at-most")
}

func (p *Pair) add(m Match) {
	p.Criteria = append(p.Criteria, m)
	switch m.Outcome {
	case Win:
		p.Wins++
	case Loss:
		p.Losses++
	case Split:
		p.Splits++
		p.Ties++
	default:
		p.Ties++
	}
}

// place adds a side-by-side test in which both took part.
func (p *Pair) place(test *Placing) {
	of := func(edition string) int {
		return slices.IndexFunc(test.Order, func(tied []string) bool { return slices.Contains(tied, edition) })
	}
	a, b := of(p.A), of(p.B)
	if a < 0 || b < 0 {
		return
	}
	m := Match{Placing: test.Question, Outcome: Tie}
	switch {
	case a < b:
		m.Outcome = Win
	case a > b:
		m.Outcome = Loss
	}
	p.add(m)
}
