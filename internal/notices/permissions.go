package notices

import "dappertally/internal/access"

// The restricted actions of this part, and the roles that allow them.
var (
	ManageHooks = access.NewAction("manage-hooks", "manage web hooks", access.Lead, access.Administrator)
)

// Permissions lists them.
var Permissions = []access.Action{ManageHooks}
