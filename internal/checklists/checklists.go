// Package checklists manages the checklists, their versions and audiences, and proposals.
package checklists

import (
	"context"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// AddChecklist adds a checklist version, as a draft or in force. The first version of a checklist estimates missing
// rigs unless it says otherwise.
func (s *Service) AddChecklist(ctx context.Context, who *access.Actor, c *checklist.Checklist) (int64, error) {
	if err := who.Permit(EditChecklist); err != nil {
		return 0, err
	}
	if err := validateChecklist(c); err != nil {
		return 0, err
	}
	if c.State == checklist.Retired {
		return 0, problem.Field("/state", "a new version must be a draft or in force")
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return 0, err
	}
	if err := isNext(state, c); err != nil {
		return 0, err
	}
	if _, known := state.Checklists.Shown[c.Key]; !known && c.Policy.Rigs == "" {
		c.Policy.Rigs = checklist.Adjusted
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.AddChecklist(ledger.NewID(), c, tx.Now()); err != nil {
			return ledger.Exists(err, "a checklist %s exists already; use the next version number", c.Name())
		}
		if err := KeepShown(tx, state, c); err != nil {
			return err
		}
		return tx.Log("added", store.SortChecklist, c.Name(), string(c.State))
	})
}

// isNext checks that a new version has the next number, and that there is no other draft: everybody edits the same
// draft.
func isNext(state *ledger.Records, c *checklist.Checklist) error {
	newest := 0
	for i := range state.Checklists.Lists {
		x := &state.Checklists.Lists[i]
		if x.Key != c.Key {
			continue
		}
		newest = max(newest, x.Version)
		if x.State == checklist.Draft && x.Version != c.Version {
			return problem.New(
				problem.Conflict,
				"the draft %s exists already; change it, or remove it first",
				x.Name(),
			)
		}
	}
	if c.Version > newest+1 {
		return problem.Field("/version", "the next version of %s is %d, not %d", c.Key, newest+1, c.Version)
	}
	return nil
}

// basedOn finds the current checklist version for an edit, and checks that the edit is based on it.
func (s *Service) basedOn(ctx context.Context, name string, v ledger.Version) (store.Ref, *checklist.Checklist, error) {
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return store.Ref{}, nil, err
	}
	ref, err := ledger.Based(state.Checklists.Versions, name, v)
	if err != nil {
		return ref, nil, err
	}
	list, err := answers.Version(state, name)
	return ref, list, err
}

// RemoveDraft deletes a draft permanently.
func (s *Service) RemoveDraft(ctx context.Context, who *access.Actor, v ledger.Version, name string) (int64, error) {
	if err := who.Permit(EditChecklist); err != nil {
		return 0, err
	}
	ref, list, err := s.basedOn(ctx, name, v)
	if err != nil {
		return 0, err
	}
	if list.State != checklist.Draft {
		return 0, problem.New(problem.Conflict, "%s is %s and cannot be removed: reviews use it", name, list.State)
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.DropVersion(ref); err != nil {
			return err
		}
		return tx.Log("removed", store.SortChecklist, name, "")
	})
}

// ChecklistNamed finds a current checklist version by key@version.
func (s *Service) ChecklistNamed(ctx context.Context, name string) (*checklist.Checklist, error) {
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return nil, err
	}
	return answers.Version(state, name)
}

// EditChecklist changes a draft, puts it in force, or retires a version. A version in force is frozen: only its state
// can change.
func (s *Service) EditChecklist(
	ctx context.Context,
	who *access.Actor,
	v ledger.Version,
	c *checklist.Checklist,
) (int64, error) {
	if err := who.Permit(EditChecklist); err != nil {
		return 0, err
	}
	if err := validateChecklist(c); err != nil {
		return 0, err
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return 0, err
	}
	ref, old, err := s.basedOn(ctx, c.Name(), v)
	if err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if old.State == checklist.Draft {
			if c.State == checklist.Retired {
				return problem.Field("/state", "a draft can be put in force, not retired")
			}
			if err := tx.EditDraft(ref, c); err != nil {
				return err
			}
			if err := KeepShown(tx, state, c); err != nil {
				return err
			}
			return tx.Log("edited", store.SortChecklist, c.Name(), string(c.State))
		}
		if !sameList(old, c) {
			return problem.New(
				problem.Conflict,
				"%s is %s and cannot be changed because reviews use it; make the change in a new version",
				c.Name(),
				old.State,
			)
		}
		if c.State == checklist.Draft {
			return problem.New(problem.Conflict, "%s was in force and cannot become a draft again", c.Name())
		}
		if err := tx.SetChecklistState(ref, c.State); err != nil {
			return err
		}
		return tx.Log("moved", store.SortChecklist, c.Name(), string(c.State))
	})
}

func validateChecklist(c *checklist.Checklist) error {
	var book fault.Book
	checklist.Validate(c, &book)
	return problem.From("the checklist", book.List())
}

// sameList reports whether two versions of a checklist differ only in their state.
func sameList(a, b *checklist.Checklist) bool {
	x, y := *a, *b
	x.State, y.State = "", ""
	return ledger.SameJSON(x, y)
}
