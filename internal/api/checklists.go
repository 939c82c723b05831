package api

import (
	"context"
	"fmt"
	"slices"

	"dappertally/core/checklist"
	"dappertally/internal/board"
)

func (h *handlers) ListChecklists(ctx context.Context, r ListChecklistsRequestObject) (ListChecklistsResponseObject, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	some, next, err := page(st.Checklists.Lists, func(c checklist.Checklist) string { return c.Name() }, r.Params.Limit, r.Params.Cursor)
	if err != nil {
		return nil, err
	}
	list := ChecklistList{Checklists: []ChecklistSummary{}, Next: next}
	for i := range some {
		list.Checklists = append(list.Checklists, summary(&some[i]))
	}
	return ListChecklists200JSONResponse(list), nil
}

func summary(c *checklist.Checklist) ChecklistSummary {
	s := ChecklistSummary{Key: c.Key, Version: c.Version, Title: c.Title, State: ChecklistSummaryState(c.State), Sections: len(c.Sections), Audiences: named(c)}
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

func (h *handlers) ShowChecklist(ctx context.Context, r ShowChecklistRequestObject) (ShowChecklistResponseObject, error) {
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
	name := fmt.Sprintf("%s@%d", key, version)
	if err := found(ctx, "checklist", st.Checklists.Versions, name); err != nil {
		return nil, err
	}
	i := slices.IndexFunc(st.Checklists.Lists, func(c checklist.Checklist) bool { return c.Name() == name })
	return &st.Checklists.Lists[i], nil
}

func (h *handlers) EditChecklist(ctx context.Context, r EditChecklistRequestObject) (EditChecklistResponseObject, error) {
	if err := sameKey("name", fmt.Sprintf("%s@%d", r.Checklist, r.Version), r.Body.Name()); err != nil {
		return nil, err
	}
	n, err := h.Service.EditChecklist(ctx, whoAsks(request(ctx)), version(r.Params.IfMatch), r.Body)
	if err != nil {
		return nil, err
	}
	st, err := h.written(ctx, n)
	if err != nil {
		return nil, err
	}
	c, err := findChecklist(ctx, st, r.Checklist, r.Version)
	if err != nil {
		return nil, err
	}
	return EditChecklist200JSONResponse(*c), nil
}
