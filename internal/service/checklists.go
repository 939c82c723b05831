package service

import (
	"context"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/internal/store"
)

// AddChecklist adds a checklist version, as a draft or in force.
func (s *Service) AddChecklist(ctx context.Context, who *Actor, c *checklist.Checklist) (int64, error) {
	if err := who.permit(EditChecklist); err != nil {
		return 0, err
	}
	if err := soundChecklist(c); err != nil {
		return 0, err
	}
	if c.State == checklist.Retired {
		return 0, wrong("/state", "a new version is a draft or in force")
	}
	return s.write(ctx, who, func(tx *store.Tx) error {
		if _, err := tx.AddChecklist(c); err != nil {
			return exists(err, "there is a checklist %s already; give it the next version", c.Name())
		}
		return tx.Log("added", store.SortChecklist, c.Name(), string(c.State))
	})
}

// EditChecklist changes a draft, puts it in force, or retires a version. A
// version in force is frozen: nothing but its state can change.
func (s *Service) EditChecklist(ctx context.Context, who *Actor, v Version, c *checklist.Checklist) (int64, error) {
	if err := who.permit(EditChecklist); err != nil {
		return 0, err
	}
	if err := soundChecklist(c); err != nil {
		return 0, err
	}
	state, err := s.latest(ctx)
	if err != nil {
		return 0, err
	}
	ref, err := based(state.Checklists.Versions, c.Name(), v)
	if err != nil {
		return 0, err
	}
	i := slices.IndexFunc(state.Checklists.Lists, func(x checklist.Checklist) bool { return x.Name() == c.Name() })
	old := &state.Checklists.Lists[i]
	return s.write(ctx, who, func(tx *store.Tx) error {
		if old.State == checklist.Draft {
			if c.State == checklist.Retired {
				return wrong("/state", "a draft is put in force, not retired")
			}
			if err := tx.EditDraft(ref, c); err != nil {
				return err
			}
			return tx.Log("edited", store.SortChecklist, c.Name(), string(c.State))
		}
		if !sameList(old, c) {
			return problem(Conflict, "%s is %s and frozen, since reviews rest on it; make the change in a new version", c.Name(), old.State)
		}
		if c.State == checklist.Draft {
			return problem(Conflict, "%s was in force and cannot become a draft again", c.Name())
		}
		if err := tx.SetChecklistState(ref, c.State); err != nil {
			return err
		}
		return tx.Log("moved", store.SortChecklist, c.Name(), string(c.State))
	})
}

func soundChecklist(c *checklist.Checklist) error {
	var book fault.Book
	checklist.Validate(c, &book)
	return invalid("the checklist", book.List())
}
