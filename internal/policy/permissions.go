package policy

import "dappertally/internal/access"

// The restricted actions of this part, and the roles that allow them.
var (
	SetPolicy = access.NewAction("set-policy", "change the settings", access.Lead)
)

// Permissions lists them.
var Permissions = []access.Action{SetPolicy}
