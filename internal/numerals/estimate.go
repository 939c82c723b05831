package numerals

import (
	"dappertally/core/scoring"
)

// Estimated describes what was estimated on a rig and from how many editions, such as "estimated 8.40 s on bench-new
// from 14 editions measured on both".
func Estimated(x scoring.Estimate, unit string) string {
	text := "estimated " + Value(&x.Value)
	if unit != "" {
		text += " " + unit
	}
	text += " on " + x.Rig
	if x.Shared == 0 {
		text += " by way of other rigs"
	} else {
		text += " from " + Count(x.Shared, "edition") + " measured on both"
	}
	if x.Weight == 0 {
		text += " (weight 0)"
	}
	return text
}
