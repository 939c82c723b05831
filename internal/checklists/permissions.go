package checklists

import (
	"dappertally/core/checklist"
	"dappertally/internal/access"
)

// The restricted actions of this part, and the roles that allow them.
var (
	EditChecklist = access.NewAction("edit-checklist", "change the checklist", access.Lead)
	Propose       = access.NewAction(
		"propose-changes", "propose a change to the checklist", access.Reviewer, access.Lead,
	)
	TryChecklist = access.NewAction(
		"try-checklist", "check a checklist and see its effect", access.Reviewer, access.Lead, access.Administrator,
	)
)

// Permissions lists them.
var Permissions = []access.Action{EditChecklist, Propose, TryChecklist}

// MayProposal lists what the actor is allowed to do with a proposal.
func MayProposal(a *access.Actor, p *Proposal) []string {
	open, own := p.State == ProposalOpen, a.SignedIn() && p.Person == a.Name
	return access.Allowed(
		access.Can("edit", open && own),
		access.Can("withdraw", open && own),
		access.Can("accept", open && a.May(EditChecklist)),
		access.Can("decline", open && a.May(EditChecklist)),
		access.Can("comment", a.May(Propose)),
	)
}

// MayChecklist lists what the actor is allowed to do with a checklist version.
func MayChecklist(a *access.Actor, c *checklist.Checklist) []string {
	draft, edits := c.State == checklist.Draft, a.May(EditChecklist)
	return access.Allowed(
		access.Can("edit", draft && edits),
		access.Can("put-in-force", draft && edits),
		access.Can("remove", draft && edits),
		access.Can("retire", c.State == checklist.InForce && edits),
		access.Can("show", !draft && edits),
		access.Can("revise-audiences", !draft && edits),
		access.Can("propose", c.State == checklist.InForce && a.May(Propose)),
	)
}
