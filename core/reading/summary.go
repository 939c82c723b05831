package reading

import (
	"slices"

	"gonum.org/v1/gonum/stat"

	"dappertally/core/checklist"
)

// Value sums up the adjusted runs of a measure as its criterion says: median
// (the default), mean, or best by direction. Runs must not be empty.
func Value(r *Reading, c *checklist.Criterion) float64 {
	runs := Adjusted(r)
	switch c.Runs.Summary {
	case "mean":
		return stat.Mean(runs, nil)
	case "best":
		if c.LowerIsBetter() {
			return slices.Min(runs)
		}
		return slices.Max(runs)
	}
	return Median(runs)
}

// Adjusted is the runs with the known offset taken off, in the order made.
func Adjusted(r *Reading) []float64 {
	offset := r.Offset()
	runs := make([]float64, len(r.Answer.Runs))
	for i, x := range r.Answer.Runs {
		runs[i] = x - offset
	}
	return runs
}

// Median is the middle value, or the mean of the two middle ones. It sorts xs,
// which must not be empty.
func Median(xs []float64) float64 {
	slices.Sort(xs)
	n := len(xs)
	if n%2 == 1 {
		return xs[n/2]
	}
	return (xs[n/2-1] + xs[n/2]) / 2
}
