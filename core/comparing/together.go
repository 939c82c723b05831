package comparing

import (
	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// Reduced is a checklist version reduced to what it and earlier versions of it all ask and score in the same way,
// with the keys of these criteria.
func Reduced(newer *checklist.Checklist, older []*checklist.Checklist) (ground checklist.Checklist, keys []string) {
	ground = *newer
	for _, version := range older {
		ground, keys = checklist.CommonGround(version, &ground)
	}
	return ground, keys
}

// Together returns the points of the editions with an accepted review on a checklist version or on one of the earlier
// ones, on the ground that Reduced returns for these. Each edition counts with its review on the newest of these
// versions. For two versions the scores are those of CommonGround. opts must not ask for common rigs.
func Together(
	in scoring.Input,
	ground *checklist.Checklist,
	newer *checklist.Checklist,
	older []*checklist.Checklist,
	opts scoring.Options,
) *scoring.Table {
	versions := append([]*checklist.Checklist{newer}, older...)
	return scoring.Join(tablesOn(in, ground, versions, opts)...)
}
