package quality

import (
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// Unsteady names, for each edition of a table, the weighted measures with a reading
// that counts and whose runs scatter more than the criterion tolerates.
func Unsteady(t *scoring.Table) [][]string {
	found := make([][]string, len(t.Editions))
	for i, c := range t.Criteria {
		if !c.Measured() || c.Weight == 0 {
			continue
		}
		for e := range t.Editions {
			if scatters(&t.Cells[e][i], c) {
				found[e] = append(found[e], c.Key)
			}
		}
	}
	return found
}

func scatters(cell *scoring.Cell, c *checklist.Criterion) bool {
	for r := range cell.Rigs {
		for _, x := range cell.Rigs[r].Used() {
			if spread, ok := reading.Spread(reading.Adjusted(x)); ok && unsteady(spread, c) {
				return true
			}
		}
	}
	return false
}
