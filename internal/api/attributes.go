package api

import (
	"context"
	"maps"
	"slices"

	"dappertally/core/catalogue"
	"dappertally/internal/contract"
	"dappertally/internal/ledger"
)

// family is the attribute for bases, of which a distribution can have several.
const family = "family"

func (h *handlers) ListAttributes(ctx context.Context, _ ListAttributesRequest) (*contract.AttributeList, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	list := ledger.Known(st, "attributes", func() contract.AttributeList { return attributesOf(st) })
	return &list, nil
}

func attributesOf(st *ledger.Records) contract.AttributeList {
	places := st.Places()
	list := contract.AttributeList{Attributes: []contract.Attribute{}}
	for _, key := range slices.Concat(catalogue.Attributes, []string{family}) {
		counts := map[string]*contract.AttributeValue{}
		for _, p := range places {
			values := []string{p.Value(key)}
			switch key {
			case family:
				values = slices.Clone(p.Distribution.Family)
			case "base":
				values = append(slices.Clone(p.Distribution.Family), p.Release.BasedOn)
			}
			slices.Sort(values)
			for _, value := range slices.Compact(values) {
				if value == "" {
					continue
				}
				if counts[value] == nil {
					counts[value] = &contract.AttributeValue{Value: value}
				}
				counts[value].Editions++
				if len(st.AcceptedVersions(p.Key())) > 0 {
					counts[value].Reviewed++
				}
			}
		}
		a := contract.Attribute{Key: key, Values: []contract.AttributeValue{}}
		for _, value := range slices.Sorted(maps.Keys(counts)) {
			a.Values = append(a.Values, *counts[value])
		}
		list.Attributes = append(list.Attributes, a)
	}
	return list
}
