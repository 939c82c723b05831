package reading

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Changed is a grade that was changed after its reviewer could see the grades of others.
type Changed struct {
	Reading   string   `json:"reading"` // the id of the current grade
	Criterion string   `json:"criterion"`
	Reviewer  string   `json:"reviewer"`
	From      float64  `json:"from"` // 0–10: the last grade given before the others' could be seen
	Seen      []string `json:"seen"` // names of the reviewers whose grades could be seen
}

// Says describes the change in a few words.
func (c *Changed) Says() string {
	return fmt.Sprintf("changed from %s after the grade of %s could be seen",
		strconv.FormatFloat(c.From, 'f', -1, 64), strings.Join(c.Seen, ", "))
}

// ChangedGrades returns the grades of one review that were changed after the others' could be seen, by the reading's
// id; nil if there are none. A reviewer can see the others' grades of a criterion as soon as their own is recorded. A
// grade that was corrected before anybody else gave one does not count as changed, nor does one that was changed
// back.
func ChangedGrades(readings []Reading) map[string]Changed {
	if !slices.ContainsFunc(readings, func(x Reading) bool { return x.Replaces != "" && x.Answer.Grade != nil }) {
		return nil
	}
	byID := map[string]*Reading{}
	for i := range readings {
		byID[readings[i].ID] = &readings[i]
	}
	var changed map[string]Changed
	for i := range readings {
		x := &readings[i]
		seen := gradedBefore(readings, x)
		if x.Answer.Grade == nil || len(seen) == 0 {
			continue
		}
		first := blind(readings, byID, x)
		if first == x || math.Abs(*first.Answer.Grade-*x.Answer.Grade) <= Slack {
			continue
		}
		if changed == nil {
			changed = map[string]Changed{}
		}
		changed[x.ID] = Changed{x.ID, x.Criterion, x.Reviewer, *first.Answer.Grade, seen}
	}
	return changed
}

// blind returns the newest of a reviewer's grades up to x that was given when no grade of others could be seen. The
// first grade always was.
func blind(readings []Reading, byID map[string]*Reading, x *Reading) *Reading {
	for steps := 0; steps < len(readings); steps++ {
		before := byID[x.Replaces]
		if before == nil || before.Answer.Grade == nil || before.Reviewer != x.Reviewer ||
			before.Criterion != x.Criterion || len(gradedBefore(readings, x)) == 0 {
			break
		}
		x = before
	}
	return x
}

// gradedBefore names the others who graded the criterion of x before x was recorded.
func gradedBefore(readings []Reading, x *Reading) []string {
	if x.Answer.Grade == nil || x.Replaces == "" {
		return nil
	}
	var names []string
	for i := range readings {
		y := &readings[i]
		if y.Answer.Grade != nil && y.Criterion == x.Criterion && y.Reviewer != x.Reviewer &&
			y.Recorded().Before(x.Recorded()) && !slices.Contains(names, y.Reviewer) {
			names = append(names, y.Reviewer)
		}
	}
	slices.Sort(names)
	return names
}

// Recorded returns when the service received the reading, or, if that is not known, when it was measured.
func (r *Reading) Recorded() time.Time {
	if r.Received != nil {
		return *r.Received
	}
	return r.At
}
