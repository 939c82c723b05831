package policy

import "dappertally/internal/access"

// What not everybody may do here, and who may.
var (
	SetPolicy = access.NewAction("set-policy", "change the settings", access.Lead)
)

// Permissions lists them.
var Permissions = []access.Action{SetPolicy}
