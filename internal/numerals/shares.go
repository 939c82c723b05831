package numerals

import (
	"cmp"
	"math"
	"slices"
)

// Shares formats shares of 1 in percent so that the shown numbers sum to 100: as whole numbers if all of them are
// whole, otherwise with one decimal, distributing the rounding by largest remainders. Shares that do not sum to 1 are
// rounded one by one.
func Shares(shares []float64) []string {
	decimals, unit := 0, 1.0
	for _, s := range shares {
		if math.Abs(100*s-math.Round(100*s)) > 1e-9 {
			decimals, unit = 1, 10
		}
	}
	var sum float64
	parts := make([]float64, len(shares)) // in units of the last decimal, rounded down
	order := make([]int, len(shares))
	left := 100 * unit
	for i, s := range shares {
		sum += s
		parts[i] = math.Floor(100*unit*s + 1e-9)
		left -= parts[i]
		order[i] = i
	}
	if math.Abs(sum-1) > 1e-9 {
		for i, s := range shares {
			parts[i] = math.Round(100 * unit * s)
		}
		left = 0
	}
	slices.SortStableFunc(order, func(a, b int) int {
		return cmp.Compare(100*unit*shares[b]-parts[b], 100*unit*shares[a]-parts[a])
	})
	for i := range int(math.Round(left)) {
		parts[order[i%len(order)]]++
	}
	texts := make([]string, len(shares))
	for i, p := range parts {
		texts[i] = Rounded(p/unit, decimals) + " %"
	}
	return texts
}
