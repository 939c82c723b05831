package intake

import "dappertally/internal/access"

// The restricted actions of this part, and the roles that allow them.
var (
	ImportReadings = access.NewAction(
		"import-readings", "import readings and save mappings", access.Reviewer, access.Lead,
	)
	ImportBundle = access.NewAction("import-bundles", "import a bundle", access.Lead)
	KeepArchive  = access.NewAction("keep-archive", "export or import the archive", access.Lead)
)

// Permissions lists them.
var Permissions = []access.Action{ImportReadings, ImportBundle, KeepArchive}
