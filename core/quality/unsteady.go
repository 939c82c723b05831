package quality

import (
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// Unsteady returns the weighted measures of edition e with a reading that counts and whose runs scatter more than the
// criterion tolerates.
func Unsteady(t *scoring.Table, e int) []string {
	var found []string
	for i, c := range t.Criteria {
		if c.Measured() && c.Weight != 0 && scatters(t.Cell(e, i), c) {
			found = append(found, c.Key)
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
