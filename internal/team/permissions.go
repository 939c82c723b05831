package team

import (
	"dappertally/internal/access"
	"dappertally/internal/reviewing"
)

// The restricted actions of this part, and the roles that allow them.
var (
	AskForReview = access.NewAction(
		"ask-for-reviews", "request a review", access.Reviewer, access.Lead, access.Administrator,
	)
	OrderQueue = access.NewAction("order-queue", "order the queue and decide on requests and suggestions", access.Lead)
)

// Permissions lists them.
var Permissions = []access.Action{AskForReview, OrderQueue}

// MayPlan lists what the actor is allowed to do with a comparison plan.
func MayPlan(a *access.Actor, p *PlanView) []string {
	return access.Allowed(
		access.Can("edit", a.May(reviewing.PlanReview)),
		access.Can("plan-reviews", a.May(reviewing.PlanReview)),
		access.Can("open-session", p.State == "open" && a.May(reviewing.Record)),
	)
}

// MayBench lists what the actor is allowed to do with a bench session.
func MayBench(a *access.Actor, b *Bench) []string {
	open := b.Closed.IsZero() && a.May(reviewing.Record)
	return access.Allowed(access.Can("record", open), access.Can("place", open), access.Can("close", open))
}
