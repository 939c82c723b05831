package reading

import (
	"math"
	"slices"
)

// Slack is the absolute difference below which computed numbers are equal.
const Slack = 1e-9

// fromMAD turns the median absolute deviation of normal values into their
// standard deviation; perMAD is its inverse as the modified z-score has it
// (Iglewicz & Hoaglin, How to Detect and Handle Outliers, 1993).
const (
	fromMAD    = 1.4826
	perMAD     = 0.6745
	outlyingAt = 3.5
	manyRuns   = 5 // from this number of runs on, the spread uses the median absolute deviation
)

// Spread is how far adjusted runs scatter, relative to their median: for 2 to 4 runs half their range, for 5 or more
// 1.4826 times the median absolute deviation. A single run, or a median of 0, has none.
func Spread(runs []float64) (spread float64, ok bool) {
	m := Median(slices.Clone(runs))
	switch {
	case len(runs) < 2 || math.Abs(m) <= Slack:
		return 0, false
	case len(runs) < manyRuns:
		return (slices.Max(runs) - slices.Min(runs)) / (2 * math.Abs(m)), true
	}
	return fromMAD * MAD(runs, m) / math.Abs(m), true
}

// Outlying returns the indexes, from 0, of the runs of five or more that are outside the tolerance of their median
// and, if the runs scatter at all, have a modified z-score above 3.5.
func Outlying(runs []float64, tolerance float64) []int {
	out := []int{}
	if len(runs) < manyRuns {
		return out
	}
	m := Median(slices.Clone(runs))
	for i, x := range runs {
		if math.Abs(x-m) > tolerance*math.Abs(m)+Slack && FarOut(x, m, MAD(runs, m), true) {
			out = append(out, i)
		}
	}
	return out
}

// FarOut reports whether x has a modified z-score above 3.5 among values with that median and median absolute
// deviation. If the deviation is 0, it returns the given default.
func FarOut(x, median, mad float64, without bool) bool {
	if mad <= Slack {
		return without
	}
	return perMAD*math.Abs(x-median)/mad > outlyingAt+Slack
}

// MAD is the median absolute deviation from the median m.
func MAD(xs []float64, m float64) float64 {
	deviations := make([]float64, len(xs))
	for i, x := range xs {
		deviations[i] = math.Abs(x - m)
	}
	return Median(deviations)
}
