package reviewing

import (
	"context"
	"slices"

	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/store"
)

// Hidden stands for a grade without its value.
type Hidden struct {
	Criterion string
	Reviewer  string
}

// Visible removes from a review's readings the grades of others that the actor must not see yet, so that reviewers do
// not influence each other: grades that no acceptance has pinned, of criteria that the reviewer has not graded. A
// lead sees what is submitted. Every answer with readings that are not yet accepted goes through this.
func (s *Service) Visible(
	ctx context.Context,
	who *access.Actor,
	r *store.Review,
	all []reading.Reading,
) (seen []reading.Reading, hidden []Hidden, err error) {
	if !hides(who, r, all) {
		return all, nil, nil
	}
	pinned, err := s.ledger.Store.Pinned(ctx, r.ID)
	if err != nil {
		return nil, nil, ledger.Failed(err, "reading readings")
	}
	own := graded(who, all)
	for _, x := range all {
		if leans(&x, who, own) && !pinned[x.ID] {
			hidden = append(hidden, Hidden{x.Criterion, x.Reviewer})
			continue
		}
		seen = append(seen, x)
	}
	return seen, hidden, nil
}

// HiddenOf returns the ids of a review's grades that the actor must not see yet, within a transaction. An import must
// not reveal them by confirming a guess.
func HiddenOf(tx *store.Tx, who *access.Actor, r *store.Review, all []reading.Reading) (map[string]bool, error) {
	if !hides(who, r, all) {
		return nil, nil
	}
	pinned, err := tx.Pinned(r.ID)
	if err != nil {
		return nil, ledger.Failed(err, "reading readings")
	}
	ids, own := map[string]bool{}, graded(who, all)
	for i := range all {
		if leans(&all[i], who, own) && !pinned[all[i].ID] {
			ids[all[i].ID] = true
		}
	}
	return ids, nil
}

// hides reports whether readings of a review may have to be hidden from the actor.
func hides(who *access.Actor, r *store.Review, all []reading.Reading) bool {
	if !who.Grades || (r.State == reading.Submitted && slices.Contains(who.Roles, access.Lead)) {
		return false
	}
	own := graded(who, all)
	return slices.ContainsFunc(all, func(x reading.Reading) bool { return leans(&x, who, own) })
}

// graded returns the criteria that the actor has graded.
func graded(who *access.Actor, all []reading.Reading) map[string]bool {
	own := map[string]bool{}
	for i := range all {
		if all[i].Answer.Grade != nil && all[i].Reviewer == who.Name {
			own[all[i].Criterion] = true
		}
	}
	return own
}

// leans reports whether a reading is somebody else's grade of a criterion that the actor has not graded.
func leans(x *reading.Reading, who *access.Actor, own map[string]bool) bool {
	return x.Answer.Grade != nil && x.Reviewer != who.Name && !own[x.Criterion]
}
