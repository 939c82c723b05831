package api

import (
	"context"
	"fmt"
	"slices"

	"dappertally/core/checklist"
	"dappertally/internal/board"
	"dappertally/internal/service"
)

func (h *handlers) ListChecklists(
	ctx context.Context,
	r ListChecklistsRequestObject,
) (ListChecklistsResponseObject, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	some, next, err := page(
		st.Checklists.Lists,
		func(c checklist.Checklist) string { return c.Name() },
		r.Params.Limit,
		r.Params.Cursor,
	)
	if err != nil {
		return nil, err
	}
	list := ChecklistList{Checklists: []ChecklistSummary{}, Next: next}
	for i := range some {
		one := summary(st, &some[i])
		if one.Shown {
			if one.Changeover, err = changeover(st, one.Key); err != nil {
				return nil, err
			}
		}
		list.Checklists = append(list.Checklists, one)
	}
	return ListChecklists200JSONResponse(list), nil
}

// changeover is how far a newer version has come; zero where there is none.
func changeover(st *board.State, key string) (Changeover, error) {
	s, err := service.ChangeoverOf(st, key)
	if err != nil || s == nil {
		return Changeover{}, err
	}
	return Changeover{Newer: s.Newer.Name(), Ranked: s.Ranked, Moved: s.Moved, Share: s.Share}, nil
}

func summary(st *board.State, c *checklist.Checklist) ChecklistSummary {
	s := ChecklistSummary{
		Key: c.Key, Version: c.Version, Title: c.Title, State: ChecklistSummaryState(c.State), Sections: len(c.Sections), Audiences: named(c),
		InForce: st.Checklists.InForce[c.Name()], Shown: service.IsShown(st, c),
	}
	for _, sec := range c.Sections {
		s.Criteria += len(sec.Criteria)
	}
	return s
}

func named(c *checklist.Checklist) []Named {
	out := make([]Named, len(c.Audiences))
	for i, a := range c.Audiences {
		out[i] = Named{Key: a.Key, Title: a.Title}
	}
	return out
}

func (h *handlers) AddChecklist(ctx context.Context, r AddChecklistRequestObject) (AddChecklistResponseObject, error) {
	n, err := h.Service.AddChecklist(ctx, whoAsks(request(ctx)), r.Body)
	if err != nil {
		return nil, err
	}
	if _, err := h.written(ctx, n); err != nil {
		return nil, err
	}
	return AddChecklist201JSONResponse(*r.Body), nil
}

func (h *handlers) ShowChecklist(
	ctx context.Context,
	r ShowChecklistRequestObject,
) (ShowChecklistResponseObject, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	c, err := findChecklist(ctx, st, r.Checklist, r.Version)
	if err != nil {
		return nil, err
	}
	return ShowChecklist200JSONResponse(*c), nil
}

func findChecklist(ctx context.Context, st *board.State, key string, version int) (*checklist.Checklist, error) {
	name := listName(key, version)
	if err := found(ctx, "checklist", st.Checklists.Versions, name); err != nil {
		return nil, err
	}
	i := slices.IndexFunc(st.Checklists.Lists, func(c checklist.Checklist) bool { return c.Name() == name })
	return &st.Checklists.Lists[i], nil
}

func (h *handlers) EditChecklist(
	ctx context.Context,
	r EditChecklistRequestObject,
) (EditChecklistResponseObject, error) {
	if err := sameKey("name", listName(r.Checklist, r.Version), r.Body.Name()); err != nil {
		return nil, err
	}
	n, err := h.Service.EditChecklist(ctx, whoAsks(request(ctx)), version(r.Params.IfMatch), r.Body)
	if err != nil {
		return nil, err
	}
	c, err := h.writtenChecklist(ctx, n, r.Checklist, r.Version)
	if err != nil {
		return nil, err
	}
	return EditChecklist200JSONResponse(*c), nil
}

// writtenChecklist is a version as it stands after a change of it.
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

func (h *handlers) RemoveDraft(ctx context.Context, r RemoveDraftRequestObject) (RemoveDraftResponseObject, error) {
	n, err := h.Service.RemoveDraft(
		ctx,
		whoAsks(request(ctx)),
		version(r.Params.IfMatch),
		listName(r.Checklist, r.Version),
	)
	if err != nil {
		return nil, err
	}
	_, err = h.written(ctx, n)
	return RemoveDraft204Response{}, err
}

func listName(key string, version int) string { return fmt.Sprintf("%s@%d", key, version) }

func (h *handlers) ShowVersion(ctx context.Context, r ShowVersionRequestObject) (ShowVersionResponseObject, error) {
	n, err := h.Show(ctx, whoAsks(request(ctx)), r.Checklist, r.Body.Version, r.Body.Share)
	if err != nil {
		return nil, err
	}
	_, err = h.written(ctx, n)
	return ShowVersion200JSONResponse(*r.Body), err
}

func (h *handlers) DifferChecklists(
	ctx context.Context,
	r DifferChecklistsRequestObject,
) (DifferChecklistsResponseObject, error) {
	d, err := h.Differ(ctx, listName(r.Checklist, r.Older), listName(r.Checklist, r.Version))
	return DifferChecklists200JSONResponse(d), err
}

func (h *handlers) AdviseChecklist(
	ctx context.Context,
	r AdviseChecklistRequestObject,
) (AdviseChecklistResponseObject, error) {
	found, err := h.Advise(ctx, whoAsks(request(ctx)), r.Body)
	return AdviseChecklist200JSONResponse{Advice: found}, err
}

func (h *handlers) ListAudiences(
	ctx context.Context,
	r ListAudiencesRequestObject,
) (ListAudiencesResponseObject, error) {
	revisions, err := h.AudienceRevisions(ctx, listName(r.Checklist, r.Version))
	if err != nil {
		return nil, err
	}
	list := AudienceList{Revisions: []AudienceState{}}
	for _, a := range revisions {
		list.Revisions = append(
			list.Revisions,
			AudienceState{
				Revision: a.Revision,
				Audience: a.Audience,
				Dropped:  a.Dropped,
				Reason:   a.Reason,
				Person:   a.Person,
				Created:  a.Created,
			},
		)
	}
	return ListAudiences200JSONResponse(list), nil
}

func (h *handlers) ReviseAudience(
	ctx context.Context,
	r ReviseAudienceRequestObject,
) (ReviseAudienceResponseObject, error) {
	if err := sameKey("key", r.Audience, r.Body.Audience.Key); err != nil {
		return nil, err
	}
	n, err := h.Service.ReviseAudience(
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
	return ReviseAudience200JSONResponse(*c), nil
}

func (h *handlers) DropAudience(ctx context.Context, r DropAudienceRequestObject) (DropAudienceResponseObject, error) {
	n, err := h.Service.ReviseAudience(
		ctx,
		whoAsks(request(ctx)),
		version(r.Params.IfMatch),
		listName(r.Checklist, r.Version),
		checklist.Audience{Key: r.Audience},
		true,
		r.Params.Reason,
	)
	if err != nil {
		return nil, err
	}
	_, err = h.written(ctx, n)
	return DropAudience204Response{}, err
}
