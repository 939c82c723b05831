package api

import (
	"context"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/ranking"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/checklists"
	"dappertally/internal/contract"
	"dappertally/internal/ledger"
)

func (h *handlers) ListProposals(ctx context.Context, r ListProposalsRequest) (*contract.ProposalList, error) {
	all, err := h.checklists.Proposals(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	all = slices.DeleteFunc(
		all, func(p checklists.Proposal) bool { return r.Params.State != "" && p.State != string(r.Params.State) },
	)
	some, next, err := page(all, func(p checklists.Proposal) string { return p.ID }, r.Params.Limit, r.Params.Cursor)
	if err != nil {
		return nil, err
	}
	list := contract.ProposalList{Proposals: []contract.Proposal{}, Next: next}
	for i := range some {
		list.Proposals = append(list.Proposals, proposalView(&some[i], whoAsks(request(ctx))))
	}
	return &list, nil
}

func proposalView(p *checklists.Proposal, who *access.Actor) contract.Proposal {
	out := contract.Proposal{
		Id: p.ID, May: checklists.MayProposal(who, p), Checklist: p.Checklist, Person: p.Person, Title: p.Title, Reason: p.Reason, Edits: p.Edits, State: contract.ProposalState(p.State),
		Created: p.Created, Decided: p.Decided, DecidedBy: p.DecidedBy, Decision: p.Decision, Comments: []contract.Remark{},
	}
	for _, c := range p.Comments {
		out.Comments = append(out.Comments, contract.Remark{Person: c.Person, At: c.At, Text: c.Text})
	}
	return out
}

// showProposal returns a proposal, after a change if there was one.
func (h *handlers) showProposal(ctx context.Context, change int64, id string) (contract.Proposal, error) {
	if change > 0 {
		if _, err := h.written(ctx, change); err != nil {
			return contract.Proposal{}, err
		}
	}
	p, err := h.checklists.Proposal(ctx, whoAsks(request(ctx)), id)
	if err != nil {
		return contract.Proposal{}, err
	}
	request(ctx).Set(keyRevision, p.Revision)
	return proposalView(&p, whoAsks(request(ctx))), nil
}

func (h *handlers) AddProposal(ctx context.Context, r AddProposalRequest) (*contract.Proposal, error) {
	b := r.Body
	id, n, err := h.checklists.Propose(
		ctx,
		whoAsks(request(ctx)),
		checklists.Proposal{Checklist: b.Checklist, Title: b.Title, Reason: b.Reason, Edits: b.Edits},
	)
	if err != nil {
		return nil, err
	}
	p, err := h.showProposal(ctx, n, id)
	return &p, err
}

func (h *handlers) ShowProposal(ctx context.Context, r ShowProposalRequest) (*contract.Proposal, error) {
	p, err := h.showProposal(ctx, 0, r.Id)
	return &p, err
}

func (h *handlers) EditProposal(ctx context.Context, r EditProposalRequest) (*contract.Proposal, error) {
	b := r.Body
	n, err := h.checklists.EditProposal(
		ctx,
		whoAsks(request(ctx)),
		r.Id,
		version(r.Params.IfMatch),
		checklists.Proposal{Title: b.Title, Reason: b.Reason, Edits: b.Edits},
	)
	if err != nil {
		return nil, err
	}
	p, err := h.showProposal(ctx, n, r.Id)
	return &p, err
}

func (h *handlers) DecideProposal(ctx context.Context, r DecideProposalRequest) (*contract.Proposal, error) {
	n, err := h.checklists.Decide(
		ctx, whoAsks(request(ctx)), r.Id, version(r.Params.IfMatch), string(r.Body.State), r.Body.Reason,
	)
	if err != nil {
		return nil, err
	}
	p, err := h.showProposal(ctx, n, r.Id)
	return &p, err
}

func (h *handlers) CommentProposal(ctx context.Context, r CommentProposalRequest) (*contract.Proposal, error) {
	n, err := h.checklists.Comment(ctx, whoAsks(request(ctx)), r.Id, r.Body.Text)
	if err != nil {
		return nil, err
	}
	p, err := h.showProposal(ctx, n, r.Id)
	return &p, err
}

func (h *handlers) ProposalEffect(ctx context.Context, r ProposalEffectRequest) (*contract.EffectView, error) {
	who := whoAsks(request(ctx))
	base, proposed, err := h.checklists.Proposed(ctx, who, r.Id)
	if err != nil {
		return nil, err
	}
	view, err := h.effect(ctx, base.Name(), r.Params.Audience, base, proposed)
	return &view, err
}

func (h *handlers) ChecklistEffect(ctx context.Context, r ChecklistEffectRequest) (*contract.EffectView, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	base, err := answers.Shown(st, orKey(r.Params.Base, r.Body.Key))
	if err != nil {
		return nil, err
	}
	view, err := h.effect(ctx, base.Name(), r.Params.Audience, base, r.Body)
	return &view, err
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
) (contract.EffectView, error) {
	e, err := h.checklists.Effect(ctx, whoAsks(request(ctx)), name, audience, proposed)
	if err != nil {
		return contract.EffectView{}, err
	}
	st, err := h.state(ctx)
	if err != nil {
		return contract.EffectView{}, err
	}
	return contract.EffectView{
		Base: name, Audience: audience, TauB: e.TauB, Moves: e.Moves, NotTested: e.NotTested, Difference: checklist.Differ(base, proposed),
		Names: names(st, e.Moves, func(m ranking.Move) string { return m.Edition }),
	}, nil
}

// names returns the names of the editions of items.
func names[T any](st *ledger.Records, items []T, edition func(T) string) map[string]contract.EditionName {
	all := map[string]contract.EditionName{}
	for _, x := range items {
		all[edition(x)] = editionName(st, edition(x))
	}
	return all
}
