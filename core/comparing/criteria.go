package comparing

import (
	"slices"

	"dappertally/core/scoring"
)

// CriterionRow is one criterion for several editions.
type CriterionRow struct {
	Criterion string          `json:"criterion"`
	Cells     []CriterionCell `json:"cells"`   // in the order of the given editions
	Winners   []string        `json:"winners"` // those with the most points; empty if all that answered are equal
	Differs   bool            `json:"differs"` // an edition is better or worse than the baseline, or has another answer
	Close     bool            `json:"close"`   // everything comparable is too close to call
}

// CriterionCell is the result of one edition in a criterion.
type CriterionCell struct {
	Edition string        `json:"edition"`
	State   scoring.State `json:"state"`
	Points  *float64      `json:"points"`
	Verdict Verdict       `json:"verdict"` // compared with its baseline; empty for the baseline, and if there is none
	Reason  string        `json:"reason,omitempty"`
	Caution string        `json:"caution,omitempty"` // of a measure: the interval of a comparable row
	// Contradiction explains that the points order the two editions differently than the rigs on which both were
	// measured; empty if they agree.
	Contradiction string             `json:"contradiction,omitempty"`
	Estimated     []scoring.Estimate `json:"estimated,omitempty"` // rigs whose values are estimated
}

// CriteriaOf returns the scored criteria of editions side by side, each edition compared with its own baseline. rows
// are those of the measures, from Compare, for these baselines or against records.
func CriteriaOf(t *scoring.Table, editions []string, baselines map[string]string, rows []Row) []CriterionRow {
	out := []CriterionRow{}
	for i, c := range t.Criteria {
		if !c.Scored() {
			continue
		}
		row := CriterionRow{Criterion: c.Key, Cells: []CriterionCell{}, Winners: []string{}}
		for _, edition := range editions {
			if e := t.Row(edition); e >= 0 {
				row.Cells = append(row.Cells, criterionCell(t, e, i, baselines[edition], rows))
			}
		}
		row.sumUp()
		out = append(out, row)
	}
	return out
}

func criterionCell(t *scoring.Table, e, i int, baseline string, rows []Row) CriterionCell {
	c, cell := t.Criteria[i], t.Cell(e, i)
	x := CriterionCell{Edition: t.Editions[e], State: cell.State, Points: cell.Points, Estimated: cell.Estimates()}
	base := t.Row(baseline)
	if cell.State != scoring.Answered {
		x.Reason = reasonOf(cell)
		return x
	}
	if c.Measured() {
		x.Verdict, x.Reason = measured(rows, x.Edition, c.Key)
		if i := slices.IndexFunc(rows, func(r Row) bool {
			return r.Edition == x.Edition && r.Criterion == c.Key && r.Caution != ""
		}); i >= 0 {
			x.Caution = rows[i].Caution
		}
		if base >= 0 && base != e {
			x.Contradiction = contradiction(x.Verdict, cell, t.Cell(base, i))
		}
		return x
	}
	if base < 0 || base == e || t.Cell(base, i).State != scoring.Answered {
		return x
	}
	x.Verdict = verdicts[OutcomeOf(cell, t.Cell(base, i), c)]
	return x
}

// contradiction describes how points and the figures of shared rigs disagree.
func contradiction(v Verdict, x, base *scoring.Cell) string {
	if x.Points == nil || base.Points == nil {
		return ""
	}
	switch d := *x.Points - *base.Points; {
	case v == Better && d < -scoring.Slack:
		return "better on the rigs that both have, fewer points: " + unshared(x, base)
	case v == Worse && d > scoring.Slack:
		return "worse on the rigs that both have, more points: " + unshared(x, base)
	}
	return ""
}

// unshared names what the points of two cells include beyond their shared rigs.
func unshared(x, base *scoring.Cell) string {
	if len(x.Estimates()) > 0 || len(base.Estimates()) > 0 {
		return "they also count estimated rigs"
	}
	shared := func(of *scoring.Cell, rig string) bool {
		return slices.ContainsFunc(of.Rigs, func(r scoring.OnRig) bool { return r.Rig == rig })
	}
	for _, pair := range [][2]*scoring.Cell{{x, base}, {base, x}} {
		for i := range pair[0].Rigs {
			if r := &pair[0].Rigs[i]; r.Counts() && !shared(pair[1], r.Rig) {
				return "they also count rigs that only one of them has"
			}
		}
	}
	return "they weigh the rigs, of which each has won some"
}

var verdicts = map[Outcome]Verdict{Win: Better, Loss: Worse, Tie: TooClose, Split: TooClose}

// measured summarizes a measure's rows over the rigs.
func measured(rows []Row, edition, criterion string) (Verdict, string) {
	var better, worse []string
	compared, unlike := 0, ""
	for i := range rows {
		r := &rows[i]
		if r.Edition != edition || r.Criterion != criterion {
			continue
		}
		switch r.Verdict {
		case NotComparable:
			unlike = r.Reason
			continue
		case Better:
			better = append(better, r.Rig)
		case Worse:
			worse = append(worse, r.Rig)
		}
		compared++
	}
	switch {
	case compared == 0 && unlike != "":
		return NotComparable, unlike
	case compared == 0:
		return "", ""
	}
	outcome := byRigs(better, worse)
	if outcome == Split {
		return TooClose, "split by rig"
	}
	return verdicts[outcome], ""
}

func (r *CriterionRow) sumUp() {
	have, compared := 0, 0
	var most float64
	for _, c := range r.Cells {
		r.Differs = r.Differs || c.State != r.Cells[0].State || c.Verdict == Better || c.Verdict == Worse ||
			c.Verdict == NotComparable
		if c.Verdict != "" {
			compared++
		}
		if c.Points == nil {
			continue
		}
		have++
		switch {
		case len(r.Winners) == 0 || *c.Points > most+scoring.Slack:
			most, r.Winners = *c.Points, []string{c.Edition}
		case *c.Points >= most-scoring.Slack:
			r.Winners = append(r.Winners, c.Edition)
		}
	}
	if len(r.Winners) == have {
		r.Winners = []string{}
	}
	r.Close = compared > 0 &&
		!slices.ContainsFunc(r.Cells, func(c CriterionCell) bool { return c.Verdict != "" && c.Verdict != TooClose })
}
