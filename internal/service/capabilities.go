package service

import (
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// Capabilities lists what the actor may do, in the order of the permissions.
func (a *Actor) Capabilities() []Action {
	all := []Action{}
	for i := range permissions {
		if a.May(permissions[i].action) {
			all = append(all, permissions[i].action)
		}
	}
	return all
}

// CapabilitiesOf lists what an account may do.
func CapabilitiesOf(a *Account) []Action {
	return (&Actor{ID: a.Name, Roles: a.Roles}).Capabilities()
}

// acts is what somebody may do with a thing, each with whether they may.
type acts []struct {
	act string
	may bool
}

func (a acts) allowed() []string {
	out := []string{}
	for _, x := range a {
		if x.may {
			out = append(out, x.act)
		}
	}
	return out
}

// MayReview lists what the actor may do with a review as it stands. The team's rule on a
// second pair of eyes may refuse an acceptance all the same, and says why.
func (a *Actor) MayReview(r *ReviewRecord) []string {
	open := r.State != reading.Withdrawn
	out := acts{
		{"record", open && a.May(Record)},
		{"write-entries", open && a.May(KeepRecord)},
		{"edit-others-entries", open && a.May(EditOthers)},
		{"assign", open && a.May(PlanReview)},
		{"revisit", a.May(PlanReview)},
	}.allowed()
	var steps []string
	for step, m := range moves {
		if step.from == r.State && a.May(m.action) {
			steps = append(steps, m.act)
		}
	}
	slices.Sort(steps)
	return append(out, steps...)
}

// MayProposal lists what the actor may do with a proposal.
func (a *Actor) MayProposal(p *Proposal) []string {
	open, own := p.State == ProposalOpen, a.SignedIn() && p.Person == a.Name
	return acts{
		{"edit", open && own},
		{"withdraw", open && own},
		{"accept", open && a.May(EditChecklist)},
		{"decline", open && a.May(EditChecklist)},
		{"comment", a.May(Propose)},
	}.allowed()
}

// MayChecklist lists what the actor may do with a checklist version.
func (a *Actor) MayChecklist(c *checklist.Checklist) []string {
	draft, edits := c.State == checklist.Draft, a.May(EditChecklist)
	return acts{
		{"edit", draft && edits},
		{"put-in-force", draft && edits},
		{"remove", draft && edits},
		{"retire", c.State == checklist.InForce && edits},
		{"show", !draft && edits},
		{"revise-audiences", !draft && edits},
		{"propose", c.State == checklist.InForce && a.May(Propose)},
	}.allowed()
}

// MayReport lists what the actor may do with a report.
func (a *Actor) MayReport(r *Report) []string {
	drafted := r.Draft != nil
	return acts{
		{"write", drafted && a.May(WriteReports)},
		{"publish", drafted && a.May(PublishReports)},
		{"drop-draft", drafted && a.May(PublishReports)},
		{"correct", !drafted && len(r.Revisions) > 0 && a.May(PublishReports)},
	}.allowed()
}

// MayPlan lists what the actor may do with a comparison plan.
func (a *Actor) MayPlan(p *PlanView) []string {
	return acts{
		{"edit", a.May(PlanReview)},
		{"plan-reviews", a.May(PlanReview)},
		{"open-session", p.State == "open" && a.May(Record)},
	}.allowed()
}

// MayBench lists what the actor may do with a bench session.
func (a *Actor) MayBench(b *Bench) []string {
	open := b.Closed.IsZero() && a.May(Record)
	return acts{{"record", open}, {"place", open}, {"close", open}}.allowed()
}
