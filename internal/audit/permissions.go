package audit

import "dappertally/internal/access"

// The restricted actions of this part, and the roles that allow them.
var (
	SeeTrail   = access.NewAction("see-audit", "see who did what", access.Administrator)
	SeeHistory = access.NewAction(
		"see-history", "see the history of a review or a report", access.Lead, access.Administrator)
)

// Permissions lists them.
var Permissions = []access.Action{SeeTrail, SeeHistory}
