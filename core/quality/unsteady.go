package quality

import "dappertally/core/scoring"

// Unsteady returns the weighted measures of edition e with a reading that counts and whose runs scatter more than the
// criterion tolerates.
func Unsteady(t *scoring.Table, e int) []string {
	var found []string
	for i, c := range t.Criteria {
		if c.Measured() && c.Weight != 0 && t.Unsteady(e, i) {
			found = append(found, c.Key)
		}
	}
	return found
}
