package checklists

import (
	"context"
	"errors"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/scoring"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Proposal is a suggested change to a checklist, with its comments.
type Proposal = store.Proposal

// The states of a proposal.
const (
	ProposalOpen      = "open"
	ProposalAccepted  = "accepted"
	ProposalDeclined  = "declined"
	ProposalWithdrawn = "withdrawn"
)

// Proposals lists all proposals, newest first. Only the team can see them.
func (s *Service) Proposals(ctx context.Context, who *access.Actor) ([]Proposal, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return nil, err
	}
	ps, err := s.ledger.Store.Proposals(ctx)
	if err != nil {
		return nil, ledger.Failed(err, "reading proposals")
	}
	return ps, nil
}

// Proposal returns one proposal.
func (s *Service) Proposal(ctx context.Context, who *access.Actor, id string) (Proposal, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return Proposal{}, err
	}
	p, err := s.ledger.Store.Proposal(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		return p, problem.New(problem.NotFound, "there is no proposal %s", id)
	}
	if err != nil {
		return p, ledger.Failed(err, "reading a proposal")
	}
	return p, nil
}

// Propose suggests edits to the checklist in force; by default the newest one.
func (s *Service) Propose(ctx context.Context, who *access.Actor, p Proposal) (id string, change int64, err error) {
	if err := who.Permit(Propose); err != nil {
		return "", 0, err
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return "", 0, err
	}
	list, err := scoring.Newest(state.Checklists.Lists, p.Checklist)
	if err != nil {
		return "", 0, problem.New(problem.NotFound, "%s", err)
	}
	if list.State != checklist.InForce {
		return "", 0, problem.New(
			problem.Conflict, "%s is %s; a proposal is about a checklist in force", list.Name(), list.State,
		)
	}
	if err := validateProposal(list, &p); err != nil {
		return "", 0, err
	}
	p.ID = store.NewID()
	change, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.AddProposal(&p, state.Checklists.Versions[list.Name()].ID); err != nil {
			return err
		}
		return tx.Log("proposed", store.SortProposal, p.ID, p.Title)
	})
	return p.ID, change, err
}

func validateProposal(list *checklist.Checklist, p *Proposal) error {
	var book fault.Book
	if strings.TrimSpace(p.Title) == "" {
		book.Field("title", "describe in a few words what changes")
	}
	if strings.TrimSpace(p.Reason) == "" {
		book.Field("reason", "give a reason for the others to decide on")
	}
	next := checklist.Apply(list, p.Edits, &book)
	if len(book.List()) == 0 && ledger.SameJSON(list, next) {
		book.Field("edits", "the edits change nothing")
	}
	return problem.From("the proposal", book.List())
}

// open finds a proposal that the caller can still change or decide, and its checklist.
func (s *Service) open(
	ctx context.Context,
	who *access.Actor,
	id string,
	v ledger.Version,
	may func(*Proposal) error,
) (Proposal, *ledger.Records, *checklist.Checklist, error) {
	p, err := s.Proposal(ctx, who, id)
	if err == nil {
		err = may(&p)
	}
	if err != nil {
		return p, nil, nil, err
	}
	if _, err := ledger.Based(map[string]store.Ref{id: p.Ref}, id, v); err != nil {
		return p, nil, nil, err
	}
	if p.State != ProposalOpen {
		return p, nil, nil, problem.New(problem.Conflict, "the proposal is already %s", p.State)
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return p, nil, nil, err
	}
	list, err := answers.Version(state, p.Checklist)
	return p, state, list, err
}

// EditProposal changes an open proposal; only its author can.
func (s *Service) EditProposal(
	ctx context.Context,
	who *access.Actor,
	id string,
	v ledger.Version,
	changed Proposal,
) (int64, error) {
	p, _, list, err := s.open(ctx, who, id, v, func(p *Proposal) error {
		if p.Person == who.Name {
			return nil
		}
		return problem.New(
			problem.Forbidden,
			"only %s, who made this proposal, can change it; add a comment instead",
			p.Person,
		)
	})
	if err != nil {
		return 0, err
	}
	if err := validateProposal(list, &changed); err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.EditProposal(p.Ref, &changed); err != nil {
			return err
		}
		return tx.Log("edited", store.SortProposal, id, changed.Title)
	})
}

// Comment adds a comment to a proposal, decided or not.
func (s *Service) Comment(ctx context.Context, who *access.Actor, id, text string) (int64, error) {
	if err := who.Permit(Propose); err != nil {
		return 0, err
	}
	if strings.TrimSpace(text) == "" {
		return 0, problem.Field("/text", "the comment is empty")
	}
	if _, err := s.Proposal(ctx, who, id); err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.Comment(id, text); err != nil {
			return err
		}
		return tx.Log("commented", store.SortProposal, id, "")
	})
}

// Decide closes an open proposal: a lead accepts it into the draft of the next version, which is created if there is
// none, or declines it with a reason; its author can withdraw it.
func (s *Service) Decide(
	ctx context.Context,
	who *access.Actor,
	id string,
	v ledger.Version,
	to, decision string,
) (int64, error) {
	p, state, list, err := s.open(ctx, who, id, v, func(p *Proposal) error {
		switch to {
		case ProposalWithdrawn:
			if p.Person == who.Name {
				return nil
			}
			return problem.New(
				problem.Forbidden, "only %s, who made this proposal, can withdraw it; a lead can decline it", p.Person,
			)
		case ProposalAccepted, ProposalDeclined:
			return who.Permit(EditChecklist)
		}
		return problem.Field("/state", "must be accepted, declined or withdrawn, not %q", to)
	})
	if err != nil {
		return 0, err
	}
	if to == ProposalDeclined && strings.TrimSpace(decision) == "" {
		return 0, problem.Field("/reason", "give a reason for declining it")
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if to == ProposalAccepted {
			if err := intoDraft(tx, state, list, p.Edits); err != nil {
				return err
			}
		}
		if err := tx.DecideProposal(p.Ref, to, decision); err != nil {
			return err
		}
		return tx.Log(to, store.SortProposal, id, decision)
	})
}

// intoDraft applies edits that were made for base to the draft of its next version.
func intoDraft(tx *store.Tx, state *ledger.Records, base *checklist.Checklist, edits []checklist.Edit) error {
	newest := base
	for i := range state.Checklists.Lists {
		if x := &state.Checklists.Lists[i]; x.Key == base.Key && x.Version > newest.Version {
			newest = x
		}
	}
	if touched := checklist.Overlap(base, newest, edits); len(touched) > 0 {
		return problem.New(
			problem.Conflict,
			"%s has changed %s since %s; make the change there by hand and decline the proposal, or ask "+
				"for a new one",
			newest.Name(),
			strings.Join(touched, ", "),
			base.Name(),
		)
	}
	var book fault.Book
	next := checklist.Apply(newest, edits, &book)
	if err := problem.From("the draft", book.List()); err != nil {
		return err
	}
	if newest.State == checklist.Draft {
		if err := tx.EditDraft(state.Checklists.Versions[newest.Name()], next); err != nil {
			return err
		}
		return tx.Log("edited", store.SortChecklist, next.Name(), "by a proposal")
	}
	next.Version, next.State = newest.Version+1, checklist.Draft
	if err := tx.AddChecklist(ledger.NewID(), next, tx.Now()); err != nil {
		return ledger.Exists(err, "somebody else just started the draft %s; try again", next.Name())
	}
	return tx.Log("added", store.SortChecklist, next.Name(), "by a proposal")
}

// Proposed returns the checklist with a proposal's edits applied.
func (s *Service) Proposed(
	ctx context.Context,
	who *access.Actor,
	id string,
) (base, proposed *checklist.Checklist, err error) {
	p, err := s.Proposal(ctx, who, id)
	if err != nil {
		return nil, nil, err
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return nil, nil, err
	}
	if base, err = answers.Version(state, p.Checklist); err != nil {
		return nil, nil, err
	}
	var book fault.Book
	proposed = checklist.Apply(base, p.Edits, &book)
	return base, proposed, problem.From("the proposal", book.List())
}

// Comments returns the comments of a proposal, the oldest first. The caller checks who can see the proposal.
func (s *Service) Comments(ctx context.Context, proposal string) ([]store.Comment, error) {
	p, err := s.ledger.Store.Proposal(ctx, proposal)
	if err != nil {
		return nil, ledger.Failed(err, "reading a proposal")
	}
	return p.Comments, nil
}
