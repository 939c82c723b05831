package checklists

import (
	"context"
	"slices"

	"dappertally/core/checklist"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// ReviseAudience changes, adds or drops an audience of a frozen version; the revision before it is kept. Audiences of
// a draft are edited with the draft.
func (s *Service) ReviseAudience(
	ctx context.Context,
	who *access.Actor,
	v ledger.Version,
	name string,
	a checklist.Audience,
	drop bool,
	reason string,
) (int64, error) {
	if err := who.Permit(EditChecklist); err != nil {
		return 0, err
	}
	ref, list, err := s.basedOn(ctx, name, v)
	if err != nil {
		return 0, err
	}
	if list.State == checklist.Draft {
		return 0, problem.New(problem.Conflict, "%s is a draft; change its audiences in the draft", name)
	}
	next := list.Clone()
	i := slices.IndexFunc(next.Audiences, func(x checklist.Audience) bool { return x.Key == a.Key })
	switch {
	case drop && i < 0:
		return 0, problem.New(problem.NotFound, "%s has no audience %q", name, a.Key)
	case drop:
		a = next.Audiences[i]
		next.Audiences = slices.Delete(next.Audiences, i, i+1)
	case i < 0:
		next.Audiences = append(next.Audiences, a)
	case ledger.SameJSON(next.Audiences[i], a):
		return 0, problem.New(problem.Conflict, "nothing would change in audience %s", a.Key)
	default:
		next.Audiences[i] = a
	}
	if err := validateChecklist(next); err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.ReviseAudience(ref, &a, drop, reason); err != nil {
			return err
		}
		return tx.Log("revised", store.SortChecklist, name, a.Key)
	})
}

// AudienceRevision is one revision of an audience.
type AudienceRevision = store.AudienceRevision

// AudienceRevisions lists all revisions of a frozen version's audiences, by key and revision.
func (s *Service) AudienceRevisions(ctx context.Context, name string) ([]AudienceRevision, error) {
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return nil, err
	}
	if _, err := answers.Version(state, name); err != nil {
		return nil, err
	}
	revisions, err := s.ledger.Store.AudienceRevisions(ctx, state.Checklists.Versions[name].ID)
	if err != nil {
		return nil, ledger.Failed(err, "reading audiences")
	}
	return revisions, nil
}
