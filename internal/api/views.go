package api

import (
	"context"

	"dappertally/internal/contract"
	"dappertally/internal/people"
)

func (h *handlers) ListSavedViews(ctx context.Context, _ ListSavedViewsRequest) (*contract.SavedViewList, error) {
	views, err := h.people.SavedViews(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	list := contract.SavedViewList{Views: []contract.SavedView{}}
	for _, v := range views {
		list.Views = append(list.Views, savedView(&v))
	}
	return &list, nil
}

func (h *handlers) SaveView(ctx context.Context, r SaveViewRequest) (*contract.SavedView, error) {
	v, err := h.people.SaveView(ctx, whoAsks(request(ctx)), r.Body.Title, r.Body.Address)
	if err != nil {
		return nil, err
	}
	return new(savedView(&v)), nil
}

func (h *handlers) DropSavedView(ctx context.Context, r DropSavedViewRequest) error {
	return h.people.DropView(ctx, whoAsks(request(ctx)), r.Id)
}

func savedView(v *people.SavedView) contract.SavedView {
	return contract.SavedView{Id: v.ID, Title: v.Title, Address: v.Address}
}
