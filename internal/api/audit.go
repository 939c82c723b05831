package api

import (
	"cmp"
	"context"
	"encoding/hex"

	"dappertally/internal/audit"
	"dappertally/internal/contract"
)

// mostAudited is the default number of entries of one answer.
const mostAudited = 100

func (h *handlers) ListAudit(ctx context.Context, r ListAuditRequest) (*contract.AuditList, error) {
	p := &r.Params
	entries, err := h.audit.Entries(ctx, whoAsks(request(ctx)), &audit.Wanted{
		By: p.By, Sort: p.Sort, Subject: p.Subject, Action: p.Action, From: p.From, To: p.To, Before: p.Before,
		Limit: cmp.Or(p.Limit, mostAudited),
	})
	if err != nil {
		return nil, err
	}
	list := contract.AuditList{Entries: []contract.AuditEntry{}}
	for i := range entries {
		e := &entries[i]
		x := contract.AuditEntry{
			Number: e.Number, At: e.At, By: e.By, Way: e.Way, Action: e.Action, Sort: e.Sort,
			Subject: e.About, Address: e.Address, Request: e.Request, Detail: e.Detail, Erased: e.Erased,
			Hash: hex.EncodeToString(e.Hash),
		}
		for _, f := range e.Fields {
			x.Fields = append(x.Fields, struct {
				After  string `json:"after"`
				Before string `json:"before"`
				Field  string `json:"field"`
			}{f.After, f.Before, f.Field})
		}
		list.Entries = append(list.Entries, x)
	}
	return &list, nil
}
