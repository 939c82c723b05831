package measuring

import (
	"math"
	"slices"

	"dappertally/core/reading"
)

// drifts is the highest p-value at which values count as drifting.
const drifts = 0.01

// fewestOfTrend is how many values a trend needs.
const fewestOfTrend = 8

// Trend returns 1 if values rise in the order in which they were taken, -1 if they fall, and 0 if neither is
// significant, by the test of Mann and Kendall with the normal approximation corrected for ties (Kendall, Rank
// Correlation Methods, 1975).
func Trend(values []float64) int {
	n := len(values)
	if n < fewestOfTrend {
		return 0
	}
	s := 0
	ties := map[float64]int{}
	for i, x := range values {
		ties[x]++
		for _, y := range values[i+1:] {
			switch {
			case y > x:
				s++
			case y < x:
				s--
			}
		}
	}
	variance := float64(n*(n-1)*(2*n+5)) / 18
	for _, t := range ties {
		variance -= float64(t*(t-1)*(2*t+5)) / 18
	}
	if variance <= 0 {
		return 0
	}
	z := (math.Abs(float64(s)) - 1) / math.Sqrt(variance)
	if z <= 0 || math.Erfc(z/math.Sqrt2) > drifts {
		return 0
	}
	if s > 0 {
		return 1
	}
	return -1
}

// apart is how many scaled median absolute deviations an outlier is from the median, at least.
const apart = 5

// Outliers returns the indexes of outliers: more than five scaled median absolute deviations from the median (Hampel,
// JASA 69, 1974). Fewer than six values have none.
func Outliers(values []float64) []int {
	if len(values) < Fewest {
		return nil
	}
	median := reading.Median(slices.Clone(values))
	off := make([]float64, len(values))
	for i, x := range values {
		off[i] = math.Abs(x - median)
	}
	spread := 1.4826 * reading.Median(slices.Clone(off))
	var out []int
	for i := range values {
		if off[i] > apart*spread+reading.Slack && spread > 0 {
			out = append(out, i)
		}
	}
	return out
}
