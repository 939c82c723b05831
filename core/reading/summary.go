package reading

import (
	"slices"

	"gonum.org/v1/gonum/stat"

	"dappertally/core/checklist"
)

// Value returns the summary of a measure's adjusted runs. Runs must not be empty.
func Value(r *Reading, c *checklist.Criterion) float64 { return Summary(Adjusted(r), c) }

// Summary summarizes adjusted runs as the criterion defines: median (the default), mean, or best by direction. It may
// sort runs, which must not be empty.
func Summary(runs []float64, c *checklist.Criterion) float64 {
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

// Adjusted returns the runs less the known offset, in the order in which they were made.
func Adjusted(r *Reading) []float64 {
	return AppendAdjusted(make([]float64, 0, len(r.Answer.Runs)), r)
}

// AppendAdjusted appends the adjusted runs to runs.
func AppendAdjusted(runs []float64, r *Reading) []float64 {
	offset := r.Offset()
	for _, x := range r.Answer.Runs {
		runs = append(runs, x-offset)
	}
	return runs
}

// Median returns the middle value, or the mean of the two middle ones. It sorts xs, which must not be empty.
func Median(xs []float64) float64 {
	slices.Sort(xs)
	n := len(xs)
	if n%2 == 1 {
		return xs[n/2]
	}
	return (xs[n/2-1] + xs[n/2]) / 2
}
