package numerals

import (
	"fmt"

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
	switch x.Shared {
	case 0:
		text += " by way of other rigs"
	case 1:
		text += " from 1 edition measured on both"
	default:
		text += fmt.Sprintf(" from %d editions measured on both", x.Shared)
	}
	if x.Weight == 0 {
		text += " (weight 0)"
	}
	return text
}
