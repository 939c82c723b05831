package scoring

import (
	"fmt"
	"math"

	"dappertally/core/checklist"
)

// Scorecard is everything computed for one edition. A nil number is none.
type Scorecard struct {
	Edition       string           `json:"edition"`
	Checklist     string           `json:"checklist"`
	Review        string           `json:"review"`
	Overall       *float64         `json:"overall"`
	Total         *float64         `json:"total"`
	Coverage      float64          `json:"coverage"`
	Low           *float64         `json:"low"`
	High          *float64         `json:"high"`
	MeasuredShare float64          `json:"measuredShare"`
	RigsDiffer    bool             `json:"rigsDiffer"`
	Sections      []SectionScore   `json:"sections"`
	Criteria      []CriterionScore `json:"criteria"`
	Barred        []Bar            `json:"barred"`
	GatesOpen     []string         `json:"gatesOpen"`
}

// SectionScore is one section's score and its share of the weight.
type SectionScore struct {
	Key   string   `json:"key"`
	Score *float64 `json:"score"`
	Share float64  `json:"share"` // of all sections' weight, 0–1
}

// CriterionScore is one criterion's state, points and effective weight: its
// share of the overall score.
type CriterionScore struct {
	Key           string   `json:"key"`
	State         State    `json:"state"`
	Points        *float64 `json:"points"`
	Weight        float64  `json:"weight"`
	Rigs          []OnRig  `json:"rigs"`
	Reason        string   `json:"reason,omitempty"`
	InheritedFrom string   `json:"inheritedFrom,omitempty"`
	LeftOut       []string `json:"leftOut,omitempty"`
}

// Bar is a gate that was failed.
type Bar struct {
	Criterion string  `json:"criterion"`
	Points    float64 `json:"points"`
	Needs     float64 `json:"needs"`
}

// Scorecards computes the scorecards of all editions that stand on the input's
// checklist version, in the order of their keys.
func Scorecards(in Input, opts Options) ([]Scorecard, error) {
	a, ok := in.Checklist.Audience(opts.Audience)
	if !ok {
		return nil, fmt.Errorf("checklist %s has no audience %q", in.Checklist.Name(), opts.Audience)
	}
	return Tabulate(in, opts).Scorecards(a), nil
}

// Scorecards looks at the table through the eyes of an audience.
func (t *Table) Scorecards(a checklist.Audience) []Scorecard {
	w := t.weights(a)
	cards := make([]Scorecard, len(t.Editions))
	differ := t.RigsDiffer(a)
	for e := range t.Editions {
		cards[e] = t.scorecard(e, a, w)
		cards[e].RigsDiffer = differ[e]
	}
	return cards
}

// weights are the weights under an audience, by section and by criterion.
type weights struct {
	section   []float64
	total     float64
	criterion []float64
}

func (t *Table) weights(a checklist.Audience) weights {
	w := weights{section: make([]float64, len(t.Checklist.Sections)), criterion: make([]float64, len(t.Criteria))}
	for s := range w.section {
		w.section[s] = a.SectionWeight(&t.Checklist.Sections[s])
		w.total += w.section[s]
	}
	for i, c := range t.Criteria {
		if c.Scored() {
			w.criterion[i] = a.CriterionWeight(c)
		}
	}
	return w
}

// sums adds up the weights within each section, and the weighted points, with
// criteria not tested counting as fill points where fill is a number.
func (t *Table) sums(e int, w weights, fill float64) (weight, points []float64) {
	weight = make([]float64, len(w.section))
	points = make([]float64, len(w.section))
	for i := range t.Criteria {
		cell, s := &t.Cells[e][i], t.Sections[i]
		switch {
		case cell.State == Answered:
			weight[s] += w.criterion[i]
			points[s] += w.criterion[i] * cell.Points
		case cell.State == NotTested && !math.IsNaN(fill):
			weight[s] += w.criterion[i]
			points[s] += w.criterion[i] * fill
		}
	}
	return weight, points
}

func (t *Table) scorecard(e int, a checklist.Audience, w weights) Scorecard {
	card := Scorecard{
		Edition: t.Editions[e], Checklist: t.Checklist.Name(), Review: t.Reviews[e],
		Sections: []SectionScore{}, Criteria: []CriterionScore{}, Barred: []Bar{}, GatesOpen: []string{},
	}
	r := t.Checklist.Policy.Exponent()
	answered, points := t.sums(e, w, math.NaN())
	asked, least := t.sums(e, w, 0)
	_, most := t.sums(e, w, 100)
	card.Overall = overall(w.section, answered, points, r)
	card.Low = overall(w.section, asked, least, r)
	card.High = overall(w.section, asked, most, r)
	if card.Overall != nil {
		total := *card.Overall / 100 * t.Checklist.MaximumPoints()
		card.Total = &total
	}
	var scored, countable float64
	for s := range w.section {
		sec := SectionScore{Key: t.Checklist.Sections[s].Key}
		if w.total > 0 {
			sec.Share = w.section[s] / w.total
		}
		if answered[s] > 0 {
			p := points[s] / answered[s]
			sec.Score = &p
			scored += w.section[s]
		}
		if asked[s] > 0 {
			countable += w.section[s]
		}
		card.Sections = append(card.Sections, sec)
	}
	for i, c := range t.Criteria {
		if !c.Scored() {
			continue
		}
		cell, s := &t.Cells[e][i], t.Sections[i]
		score := CriterionScore{
			Key: c.Key, State: cell.State, Rigs: cell.Rigs, Reason: cell.Reason,
			InheritedFrom: cell.InheritedFrom, LeftOut: cell.LeftOut,
		}
		if cell.State == Answered {
			score.Points = &cell.Points
			if w.criterion[i] > 0 && scored > 0 {
				score.Weight = w.section[s] / scored * w.criterion[i] / answered[s]
			}
			if w.criterion[i] > 0 && countable > 0 {
				card.Coverage += w.section[s] / countable * w.criterion[i] / asked[s]
			}
			if c.Kind != checklist.Grade {
				card.MeasuredShare += score.Weight
			}
		}
		card.Criteria = append(card.Criteria, score)
		if gate, ok := a.Gate(c); ok {
			card.gate(c.Key, cell, gate)
		}
	}
	return card
}

func (card *Scorecard) gate(criterion string, cell *Cell, gate float64) {
	switch {
	case cell.State == NotTested:
		card.GatesOpen = append(card.GatesOpen, criterion)
	case cell.State == Answered && cell.Points < gate-Slack:
		card.Barred = append(card.Barred, Bar{criterion, cell.Points, gate})
	}
}

// overall is the power mean, with exponent r, of the section scores over the
// sections that have one, their weights renormalised; for r other than 1 scores
// below 1 count as 1. It is nil where nothing weighted has a score.
func overall(section, weight, points []float64, r float64) *float64 {
	var total, sum float64
	for s, w := range section {
		if weight[s] > 0 && w > 0 {
			total += w
		}
	}
	if total == 0 {
		return nil
	}
	for s, w := range section {
		if weight[s] == 0 || w == 0 {
			continue
		}
		p := points[s] / weight[s]
		q := max(p, 1)
		switch r {
		case 1:
			sum += w / total * p
		case 0:
			sum += w / total * math.Log(q)
		default:
			sum += w / total * math.Pow(q, r)
		}
	}
	switch r {
	case 1:
	case 0:
		sum = math.Exp(sum)
	default:
		sum = math.Pow(sum, 1/r)
	}
	return &sum
}
