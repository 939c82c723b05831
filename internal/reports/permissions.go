package reports

import "dappertally/internal/access"

// The restricted actions of this part, and the roles that allow them.
var (
	WriteReports   = access.NewAction("write-reports", "write reports", access.Reviewer, access.Lead)
	PublishReports = access.NewAction("publish-reports", "publish and correct reports", access.Lead)
)

// Permissions lists them.
var Permissions = []access.Action{WriteReports, PublishReports}

// MayReport lists what the actor is allowed to do with a report.
func MayReport(a *access.Actor, r *Report) []string {
	drafted := r.Draft != nil
	return access.Allowed(
		access.Can("write", drafted && a.May(WriteReports)),
		access.Can("publish", drafted && a.May(PublishReports)),
		access.Can("drop-draft", drafted && a.May(PublishReports)),
		access.Can("correct", !drafted && len(r.Revisions) > 0 && a.May(PublishReports)),
	)
}
