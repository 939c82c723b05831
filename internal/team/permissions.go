package team

import (
	"dappertally/internal/access"
	"dappertally/internal/reviewing"
)

// What not everybody may do here, and who may.
var (
	AskForReview = access.NewAction(
		"ask-for-reviews", "request a review", access.Reviewer, access.Lead, access.Administrator,
	)
	OrderQueue = access.NewAction("order-queue", "order the queue and decide on requests and suggestions", access.Lead)
)

// Permissions lists them.
var Permissions = []access.Action{AskForReview, OrderQueue}

// MayPlan lists what the actor may do with a comparison plan.
func MayPlan(a *access.Actor, p *PlanView) []string {
	return access.Allowed(
		access.Can("edit", a.May(reviewing.PlanReview)),
		access.Can("plan-reviews", a.May(reviewing.PlanReview)),
		access.Can("open-session", p.State == "open" && a.May(reviewing.Record)),
	)
}

// MayBench lists what the actor may do with a bench session.
func MayBench(a *access.Actor, b *Bench) []string {
	open := b.Closed.IsZero() && a.May(reviewing.Record)
	return access.Allowed(access.Can("record", open), access.Can("place", open), access.Can("close", open))
}
