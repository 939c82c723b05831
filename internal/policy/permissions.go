package policy

import "dappertally/internal/access"

// What not everybody may do here, and who may.
var (
	SetPolicy = access.NewAction("set-policy", "set the team's rules", access.Lead)
)

// Permissions lists them.
var Permissions = []access.Action{SetPolicy}
