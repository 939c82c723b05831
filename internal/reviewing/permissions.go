package reviewing

import (
	"slices"

	"dappertally/core/reading"
	"dappertally/internal/access"
)

// The restricted actions of this part, and the roles that allow them.
var (
	PlanReview = access.NewAction("plan-reviews", "plan a review", access.Reviewer, access.Lead)
	Record     = access.NewAction("record-readings", "record readings", access.Reviewer)
	KeepRecord = access.NewAction(
		"write-entries",
		"write findings, states, journal and other entries of a review",
		access.Reviewer,
		access.Lead,
	)
	EditOthers = access.NewAction("edit-others-entries", "change the entries of others in a review", access.Lead)
	Upload     = access.NewAction("upload-evidence", "upload evidence", access.Reviewer, access.Lead)
	Submit     = access.NewAction("submit-reviews", "submit a review", access.Reviewer, access.Lead)
	Accept     = access.NewAction("accept-reviews", "accept, reopen or withdraw a review", access.Lead)
)

// Permissions lists them.
var Permissions = []access.Action{PlanReview, Record, KeepRecord, EditOthers, Upload, Submit, Accept}

// MayReview lists what the actor is allowed to do with a review in its present state. The team's setting for a second
// pair of eyes can still refuse an acceptance, with the reason.
func MayReview(a *access.Actor, r *Review) []string {
	open := r.State != reading.Withdrawn
	out := access.Allowed(
		access.Can("record", open && a.May(Record)),
		access.Can("write-entries", open && a.May(KeepRecord)),
		access.Can("edit-others-entries", open && a.May(EditOthers)),
		access.Can("assign", open && a.May(PlanReview)),
		access.Can("revisit", a.May(PlanReview)),
	)
	var steps []string
	for step, m := range moves {
		if step.from == r.State && a.May(m.action) {
			steps = append(steps, m.act)
		}
	}
	slices.Sort(steps)
	return append(out, steps...)
}
