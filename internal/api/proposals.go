package api

import (
	"context"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/ranking"
	"dappertally/internal/board"
	"dappertally/internal/service"
)

func (h *handlers) ListProposals(
	ctx context.Context,
	r ListProposalsRequestObject,
) (ListProposalsResponseObject, error) {
	all, err := h.Proposals(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	all = slices.DeleteFunc(
		all,
		func(p service.Proposal) bool { return r.Params.State != "" && p.State != string(r.Params.State) },
	)
	some, next, err := page(all, func(p service.Proposal) string { return p.ID }, r.Params.Limit, r.Params.Cursor)
	if err != nil {
		return nil, err
	}
	list := ProposalList{Proposals: []Proposal{}, Next: next}
	for i := range some {
		list.Proposals = append(list.Proposals, proposalView(&some[i]))
	}
	return ListProposals200JSONResponse(list), nil
}

func proposalView(p *service.Proposal) Proposal {
	out := Proposal{
		Id: p.ID, Checklist: p.Checklist, Person: p.Person, Title: p.Title, Reason: p.Reason, Edits: p.Edits, State: ProposalState(p.State),
		Created: p.Created, Decided: p.Decided, DecidedBy: p.DecidedBy, Decision: p.Decision, Comments: []Remark{},
	}
	for _, c := range p.Comments {
		out.Comments = append(out.Comments, Remark{Person: c.Person, At: c.At, Text: c.Text})
	}
	return out
}

// showProposal is a proposal as it stands, after a change where there was one.
func (h *handlers) showProposal(ctx context.Context, change int64, id string) (Proposal, error) {
	if change > 0 {
		if _, err := h.written(ctx, change); err != nil {
			return Proposal{}, err
		}
	}
	p, err := h.Proposal(ctx, whoAsks(request(ctx)), id)
	if err != nil {
		return Proposal{}, err
	}
	request(ctx).Set(keyRevision, p.Revision)
	return proposalView(&p), nil
}

func (h *handlers) AddProposal(ctx context.Context, r AddProposalRequestObject) (AddProposalResponseObject, error) {
	b := r.Body
	id, n, err := h.Propose(
		ctx,
		whoAsks(request(ctx)),
		service.Proposal{Checklist: b.Checklist, Title: b.Title, Reason: b.Reason, Edits: b.Edits},
	)
	if err != nil {
		return nil, err
	}
	p, err := h.showProposal(ctx, n, id)
	return AddProposal201JSONResponse(p), err
}

func (h *handlers) ShowProposal(ctx context.Context, r ShowProposalRequestObject) (ShowProposalResponseObject, error) {
	p, err := h.showProposal(ctx, 0, r.Id)
	return ShowProposal200JSONResponse(p), err
}

func (h *handlers) EditProposal(ctx context.Context, r EditProposalRequestObject) (EditProposalResponseObject, error) {
	b := r.Body
	n, err := h.Service.EditProposal(
		ctx,
		whoAsks(request(ctx)),
		r.Id,
		version(r.Params.IfMatch),
		service.Proposal{Title: b.Title, Reason: b.Reason, Edits: b.Edits},
	)
	if err != nil {
		return nil, err
	}
	p, err := h.showProposal(ctx, n, r.Id)
	return EditProposal200JSONResponse(p), err
}

func (h *handlers) DecideProposal(
	ctx context.Context,
	r DecideProposalRequestObject,
) (DecideProposalResponseObject, error) {
	n, err := h.Decide(ctx, whoAsks(request(ctx)), r.Id, version(r.Params.IfMatch), string(r.Body.State), r.Body.Reason)
	if err != nil {
		return nil, err
	}
	p, err := h.showProposal(ctx, n, r.Id)
	return DecideProposal200JSONResponse(p), err
}

func (h *handlers) CommentProposal(
	ctx context.Context,
	r CommentProposalRequestObject,
) (CommentProposalResponseObject, error) {
	n, err := h.Comment(ctx, whoAsks(request(ctx)), r.Id, r.Body.Text)
	if err != nil {
		return nil, err
	}
	p, err := h.showProposal(ctx, n, r.Id)
	return CommentProposal201JSONResponse(p), err
}

func (h *handlers) ProposalEffect(
	ctx context.Context,
	r ProposalEffectRequestObject,
) (ProposalEffectResponseObject, error) {
	who := whoAsks(request(ctx))
	base, proposed, err := h.Proposed(ctx, who, r.Id)
	if err != nil {
		return nil, err
	}
	view, err := h.effect(ctx, base.Name(), r.Params.Audience, base, proposed)
	return ProposalEffect200JSONResponse(view), err
}

func (h *handlers) ChecklistEffect(
	ctx context.Context,
	r ChecklistEffectRequestObject,
) (ChecklistEffectResponseObject, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	base, err := service.Shown(st, orKey(r.Params.Base, r.Body.Key))
	if err != nil {
		return nil, err
	}
	view, err := h.effect(ctx, base.Name(), r.Params.Audience, base, r.Body)
	return ChecklistEffect200JSONResponse(view), err
}

func orKey(name, key string) string {
	if name == "" {
		return key
	}
	return name
}

func (h *handlers) effect(
	ctx context.Context,
	name, audience string,
	base, proposed *checklist.Checklist,
) (EffectView, error) {
	e, err := h.Effect(ctx, whoAsks(request(ctx)), name, audience, proposed)
	if err != nil {
		return EffectView{}, err
	}
	st, err := h.state(ctx)
	if err != nil {
		return EffectView{}, err
	}
	return EffectView{
		Base: name, Audience: audience, TauB: e.TauB, Moves: e.Moves, NotTested: e.NotTested, Difference: checklist.Differ(base, proposed),
		Names: names(st, e.Moves, func(m ranking.Move) string { return m.Edition }),
	}, nil
}

// names gives the names of the editions that items are about.
func names[T any](st *board.State, items []T, edition func(T) string) map[string]EditionName {
	all := map[string]EditionName{}
	for _, x := range items {
		all[edition(x)] = editionName(st, edition(x))
	}
	return all
}
