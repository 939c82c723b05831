// Package quality examines readings: which ones scatter, which are surprising, and where reviewers disagree. It
// reports and never corrects.
package quality

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// Quality is what needs attention among the readings of the current reviews.
type Quality struct {
	Readings      []Scatter      `json:"readings"` // by id, then edition
	Agreement     Agreement      `json:"agreement"`
	Disagreements []Disagreement `json:"disagreements"`           // by edition, then checklist
	Leniency      []Leniency     `json:"leniency"`                // by reviewer
	Surprises     []Surprise     `json:"surprises"`               // by edition, then checklist, then rig
	Changed       []ChangedGrade `json:"changedGrades,omitempty"` // by edition, then checklist, then reviewer
	Surprising    int            `json:"-"`                       // number of surprises, including those that are not listed
	Unconfirmed   int            `json:"-"`                       // number of these that nothing confirms
}

// Scatter is how the adjusted runs of one reading spread, whether scored or not.
type Scatter struct {
	ID        string   `json:"id"`
	Edition   string   `json:"edition"`
	Review    string   `json:"review"` // the current one of the edition
	Criterion string   `json:"criterion"`
	Reviewer  string   `json:"reviewer"`
	Rig       string   `json:"rig"`
	Summary   float64  `json:"summary"`
	Spread    *float64 `json:"spread"` // relative to the median; nil for one run or a median of 0
	Unsteady  bool     `json:"unsteady"`
	Outliers  []int    `json:"outliers"` // outlying runs, by index from 0
	TooFew    bool     `json:"tooFew"`
	Runs      int      `json:"runs"`
}

// Doubtful reports whether the reading needs attention.
func (s *Scatter) Doubtful() bool { return s.Unsteady || s.TooFew || len(s.Outliers) > 0 }

// Of returns what needs attention among the readings of the editions in a table. others are the tables of other
// versions of the checklist, whose values are also known.
func Of(t *scoring.Table, lines Lines, others ...*scoring.Table) Quality {
	// This call is not cancelled.
	q, _ := Look(context.Background(), Question{Table: t, Lines: lines, Known: FieldsOf(t, others...)})
	return q
}

// Question is what to examine.
type Question struct {
	Table    *scoring.Table
	Lines    Lines
	Known    *Fields // accepted reviews
	Edition  string  // the only edition to examine; empty: all
	Doubtful bool    // leave out readings that need no attention
	Most     int     // how many surprises to list at most; 0: all
}

// look is the state of one examination.
type look struct {
	Question
	reviewers
}

// Look is Of with a question. It stops when ctx ends.
func Look(ctx context.Context, question Question) (Quality, error) {
	l := &look{question, reviewers{shifts: map[string][]float64{}}}
	q := Quality{Readings: []Scatter{}, Disagreements: []Disagreement{}, Surprises: []Surprise{}}
	for e, edition := range l.Table.Editions {
		if l.Edition != "" && l.Edition != edition {
			continue
		}
		if err := ctx.Err(); err != nil {
			return q, err
		}
		l.scatter(e, &q)
		l.graded(e, &q)
		for _, s := range l.surprises(e) {
			q.surprise(s, l.Most)
		}
	}
	slices.SortFunc(q.Readings, func(a, b Scatter) int {
		return cmp.Or(strings.Compare(a.ID, b.ID), strings.Compare(a.Edition, b.Edition))
	})
	q.Agreement, q.Leniency = l.agreement(), l.leniency()
	return q, nil
}

// surprise counts a surprise, and lists it if there is room.
func (q *Quality) surprise(s Surprise, most int) {
	q.Surprising++
	if s.Confirmed == "" {
		q.Unconfirmed++
	}
	if most == 0 || len(q.Surprises) < most {
		q.Surprises = append(q.Surprises, s)
	}
}

// scatter examines the runs of one edition's measures.
func (l *look) scatter(e int, q *Quality) {
	own := l.Table.Own(e)
	for i, c := range l.Table.Criteria {
		if !c.Measured() {
			continue
		}
		for _, x := range own.Of(i) {
			if len(x.Answer.Runs) == 0 {
				continue
			}
			if s := Runs(x, c); !l.Doubtful || s.Doubtful() {
				s.Edition, s.Review = l.Table.Editions[e], l.Table.Reviews[e]
				q.Readings = append(q.Readings, s)
			}
		}
	}
}

// Runs examines the adjusted runs of one reading of a measure, which must have some.
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
		s.Unsteady = scoring.Scatters(spread, c)
	}
	return s
}
