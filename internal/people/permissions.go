package people

import "dappertally/internal/access"

// The restricted actions of this part, and the roles that allow them.
var (
	ManagePeople = access.NewAction("manage-people", "manage accounts", access.Administrator)
)

// Permissions lists them.
var Permissions = []access.Action{ManagePeople}
