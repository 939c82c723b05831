// Package quality looks at readings as a careful colleague would: which scatter,
// which surprise, and where reviewers do not agree. It reports and never corrects.
package quality

import (
	"cmp"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// Quality is what there is to look into among the readings that editions stand
// with.
type Quality struct {
	Readings      []Scatter      `json:"readings"` // by id, then edition
	Agreement     Agreement      `json:"agreement"`
	Disagreements []Disagreement `json:"disagreements"`           // by edition, then checklist
	Leniency      []Leniency     `json:"leniency"`                // by reviewer
	Surprises     []Surprise     `json:"surprises"`               // by edition, then checklist, then rig
	Changed       []ChangedGrade `json:"changedGrades,omitempty"` // by edition, then checklist, then reviewer
}

// Scatter is how the adjusted runs of one reading lie, scored or not.
type Scatter struct {
	ID        string   `json:"id"`
	Edition   string   `json:"edition"`
	Review    string   `json:"review"` // that the edition stands with
	Criterion string   `json:"criterion"`
	Reviewer  string   `json:"reviewer"`
	Rig       string   `json:"rig"`
	Summary   float64  `json:"summary"`
	Spread    *float64 `json:"spread"` // relative to the median; nil for one run or a median of 0
	Unsteady  bool     `json:"unsteady"`
	Outliers  []int    `json:"outliers"` // runs that stand apart, by index from 0
	TooFew    bool     `json:"tooFew"`
	Runs      int      `json:"runs"`
}

// Doubtful reports whether there is anything to look into.
func (s *Scatter) Doubtful() bool { return s.Unsteady || s.TooFew || len(s.Outliers) > 0 }

// Of looks into the readings of a table. Its lines of editions, and the tables of
// other versions of the checklist, are where surprises are looked for.
func Of(t *scoring.Table, lines Lines, others ...*scoring.Table) Quality {
	q := Quality{Readings: []Scatter{}}
	for e := range t.Owns {
		for i, c := range t.Criteria {
			if !c.Measured() {
				continue
			}
			for _, x := range t.Owns[e].Of(i) {
				if len(x.Answer.Runs) > 0 {
					s := Runs(x, c)
					s.Edition, s.Review = t.Editions[e], t.Reviews[e]
					q.Readings = append(q.Readings, s)
				}
			}
		}
	}
	slices.SortFunc(q.Readings, func(a, b Scatter) int {
		return cmp.Or(strings.Compare(a.ID, b.ID), strings.Compare(a.Edition, b.Edition))
	})
	q.reviewers(t)
	q.Surprises = surprises(t, lines, others)
	return q
}

// Runs looks at the adjusted runs of one measure's reading, which has some.
func Runs(x *reading.Reading, c *checklist.Criterion) Scatter {
	runs := reading.Adjusted(x)
	s := Scatter{
		ID: x.ID, Criterion: c.Key, Reviewer: x.Reviewer, Rig: x.Rig, Runs: len(runs),
		Summary: reading.Value(
			x, c,
		), Outliers: reading.Outlying(runs, c.Tolerance()), TooFew: len(runs) < c.Runs.Expect,
	}
	if spread, ok := reading.Spread(runs); ok {
		s.Spread = &spread
		s.Unsteady = unsteady(spread, c)
	}
	return s
}

// unsteady reports whether runs that spread so far scatter more than the criterion
// tolerates.
func unsteady(spread float64, c *checklist.Criterion) bool {
	return spread > c.Tolerance()+reading.Slack
}
