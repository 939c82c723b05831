package api

import (
	"context"
	"slices"

	"dappertally/core/comparing"
	"dappertally/internal/contract"
	"dappertally/internal/policy"
	"dappertally/internal/problem"
	"dappertally/internal/reviewing"
)

func (h *handlers) ListEntries(ctx context.Context, r ListEntriesRequest) (*contract.EntryList, error) {
	rows, err := h.reviewing.Entries(ctx, whoAsks(request(ctx)), r.Id)
	if err != nil {
		return nil, err
	}
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	list := contract.EntryList{Entries: []contract.EntryView{}}
	fates := reviewing.Fates(st)
	for i := range rows {
		v := entryView(&rows[i])
		if f := v.Entry.Finding; f != nil {
			for _, x := range fates[f.ID] {
				v.Fates = append(v.Fates, struct {
					Edition string               `json:"edition"`
					Fate    string               `json:"fate"`
					Name    contract.EditionName `json:"name,omitempty,omitzero"`
				}{x.Edition, x.Fate, editionName(st, x.Edition)})
			}
		}
		list.Entries = append(list.Entries, v)
	}
	return &list, nil
}

func entryView(r *reviewing.EntryRecord) contract.EntryView {
	return contract.EntryView{
		Entry:     r.Entry,
		Revision:  r.Revision,
		WrittenBy: r.Person,
		Written:   r.Written,
		Pinned:    r.Pinned,
	}
}

func (h *handlers) PutEntry(ctx context.Context, r PutEntryRequest) (*contract.EntryView, error) {
	_, head := r.Body.Part()
	if head == nil {
		return nil, problem.New(problem.Invalid, "the entry is empty: set exactly one of its fields")
	}
	if err := sameKey("id", r.Entry, head.ID); err != nil {
		return nil, err
	}
	who := whoAsks(request(ctx))
	n, err := h.reviewing.PutEntry(ctx, who, r.Id, version(r.Params.IfMatch), *r.Body)
	if err != nil {
		return nil, err
	}
	if n > 0 {
		h.changed(ctx, n)
	}
	rows, err := h.reviewing.Entries(ctx, who, r.Id)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(rows, func(x reviewing.EntryRecord) bool { _, y := x.Part(); return y.ID == r.Entry })
	if i < 0 {
		return nil, problem.New(problem.NotFound, "somebody removed this entry in the meantime")
	}
	request(ctx).Set(keyRevision, rows[i].Revision)
	return new(entryView(&rows[i])), nil
}

func (h *handlers) DropEntry(ctx context.Context, r DropEntryRequest) error {
	n, err := h.reviewing.DropEntry(ctx, whoAsks(request(ctx)), r.Id, r.Entry, version(r.Params.IfMatch))
	return h.done(ctx, n, err)
}

func (h *handlers) OpenItems(ctx context.Context, r OpenItemsRequest) (*contract.OpenItemList, error) {
	after, err := h.after(ctx)
	if err != nil {
		return nil, err
	}
	ends, err := h.reviewing.OpenItems(ctx, whoAsks(request(ctx)), r.Id, after)
	if err != nil {
		return nil, err
	}
	list := contract.OpenItemList{OpenItems: []contract.OpenItem{}}
	for _, e := range ends {
		list.OpenItems = append(
			list.OpenItems,
			contract.OpenItem{
				Sort:      contract.OpenItemSort(e.Sort),
				Criterion: e.Criterion,
				Subject:   e.Subject,
				Says:      e.Says,
			},
		)
	}
	return &list, nil
}

func (h *handlers) ShowBeside(ctx context.Context, r ShowBesideRequest) (*contract.Beside, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	who := whoAsks(request(ctx))
	b, err := h.reviewing.Beside(ctx, who, r.Id)
	if err != nil {
		return nil, err
	}
	earlier, err := h.reviewing.Unfollowed(ctx, who, r.Id)
	if err != nil {
		return nil, err
	}
	out := contract.Beside{
		Edition:  b.Edition,
		Review:   b.Review,
		Readings: b.Readings,
		Records:  b.Records,
		Findings: []contract.EarlierFinding{},
	}
	if b.Edition != "" {
		out.Name = editionName(st, b.Edition)
	}
	for _, f := range earlier {
		out.Findings = append(
			out.Findings,
			contract.EarlierFinding{Finding: f.Finding, Edition: f.Edition, Review: f.Review, FollowedBy: f.FollowedBy},
		)
	}
	return &out, nil
}

func (h *handlers) ListKnownIssues(ctx context.Context, _ ListKnownIssuesRequest) (*contract.KnownIssueList, error) {
	ts, err := h.reviewing.KnownIssues(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	list := contract.KnownIssueList{Issues: []contract.KnownIssueView{}}
	for i := range ts {
		v, err := h.knownIssueView(ctx, &ts[i])
		if err != nil {
			return nil, err
		}
		list.Issues = append(list.Issues, v)
	}
	return &list, nil
}

func (h *handlers) knownIssueView(ctx context.Context, t *reviewing.KnownIssue) (contract.KnownIssueView, error) {
	st, err := h.state(ctx)
	if err != nil {
		return contract.KnownIssueView{}, err
	}
	v := contract.KnownIssueView{Issue: t.KnownIssue, Cases: make([]struct {
		Edition string               `json:"edition"`
		Finding contract.Finding     `json:"finding"`
		Name    contract.EditionName `json:"name"`
		Review  string               `json:"review"`
	}, len(t.Cases))}
	for i, c := range t.Cases {
		x := &v.Cases[i]
		x.Edition, x.Finding, x.Name, x.Review = c.Edition, c.Finding, editionName(st, c.Edition), c.Review
	}
	return v, nil
}

func (h *handlers) showKnownIssue(ctx context.Context, key string) (contract.KnownIssueView, error) {
	t, err := h.reviewing.KnownIssue(ctx, whoAsks(request(ctx)), key)
	if err != nil {
		return contract.KnownIssueView{}, err
	}
	request(ctx).Set(keyRevision, t.Revision)
	return h.knownIssueView(ctx, &t)
}

func (h *handlers) ShowKnownIssue(ctx context.Context, r ShowKnownIssueRequest) (*contract.KnownIssueView, error) {
	v, err := h.showKnownIssue(ctx, r.Issue)
	return &v, err
}

func (h *handlers) AddKnownIssue(ctx context.Context, r AddKnownIssueRequest) (*contract.KnownIssueView, error) {
	n, err := h.reviewing.AddKnownIssue(ctx, whoAsks(request(ctx)), r.Body)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	v, err := h.showKnownIssue(ctx, r.Body.Key)
	return &v, err
}

func (h *handlers) EditKnownIssue(ctx context.Context, r EditKnownIssueRequest) (*contract.KnownIssueView, error) {
	if err := sameKey("key", r.Issue, r.Body.Key); err != nil {
		return nil, err
	}
	n, err := h.reviewing.EditKnownIssue(ctx, whoAsks(request(ctx)), version(r.Params.IfMatch), r.Body)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	v, err := h.showKnownIssue(ctx, r.Issue)
	return &v, err
}

func (h *handlers) ShowPolicy(ctx context.Context, _ ShowPolicyRequest) (*contract.Policy, error) {
	p, err := h.showPolicy(ctx)
	return &p, err
}

func (h *handlers) showPolicy(ctx context.Context) (contract.Policy, error) {
	p, ref, err := h.policy.Rules(ctx)
	request(ctx).Set(keyRevision, ref.Revision)
	if p.Components == nil {
		p.Components = []comparing.Component{}
	}
	return contract.Policy{
		Team:           p.Team,
		SecondReviewer: contract.PolicySecondReviewer(p.SecondReviewer),
		RetestDays:     p.RetestDays,
		Components:     &p.Components,
	}, err
}

func (h *handlers) SetPolicy(ctx context.Context, r SetPolicyRequest) (*contract.Policy, error) {
	rules := policy.Rules{Team: r.Body.Team, SecondReviewer: string(r.Body.SecondReviewer), RetestDays: r.Body.RetestDays}
	if r.Body.Components != nil {
		rules.Components = *r.Body.Components
	}
	n, err := h.policy.SetRules(ctx, whoAsks(request(ctx)), version(r.Params.IfMatch), rules)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	p, err := h.showPolicy(ctx)
	return &p, err
}

func (h *handlers) Rename(ctx context.Context, r RenameRequest) (*contract.KeyNow, error) {
	key, n, err := h.cataloguing.Rename(ctx, whoAsks(request(ctx)), string(r.Body.Sort), r.Body.Key, r.Body.To)
	if err != nil {
		return nil, err
	}
	if _, err := h.written(ctx, n); err != nil {
		return nil, err
	}
	return &contract.KeyNow{Key: key}, nil
}

func (h *handlers) Merge(ctx context.Context, r MergeRequest) (*contract.Merged, error) {
	moves, n, err := h.cataloguing.Merge(
		ctx, whoAsks(request(ctx)), string(r.Body.Sort), r.Body.Key, r.Body.Into, r.Body.Trial,
	)
	if err != nil {
		return nil, err
	}
	if _, err := h.written(ctx, n); err != nil {
		return nil, err
	}
	return &contract.Merged{Key: r.Body.Into, Moves: moves}, nil
}
