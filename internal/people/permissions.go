package people

import "dappertally/internal/access"

// What not everybody may do here, and who may.
var (
	ManagePeople = access.NewAction("manage-people", "manage accounts", access.Administrator)
)

// Permissions lists them.
var Permissions = []access.Action{ManagePeople}
