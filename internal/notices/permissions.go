package notices

import "dappertally/internal/access"

// What not everybody may do here, and who may.
var (
	ManageHooks = access.NewAction("manage-hooks", "manage web hooks", access.Lead, access.Administrator)
)

// Permissions lists them.
var Permissions = []access.Action{ManageHooks}
