// Package reading defines what reviewers record: reviews, their readings and answers, and how the runs of a measure
// are summarized.
package reading

import (
	"slices"
	"time"

	"dappertally/core/checklist"
)

// The states of a review.
const (
	Planned   = "planned"
	Underway  = "underway"
	Submitted = "submitted"
	Accepted  = "accepted"
	Withdrawn = "withdrawn"
)

// ReviewStates lists the states in the order of a review's life.
var ReviewStates = []string{Planned, Underway, Submitted, Accepted, Withdrawn}

// Review is one team assessment of one edition against one checklist version.
type Review struct {
	ID        string     `json:"id"`
	Edition   string     `json:"edition"`   // distribution/release/edition
	Checklist string     `json:"checklist"` // key@version
	State     string     `json:"state"`
	Accepted  *time.Time `json:"accepted,omitempty"`
	Continues string     `json:"continues,omitempty"`   // the review that it continues
	Carried   string     `json:"carriedFrom,omitempty"` // the review on an older version that it was carried over from
	States    []System   `json:"states,omitempty"`
	Readings  []Reading  `json:"readings"`
	Record
}

// Reading is one recorded answer to one criterion.
type Reading struct {
	ID          string            `json:"id"`
	Criterion   string            `json:"criterion"`
	Reviewer    string            `json:"reviewer"`
	Rig         string            `json:"rig,omitempty"`
	At          time.Time         `json:"at"` // when it was measured
	Received    *time.Time        `json:"received,omitempty"`
	System      string            `json:"system,omitempty"`
	Context     checklist.Context `json:"context,omitzero"`
	Answer      Answer            `json:"answer"`
	Boots       []Boot            `json:"boots,omitempty"` // starts of the machine in which the runs were made; empty: not known
	Adjustment  *Adjustment       `json:"adjustment,omitempty"`
	Bound       string            `json:"bound,omitempty"`       // "", about, at-least, at-most
	Disturbance string            `json:"disturbance,omitempty"` // why it must not be scored
	Replaces    string            `json:"replaces,omitempty"`
	Repeat      bool              `json:"repeat,omitempty"` // repeated after a restart
	Note        string            `json:"note,omitempty"`
}

// Adjustment is a known offset that is subtracted from every run.
type Adjustment struct {
	Amount float64 `json:"amount"`
	Reason string  `json:"reason"`
}

// Bounds lists the values that a reading's bound can have.
var Bounds = []string{"", "about", "at-least", "at-most"}

// Offset returns what is subtracted from every run, in the criterion's unit.
func (r *Reading) Offset() float64 {
	if r.Adjustment == nil {
		return 0
	}
	return r.Adjustment.Amount
}

// Clone returns a copy that shares no memory.
func (r *Reading) Clone() Reading {
	own := *r
	own.Received, own.Adjustment, own.Boots = copied(r.Received), copied(r.Adjustment), slices.Clone(r.Boots)
	a := &own.Answer
	a.Grade, a.Runs, a.Fact, a.Count = copied(a.Grade), slices.Clone(a.Runs), copied(a.Fact), copied(a.Count)
	if a.Fact != nil {
		a.Fact.List = slices.Clone(a.Fact.List)
	}
	if n := a.Count; n != nil {
		n.Worked, n.Workaround = slices.Clone(n.Worked), slices.Clone(n.Workaround)
		n.Failed, n.NotTested = slices.Clone(n.Failed), slices.Clone(n.NotTested)
		n.K, n.N = copied(n.K), copied(n.N)
	}
	return own
}

func copied[T any](of *T) *T {
	if of == nil {
		return nil
	}
	return new(*of)
}

// Chain returns a review and those that it continues, back to the first; reviews are by id.
func Chain(r *Review, reviews map[string]*Review) []*Review {
	var all []*Review
	for ; r != nil && !slices.Contains(all, r); r = reviews[r.Continues] {
		all = append(all, r)
	}
	return all
}
