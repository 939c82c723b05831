package intake

import (
	"cmp"
	"context"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
)

// ReadingOf is a reading with the review that it belongs to, and what of its
// criterion tells how to read the answer.
type ReadingOf struct {
	*reading.Reading
	Review, Edition, Checklist string
	Kind                       checklist.Kind
	Unit                       string
}

// Which narrows readings down. What is empty does not.
type Which struct {
	Review, Edition, Criterion, Rig, Checklist string
}

// AllReadings lists the readings that the actor may see, review by review, each by
// time.
func (s *Service) AllReadings(ctx context.Context, who *access.Actor, w Which) ([]ReadingOf, error) {
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return nil, err
	}
	reviews, err := s.reviewing.Reviews(ctx, who)
	if err != nil {
		return nil, err
	}
	w.Edition = state.Catalogue.Resolve(w.Edition)
	out := []ReadingOf{}
	found := false
	for i := range reviews {
		r := &reviews[i]
		if w.Review != "" && r.ID != w.Review || w.Edition != "" && r.Edition != w.Edition ||
			w.Checklist != "" && r.Checklist != w.Checklist {
			continue
		}
		found = true
		list, err := scoring.Newest(state.Checklists.Lists, r.Checklist)
		if err != nil {
			return nil, ledger.Failed(err, "finding a review's checklist")
		}
		readings, _, err := s.reviewing.Readings(ctx, who, r.ID)
		if err != nil {
			return nil, err
		}
		readings = slices.DeleteFunc(readings, func(x reading.Reading) bool {
			return w.Criterion != "" && x.Criterion != w.Criterion || w.Rig != "" && x.Rig != w.Rig
		})
		for j := range readings {
			x := ReadingOf{Reading: &readings[j], Review: r.ID, Edition: r.Edition, Checklist: r.Checklist}
			if c, ok := list.Criterion(readings[j].Criterion); ok {
				x.Kind, x.Unit = c.Kind, c.Unit
			}
			out = append(out, x)
		}
	}
	if !found && (w.Review != "" || w.Edition != "") {
		return nil, problem.New(
			problem.NotFound, "there is no review of %s that you may see", cmp.Or(w.Review, w.Edition),
		)
	}
	return out, nil
}
