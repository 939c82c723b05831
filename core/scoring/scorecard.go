package scoring

import (
	"fmt"
	"math"

	"dappertally/core/checklist"
)

// Scorecard is everything computed for one edition. A nil number means that there is none.
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
	RigsDiffer    bool             `json:"rigsDiffer"`          // a weighted measure lacks a rig that others have, without an estimate
	Estimated     []string         `json:"estimated,omitempty"` // weighted measures with estimates that count
	Sections      []SectionScore   `json:"sections"`
	Criteria      []CriterionScore `json:"criteria"`
	Barred        []Bar            `json:"barred"`
	GatesOpen     []string         `json:"gatesOpen"`
}

// SectionScore is one section's score, the range that it can still reach when criteria that are not tested are
// answered, and its share of the weight.
type SectionScore struct {
	Key   string   `json:"key"`
	Score *float64 `json:"score"`
	Low   *float64 `json:"low"`
	High  *float64 `json:"high"`
	Share float64  `json:"share"` // share of the weight of all sections, 0–1
}

// CriterionScore is what is known of one criterion, and its effective weight: its share of the overall score.
type CriterionScore struct {
	*Cell
	Weight float64 `json:"weight"`
}

// Bar is a gate that was failed.
type Bar struct {
	Criterion string  `json:"criterion"`
	Points    float64 `json:"points"`
	Needs     float64 `json:"needs"`
}

// Scorecards computes the scorecards of all editions with an accepted review on the input's checklist version,
// ordered by key.
func Scorecards(in Input, opts Options) ([]Scorecard, error) {
	a, ok := in.Checklist.Audience(opts.Audience)
	if !ok {
		return nil, fmt.Errorf("checklist %s has no audience %q", in.Checklist.Name(), opts.Audience)
	}
	return Tabulate(in, opts).Scorecards(a), nil
}

// Scorecards returns all scorecards with the weights of an audience.
func (t *Table) Scorecards(a checklist.Audience) []Scorecard {
	w := t.weights(a)
	cards := make([]Scorecard, len(t.Editions))
	criteria := make([]CriterionScore, 0, len(t.Editions)*w.scored)
	differ := t.RigsDiffer(a)
	for e := range t.Editions {
		start := len(criteria)
		cards[e], criteria = t.scorecard(e, a, w, t.Cells(e), criteria)
		cards[e].Criteria = criteria[start:len(criteria):len(criteria)]
		cards[e].RigsDiffer = differ[e]
	}
	return cards
}

// Scorecard returns the scorecard of edition e with the weights of an audience.
func (t *Table) Scorecard(e int, a checklist.Audience) Scorecard {
	card, criteria := t.scorecard(e, a, t.weights(a), t.Cells(e), nil)
	card.Criteria, card.RigsDiffer = criteria, t.rigsDiffer(e, a)
	return card
}

// Summary returns the scorecard of edition e without its criteria. It needs only the columns, not the readings.
func (t *Table) Summary(e int, a checklist.Audience) Scorecard {
	w := t.weights(a)
	card := t.summary(e, a, w, t.Columns().outcomes(e))
	card.RigsDiffer = t.rigsDiffer(e, a)
	return card
}

// outcome is what a criterion adds to a scorecard.
type outcome struct {
	state     State
	points    *float64
	estimated bool // estimated rigs contribute to the points
	weight    float64
}

// outcomes returns those of edition e, by criterion.
func (c *Columns) outcomes(e int) []outcome {
	all := make([]outcome, len(c.Criteria))
	for i, criterion := range c.Criteria {
		if !criterion.Scored() {
			continue
		}
		x := &all[i]
		switch {
		case c.has(c.answered, i, e):
			x.state, x.points, x.estimated = Answered, &c.points[i][e], c.Estimated(i, e)
		case c.Asked(i, e):
			x.state = NotTested
		default:
			x.state = NotApplicable
		}
	}
	return all
}

// scorecard returns the scorecard of edition e without its criteria, and appends these to criteria.
func (t *Table) scorecard(
	e int, a checklist.Audience, w weights, cells []Cell, criteria []CriterionScore,
) (Scorecard, []CriterionScore) {
	outcomes := make([]outcome, len(cells))
	for i := range cells {
		outcomes[i] = outcome{state: cells[i].State, points: cells[i].Points, estimated: restsOnEstimates(&cells[i])}
	}
	card := t.summary(e, a, w, outcomes)
	for i, c := range t.Criteria {
		if c.Scored() {
			criteria = append(criteria, CriterionScore{&cells[i], outcomes[i].weight})
		}
	}
	return card, criteria
}

// weights are the weights for an audience, by section and by criterion.
type weights struct {
	section   []float64
	total     float64
	criterion []float64
	scored    int // criteria that can have points
}

func (t *Table) weights(a checklist.Audience) weights {
	return weigh(t.Checklist, t.Criteria, a)
}

func weigh(list *checklist.Checklist, criteria []*checklist.Criterion, a checklist.Audience) weights {
	w := weights{section: make([]float64, len(list.Sections)), criterion: make([]float64, len(criteria))}
	for s := range w.section {
		w.section[s] = a.SectionWeight(&list.Sections[s])
		w.total += w.section[s]
	}
	for i, c := range criteria {
		if c.Scored() {
			w.criterion[i] = a.CriterionWeight(c)
			w.scored++
		}
	}
	return w
}

// sums is one edition's weights and weighted points within each section, of what is answered and of everything asked.
type sums struct{ answered, points, asked, most []float64 }

func (t *Table) sums(outcomes []outcome, w weights) sums {
	n := len(w.section)
	all := make([]float64, 4*n)
	x := sums{all[:n], all[n : 2*n], all[2*n : 3*n], all[3*n:]}
	for i := range t.Criteria {
		of, s := &outcomes[i], t.Sections[i]
		switch of.state {
		case Answered:
			if of.points == nil {
				continue
			}
			x.answered[s] += w.criterion[i]
			x.asked[s] += w.criterion[i]
			x.points[s] += w.criterion[i] * *of.points
			x.most[s] += w.criterion[i] * *of.points
		case NotTested:
			x.asked[s] += w.criterion[i]
			x.most[s] += w.criterion[i] * 100
		}
	}
	return x
}

// summary returns a scorecard without criteria, and sets their weights in the outcomes.
func (t *Table) summary(e int, a checklist.Audience, w weights, outcomes []outcome) Scorecard {
	card := Scorecard{
		Edition: t.Editions[e], Checklist: t.ListOf(e), Review: t.Reviews[e],
		Sections: make([]SectionScore, len(w.section)), Barred: []Bar{}, GatesOpen: []string{},
	}
	r := t.Checklist.Policy.Exponent()
	x := t.sums(outcomes, w)
	card.Overall = overall(w.section, x.answered, x.points, r)
	card.Low = overall(w.section, x.asked, x.points, r)
	card.High = overall(w.section, x.asked, x.most, r)
	if card.Overall != nil {
		total := *card.Overall / 100 * t.Checklist.MaximumPoints()
		card.Total = &total
	}
	var scored, countable float64
	numbers := make([]float64, 3*len(w.section))
	for s := range w.section {
		sec := &card.Sections[s]
		sec.Key = t.Checklist.Sections[s].Key
		if w.total > 0 {
			sec.Share = w.section[s] / w.total
		}
		if x.answered[s] > 0 {
			numbers[3*s] = x.points[s] / x.answered[s]
			sec.Score = &numbers[3*s]
			scored += w.section[s]
		}
		if x.asked[s] > 0 {
			numbers[3*s+1], numbers[3*s+2] = x.points[s]/x.asked[s], x.most[s]/x.asked[s]
			sec.Low, sec.High = &numbers[3*s+1], &numbers[3*s+2]
			countable += w.section[s]
		}
	}
	for i, c := range t.Criteria {
		if !c.Scored() {
			continue
		}
		of, s := &outcomes[i], t.Sections[i]
		if of.state == Answered {
			if w.criterion[i] > 0 && scored > 0 {
				of.weight = w.section[s] / scored * w.criterion[i] / x.answered[s]
			}
			if w.criterion[i] > 0 && countable > 0 {
				card.Coverage += w.section[s] / countable * w.criterion[i] / x.asked[s]
			}
			if c.Kind != checklist.Grade {
				card.MeasuredShare += of.weight
			}
		}
		if of.weight > 0 && of.estimated {
			card.Estimated = append(card.Estimated, c.Key)
		}
		if gate, ok := a.Gate(c); ok {
			card.gate(c.Key, of, gate)
		}
	}
	return card
}

func (card *Scorecard) gate(criterion string, of *outcome, gate float64) {
	switch {
	case of.state == NotTested:
		card.GatesOpen = append(card.GatesOpen, criterion)
	case of.state == Answered && *of.points < gate-Slack:
		card.Barred = append(card.Barred, Bar{criterion, *of.points, gate})
	}
}

// overall returns the power mean, with exponent r, of the section scores over the sections that have one, with
// renormalized weights; for r other than 1 scores below 1 count as 1. It is nil if nothing with a weight has a score.
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
		if weight[s] > 0 && w > 0 {
			sum += w / total * powered(points[s]/weight[s], r)
		}
	}
	sum = unpowered(sum, r)
	return &sum
}

// powered transforms a section's score for the power mean with exponent r; unpowered transforms the mean back to a
// score.
func powered(p, r float64) float64 {
	switch r {
	case 1:
		return p
	case 0:
		return math.Log(max(p, 1))
	}
	return math.Pow(max(p, 1), r)
}

func unpowered(mean, r float64) float64 {
	switch r {
	case 1:
		return mean
	case 0:
		return math.Exp(mean)
	}
	return math.Pow(mean, 1/r)
}
