package api

import (
	"context"
	"fmt"
	"slices"

	"dappertally/core/checklist"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/checklists"
	"dappertally/internal/contract"
	"dappertally/internal/ledger"
)

func (h *handlers) ListChecklists(ctx context.Context, r ListChecklistsRequest) (*contract.ChecklistList, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	lists := st.Checklists.Lists
	if !whoAsks(request(ctx)).May(access.SeeWork) {
		lists = slices.DeleteFunc(
			slices.Clone(lists), func(c checklist.Checklist) bool { return c.State == checklist.Draft },
		)
	}
	some, next, err := page(
		lists, func(c checklist.Checklist) string { return c.Name() }, r.Params.Limit, r.Params.Cursor,
	)
	if err != nil {
		return nil, err
	}
	list := contract.ChecklistList{Checklists: []contract.ChecklistSummary{}, Next: next}
	for i := range some {
		one := summary(st, &some[i], whoAsks(request(ctx)))
		if one.Shown {
			if one.Changeover, err = changeover(ctx, st, one.Key); err != nil {
				return nil, err
			}
		}
		list.Checklists = append(list.Checklists, one)
	}
	return &list, nil
}

// changeover returns the progress of a newer version; zero if there is none.
func changeover(ctx context.Context, st *ledger.Records, key string) (contract.Changeover, error) {
	s, err := checklists.ChangeoverOf(ctx, st, key)
	if err != nil || s == nil {
		return contract.Changeover{}, err
	}
	return contract.Changeover{Newer: s.Newer.Name(), Ranked: s.Ranked, Moved: s.Moved, Share: s.Share}, nil
}

func summary(st *ledger.Records, c *checklist.Checklist, who *access.Actor) contract.ChecklistSummary {
	s := contract.ChecklistSummary{
		Key: c.Key, May: checklists.MayChecklist(who, c), Version: c.Version, Title: c.Title,
		State: contract.ChecklistSummaryState(c.State), Sections: len(c.Sections), Audiences: named(c),
		InForce: st.Checklists.InForce[c.Name()], Shown: answers.IsShown(st, c),
	}
	for _, sec := range c.Sections {
		s.Criteria += len(sec.Criteria)
	}
	return s
}

func named(c *checklist.Checklist) []contract.Named {
	out := make([]contract.Named, len(c.Audiences))
	for i, a := range c.Audiences {
		out[i] = contract.Named{Key: a.Key, Title: a.Title}
	}
	return out
}

func (h *handlers) AddChecklist(ctx context.Context, r AddChecklistRequest) (*contract.Checklist, error) {
	n, err := h.checklists.AddChecklist(ctx, whoAsks(request(ctx)), r.Body)
	if err != nil {
		return nil, err
	}
	if _, err := h.written(ctx, n); err != nil {
		return nil, err
	}
	return r.Body, nil
}

func (h *handlers) ShowStarter(context.Context, ShowStarterRequest) (*contract.Checklist, error) {
	c, err := checklists.Starter()
	return &c, err
}

func (h *handlers) ShowChecklist(ctx context.Context, r ShowChecklistRequest) (*contract.Checklist, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	c, err := findChecklist(ctx, st, r.Checklist, r.Version)
	if err != nil {
		return nil, err
	}
	return c, nil
}

func findChecklist(ctx context.Context, st *ledger.Records, key string, version int) (*checklist.Checklist, error) {
	name := listName(key, version)
	if err := found(ctx, "checklist", st.Checklists.Versions, name); err != nil {
		return nil, err
	}
	i := slices.IndexFunc(st.Checklists.Lists, func(c checklist.Checklist) bool { return c.Name() == name })
	return &st.Checklists.Lists[i], nil
}

func (h *handlers) EditChecklist(ctx context.Context, r EditChecklistRequest) (*contract.Checklist, error) {
	if err := sameKey("name", listName(r.Checklist, r.Version), r.Body.Name()); err != nil {
		return nil, err
	}
	n, err := h.checklists.EditChecklist(ctx, whoAsks(request(ctx)), version(r.Params.IfMatch), r.Body)
	if err != nil {
		return nil, err
	}
	c, err := h.writtenChecklist(ctx, n, r.Checklist, r.Version)
	if err != nil {
		return nil, err
	}
	return c, nil
}

// writtenChecklist returns a version after a change.
func (h *handlers) writtenChecklist(
	ctx context.Context,
	change int64,
	key string,
	version int,
) (*checklist.Checklist, error) {
	st, err := h.written(ctx, change)
	if err != nil {
		return nil, err
	}
	return findChecklist(ctx, st, key, version)
}

func (h *handlers) RemoveDraft(ctx context.Context, r RemoveDraftRequest) error {
	n, err := h.checklists.RemoveDraft(
		ctx, whoAsks(request(ctx)), version(r.Params.IfMatch), listName(r.Checklist, r.Version),
	)
	if err != nil {
		return err
	}
	_, err = h.written(ctx, n)
	return err
}

func listName(key string, version int) string { return fmt.Sprintf("%s@%d", key, version) }

func (h *handlers) ShowVersion(ctx context.Context, r ShowVersionRequest) (*contract.ShownVersion, error) {
	n, err := h.checklists.Show(ctx, whoAsks(request(ctx)), r.Checklist, r.Body.Version, r.Body.Share)
	if err != nil {
		return nil, err
	}
	_, err = h.written(ctx, n)
	return r.Body, err
}

func (h *handlers) DifferChecklists(
	ctx context.Context,
	r DifferChecklistsRequest,
) (*contract.ChecklistDifference, error) {
	d, err := h.checklists.Differ(ctx, listName(r.Checklist, r.Older), listName(r.Checklist, r.Version))
	return &d, err
}

func (h *handlers) AdviseChecklist(ctx context.Context, r AdviseChecklistRequest) (*contract.AdviceList, error) {
	found, err := h.checklists.Advise(ctx, whoAsks(request(ctx)), r.Body)
	return &contract.AdviceList{Advice: found}, err
}

func (h *handlers) ListAudiences(ctx context.Context, r ListAudiencesRequest) (*contract.AudienceList, error) {
	revisions, err := h.checklists.AudienceRevisions(ctx, listName(r.Checklist, r.Version))
	if err != nil {
		return nil, err
	}
	list := contract.AudienceList{Revisions: []contract.AudienceState{}}
	for _, a := range revisions {
		list.Revisions = append(
			list.Revisions,
			contract.AudienceState{
				Revision: a.Revision,
				Audience: a.Audience,
				Dropped:  a.Dropped,
				Reason:   a.Reason,
				Person:   a.Person,
				Created:  a.Created,
			},
		)
	}
	return &list, nil
}

func (h *handlers) ReviseAudience(ctx context.Context, r ReviseAudienceRequest) (*contract.Checklist, error) {
	if err := sameKey("key", r.Audience, r.Body.Audience.Key); err != nil {
		return nil, err
	}
	n, err := h.checklists.ReviseAudience(
		ctx,
		whoAsks(request(ctx)),
		version(r.Params.IfMatch),
		listName(r.Checklist, r.Version),
		r.Body.Audience,
		false,
		r.Body.Reason,
	)
	if err != nil {
		return nil, err
	}
	c, err := h.writtenChecklist(ctx, n, r.Checklist, r.Version)
	if err != nil {
		return nil, err
	}
	return c, nil
}

func (h *handlers) DropAudience(ctx context.Context, r DropAudienceRequest) error {
	n, err := h.checklists.ReviseAudience(
		ctx,
		whoAsks(request(ctx)),
		version(r.Params.IfMatch),
		listName(r.Checklist, r.Version),
		checklist.Audience{Key: r.Audience},
		true,
		r.Params.Reason,
	)
	if err != nil {
		return err
	}
	_, err = h.written(ctx, n)
	return err
}
