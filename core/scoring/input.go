// Package scoring turns readings into points and points into scorecards.
package scoring

import (
	"errors"
	"fmt"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// Slack is the absolute difference below which computed numbers are equal.
const Slack = reading.Slack

// Input is what a scorecard is computed from: one checklist version, the rigs, and all reviews, also those on other
// versions, since reviews can continue each other.
type Input struct {
	Checklist *checklist.Checklist
	Rigs      []catalogue.Rig
	Reviews   []reading.Review
	Ignored   map[string]bool // criteria whose readings answer another question and do not count
	Source    Source          // readings of reviews that the input holds without them; nil: there are none
}

// Project returns the input as it would be with another checklist version: the same reviews are current, and the
// readings of a criterion that is new, or whose kind, items or unit changed, no longer answer it.
func (in Input) Project(list *checklist.Checklist) Input {
	then := *list
	then.Key, then.Version = in.Checklist.Key, in.Checklist.Version
	ignored := map[string]bool{}
	for _, s := range then.Sections {
		for i := range s.Criteria {
			c := &s.Criteria[i]
			if old, ok := in.Checklist.Criterion(c.Key); !ok || !checklist.AnswersStill(old, c) {
				ignored[c.Key] = true
			}
		}
	}
	in.Checklist, in.Ignored = &then, ignored
	return in
}

// Others returns the tables of the other versions of the input's checklist.
func Others(in Input, lists []checklist.Checklist, opts Options) []*Table {
	own := in.Checklist
	var others []*Table
	for i := range lists {
		if c := &lists[i]; c.Key == own.Key && c.Version != own.Version && c.State != checklist.Draft {
			in.Checklist = c
			others = append(others, Tabulate(in, opts))
		}
	}
	return others
}

func (in *Input) byID() map[string]*reading.Review {
	byID := make(map[string]*reading.Review, len(in.Reviews))
	for i := range in.Reviews {
		byID[in.Reviews[i].ID] = &in.Reviews[i]
	}
	return byID
}

// Options are for which audience, for which moment and on which rigs to compute. The zero value stands for the
// checklist's own weights, all records and all rigs.
type Options struct {
	Audience   string
	At         *time.Time         // ignores what was measured or accepted later
	RigWeights map[string]float64 // replaces the weights of the rigs that it names
	CommonRigs bool               // only rigs that all editions have, criterion by criterion
	// Rigs are the only rigs on which measures count; nil: all. Answers that are not measures count from them if
	// there are any, otherwise from all rigs.
	Rigs []string
	// Only is the editions to include; nil: all. The best of a field, and what editions lend each other, are still
	// those of all.
	Only map[string]bool
}

// ErrNoChecklist means that no checklist is in force, so that nothing can be scored yet.
var ErrNoChecklist = errors.New("no checklist is in force here; name the version, as KEY@VERSION")

// Newest returns the checklist version with a name: key@version, or a key for its newest version in force, or empty
// if all versions share a key.
func Newest(lists []checklist.Checklist, name string) (*checklist.Checklist, error) {
	var newest *checklist.Checklist
	keys := map[string]bool{}
	for i := range lists {
		c := &lists[i]
		if name == c.Name() {
			return c, nil
		}
		if c.State != checklist.InForce || (name != "" && name != c.Key) {
			continue
		}
		keys[c.Key] = true
		if newest == nil || c.Version > newest.Version {
			newest = c
		}
	}
	switch {
	case len(keys) > 1:
		return nil, fmt.Errorf("there are several checklists; name one, as KEY@VERSION")
	case newest == nil && name != "":
		return nil, fmt.Errorf("no checklist %q is in force here", name)
	case newest == nil:
		return nil, ErrNoChecklist
	}
	return newest, nil
}

func (in *Input) rigWeight(opts *Options) func(rig string) float64 {
	weights := make(map[string]float64, len(in.Rigs))
	for _, r := range in.Rigs {
		weights[r.Key] = 1
		if r.Weight != nil {
			weights[r.Key] = *r.Weight
		}
	}
	for rig, w := range opts.RigWeights {
		weights[rig] = w
	}
	return func(rig string) float64 {
		if rig == "" {
			return 1
		}
		if w, ok := weights[rig]; ok {
			return w
		}
		return 1
	}
}
