package api

import (
	"context"
	"dappertally/core/comparing"
	"slices"

	"dappertally/internal/service"
)

func (h *handlers) ListEntries(ctx context.Context, r ListEntriesRequestObject) (ListEntriesResponseObject, error) {
	rows, err := h.Entries(ctx, whoAsks(request(ctx)), r.Id)
	if err != nil {
		return nil, err
	}
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	list := EntryList{Entries: []EntryView{}}
	fates := service.Fates(st)
	for i := range rows {
		v := entryView(&rows[i])
		if f := v.Entry.Finding; f != nil {
			for _, x := range fates[f.ID] {
				v.Fates = append(v.Fates, struct {
					Edition string      `json:"edition"`
					Fate    string      `json:"fate"`
					Name    EditionName `json:"name,omitempty,omitzero"`
				}{x.Edition, x.Fate, editionName(st, x.Edition)})
			}
		}
		list.Entries = append(list.Entries, v)
	}
	return ListEntries200JSONResponse(list), nil
}

func entryView(r *service.EntryRecord) EntryView {
	return EntryView{Entry: r.Entry, Revision: r.Revision, WrittenBy: r.Person, Written: r.Written, Pinned: r.Pinned}
}

func (h *handlers) PutEntry(ctx context.Context, r PutEntryRequestObject) (PutEntryResponseObject, error) {
	_, head := r.Body.Part()
	if head == nil {
		return nil, &service.Error{Kind: service.Invalid, Message: "the entry is empty: set exactly one of its fields"}
	}
	if err := sameKey("id", r.Entry, head.ID); err != nil {
		return nil, err
	}
	who := whoAsks(request(ctx))
	n, err := h.Service.PutEntry(ctx, who, r.Id, version(r.Params.IfMatch), *r.Body)
	if err != nil {
		return nil, err
	}
	if n > 0 {
		h.changed(ctx, n)
	}
	rows, err := h.Entries(ctx, who, r.Id)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(rows, func(x service.EntryRecord) bool { _, y := x.Part(); return y.ID == r.Entry })
	if i < 0 {
		return nil, &service.Error{Kind: service.NotFound, Message: "somebody dropped this entry in the meantime"}
	}
	request(ctx).Set(keyRevision, rows[i].Revision)
	return PutEntry200JSONResponse(entryView(&rows[i])), nil
}

func (h *handlers) DropEntry(ctx context.Context, r DropEntryRequestObject) (DropEntryResponseObject, error) {
	n, err := h.Service.DropEntry(ctx, whoAsks(request(ctx)), r.Id, r.Entry, version(r.Params.IfMatch))
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	return DropEntry204Response{}, nil
}

func (h *handlers) LooseEnds(ctx context.Context, r LooseEndsRequestObject) (LooseEndsResponseObject, error) {
	after, err := h.after(ctx)
	if err != nil {
		return nil, err
	}
	ends, err := h.Service.LooseEnds(ctx, whoAsks(request(ctx)), r.Id, after)
	if err != nil {
		return nil, err
	}
	list := LooseEndList{LooseEnds: []LooseEnd{}}
	for _, e := range ends {
		list.LooseEnds = append(
			list.LooseEnds,
			LooseEnd{Sort: LooseEndSort(e.Sort), Criterion: e.Criterion, Subject: e.Subject, Says: e.Says},
		)
	}
	return LooseEnds200JSONResponse(list), nil
}

func (h *handlers) ShowBeside(ctx context.Context, r ShowBesideRequestObject) (ShowBesideResponseObject, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	who := whoAsks(request(ctx))
	b, err := h.Beside(ctx, who, r.Id)
	if err != nil {
		return nil, err
	}
	earlier, err := h.Unfollowed(ctx, who, r.Id)
	if err != nil {
		return nil, err
	}
	out := Beside{
		Edition:  b.Edition,
		Review:   b.Review,
		Readings: b.Readings,
		Records:  b.Records,
		Findings: []EarlierFinding{},
	}
	if b.Edition != "" {
		out.Name = editionName(st, b.Edition)
	}
	for _, f := range earlier {
		out.Findings = append(
			out.Findings,
			EarlierFinding{Finding: f.Finding, Edition: f.Edition, Review: f.Review, FollowedBy: f.FollowedBy},
		)
	}
	return ShowBeside200JSONResponse(out), nil
}

func (h *handlers) ListTroubles(ctx context.Context, _ ListTroublesRequestObject) (ListTroublesResponseObject, error) {
	ts, err := h.Troubles(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	list := TroubleList{Troubles: []TroubleView{}}
	for i := range ts {
		v, err := h.troubleView(ctx, &ts[i])
		if err != nil {
			return nil, err
		}
		list.Troubles = append(list.Troubles, v)
	}
	return ListTroubles200JSONResponse(list), nil
}

func (h *handlers) troubleView(ctx context.Context, t *service.Trouble) (TroubleView, error) {
	st, err := h.state(ctx)
	if err != nil {
		return TroubleView{}, err
	}
	v := TroubleView{Trouble: t.Trouble, Cases: make([]struct {
		Edition string      `json:"edition"`
		Finding Finding     `json:"finding"`
		Name    EditionName `json:"name"`
		Review  string      `json:"review"`
	}, len(t.Cases))}
	for i, c := range t.Cases {
		x := &v.Cases[i]
		x.Edition, x.Finding, x.Name, x.Review = c.Edition, c.Finding, editionName(st, c.Edition), c.Review
	}
	return v, nil
}

func (h *handlers) showTrouble(ctx context.Context, key string) (TroubleView, error) {
	t, err := h.Trouble(ctx, whoAsks(request(ctx)), key)
	if err != nil {
		return TroubleView{}, err
	}
	request(ctx).Set(keyRevision, t.Revision)
	return h.troubleView(ctx, &t)
}

func (h *handlers) ShowTrouble(ctx context.Context, r ShowTroubleRequestObject) (ShowTroubleResponseObject, error) {
	v, err := h.showTrouble(ctx, r.Trouble)
	return ShowTrouble200JSONResponse(v), err
}

func (h *handlers) AddTrouble(ctx context.Context, r AddTroubleRequestObject) (AddTroubleResponseObject, error) {
	n, err := h.Service.AddTrouble(ctx, whoAsks(request(ctx)), r.Body)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	v, err := h.showTrouble(ctx, r.Body.Key)
	return AddTrouble201JSONResponse(v), err
}

func (h *handlers) EditTrouble(ctx context.Context, r EditTroubleRequestObject) (EditTroubleResponseObject, error) {
	if err := sameKey("key", r.Trouble, r.Body.Key); err != nil {
		return nil, err
	}
	n, err := h.Service.EditTrouble(ctx, whoAsks(request(ctx)), version(r.Params.IfMatch), r.Body)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	v, err := h.showTrouble(ctx, r.Trouble)
	return EditTrouble200JSONResponse(v), err
}

func (h *handlers) ShowPolicy(ctx context.Context, _ ShowPolicyRequestObject) (ShowPolicyResponseObject, error) {
	p, err := h.showPolicy(ctx)
	return ShowPolicy200JSONResponse(p), err
}

func (h *handlers) showPolicy(ctx context.Context) (Policy, error) {
	p, ref, err := h.Policy(ctx)
	request(ctx).Set(keyRevision, ref.Revision)
	if p.Components == nil {
		p.Components = []comparing.Component{}
	}
	return Policy{
		SecondReviewer: PolicySecondReviewer(p.SecondReviewer),
		RetestDays:     p.RetestDays,
		Components:     &p.Components,
	}, err
}

func (h *handlers) SetPolicy(ctx context.Context, r SetPolicyRequestObject) (SetPolicyResponseObject, error) {
	rules := service.Policy{SecondReviewer: string(r.Body.SecondReviewer), RetestDays: r.Body.RetestDays}
	if r.Body.Components != nil {
		rules.Components = *r.Body.Components
	}
	n, err := h.Service.SetPolicy(ctx, whoAsks(request(ctx)), version(r.Params.IfMatch), rules)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	p, err := h.showPolicy(ctx)
	return SetPolicy200JSONResponse(p), err
}

func (h *handlers) Rename(ctx context.Context, r RenameRequestObject) (RenameResponseObject, error) {
	key, n, err := h.Service.Rename(ctx, whoAsks(request(ctx)), string(r.Body.Sort), r.Body.Key, r.Body.To)
	if err != nil {
		return nil, err
	}
	if _, err := h.written(ctx, n); err != nil {
		return nil, err
	}
	return Rename200JSONResponse{Key: key}, nil
}

func (h *handlers) Merge(ctx context.Context, r MergeRequestObject) (MergeResponseObject, error) {
	moves, n, err := h.Service.Merge(
		ctx,
		whoAsks(request(ctx)),
		string(r.Body.Sort),
		r.Body.Key,
		r.Body.Into,
		r.Body.Trial,
	)
	if err != nil {
		return nil, err
	}
	if _, err := h.written(ctx, n); err != nil {
		return nil, err
	}
	return Merge200JSONResponse{Key: r.Body.Into, Moves: moves}, nil
}
