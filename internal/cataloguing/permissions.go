package cataloguing

import "dappertally/internal/access"

// What not everybody may do here, and who may.
var (
	EditCatalogue = access.NewAction(
		"edit-catalogue", "change the catalogue and the rigs", access.Reviewer, access.Lead,
	)
	Rearrange = access.NewAction("rearrange-catalogue", "rename and merge entries of the catalogue", access.Lead)
)

// Permissions lists them.
var Permissions = []access.Action{EditCatalogue, Rearrange}
