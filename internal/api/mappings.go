package api

import (
	"context"
	"encoding/json"

	"dappertally/internal/contract"
	"dappertally/internal/imports"
)

func (h *handlers) ListMappings(ctx context.Context, _ ListMappingsRequest) (*contract.MappingList, error) {
	all, err := h.intake.Mappings(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	out := contract.MappingList{Mappings: make([]contract.Mapping, len(all))}
	for i := range all {
		if out.Mappings[i], err = alike[contract.Mapping](all[i].Mapping); err != nil {
			return nil, err
		}
	}
	return &out, nil
}

func (h *handlers) ShowMapping(ctx context.Context, r ShowMappingRequest) (*contract.Mapping, error) {
	m, err := h.showMapping(ctx, r.Mapping)
	return &m, err
}

func (h *handlers) showMapping(ctx context.Context, name string) (contract.Mapping, error) {
	m, err := h.intake.Mapping(ctx, whoAsks(request(ctx)), name)
	if err != nil {
		return contract.Mapping{}, err
	}
	request(ctx).Set(keyRevision, m.Revision)
	return alike[contract.Mapping](m.Mapping)
}

func (h *handlers) PutMapping(ctx context.Context, r PutMappingRequest) (*contract.Mapping, error) {
	if err := sameKey("name", r.Mapping, r.Body.Name); err != nil {
		return nil, err
	}
	m, err := alike[imports.Mapping](r.Body)
	if err != nil {
		return nil, err
	}
	n, err := h.intake.PutMapping(ctx, whoAsks(request(ctx)), version(r.Params.IfMatch), m)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	v, err := h.showMapping(ctx, r.Mapping)
	return &v, err
}

func (h *handlers) DropMapping(ctx context.Context, r DropMappingRequest) error {
	n, err := h.intake.DropMapping(ctx, whoAsks(request(ctx)), r.Mapping, version(r.Params.IfMatch))
	return h.done(ctx, n, err)
}

// alike converts a value to another type with the same JSON.
func alike[T any](v any) (T, error) {
	var out T
	data, err := json.Marshal(v)
	if err != nil {
		return out, err
	}
	return out, json.Unmarshal(data, &out)
}
