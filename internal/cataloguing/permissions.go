package cataloguing

import "dappertally/internal/access"

// The restricted actions of this part, and the roles that allow them.
var (
	EditCatalogue = access.NewAction(
		"edit-catalogue", "change the catalogue and the rigs", access.Reviewer, access.Lead,
	)
	Rearrange = access.NewAction("rearrange-catalogue", "rename and merge entries of the catalogue", access.Lead)
)

// Permissions lists them.
var Permissions = []access.Action{EditCatalogue, Rearrange}
