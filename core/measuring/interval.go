// Package measuring computes statistics for a bench: how precise the median of the runs is, when there are enough
// runs, whether they drift, and which are outliers.
package measuring

import (
	"math"
	"slices"

	"dappertally/core/reading"
)

// confidence is the confidence of an interval for a fixed number of values. Here sampling stops once the values are
// precise, which costs about one percent: the intervals cover 95 %.
const confidence = 0.965

// Fewest is how many values an interval of the median needs: the lowest and the highest of five values enclose the
// median in only 93.75 % of all cases.
const Fewest = 6

// Interval is the range in which the median lies.
type Interval struct {
	Low  float64 `json:"low"`
	High float64 `json:"high"`
}

// MedianInterval returns the 95 % confidence interval of the median, from order statistics with interpolation between
// them (Hettmansperger & Sheather, Statistics & Probability Letters 4, 1986). It assumes independent values, and
// nothing about their distribution. ok is false for fewer than six values.
func MedianInterval(values []float64) (i Interval, ok bool) {
	n := len(values)
	if n < Fewest {
		return i, false
	}
	sorted := slices.Sorted(slices.Values(values))
	// The interval begins between the dth value from either end and the next one.
	d, wide := 1, coverage(n, 1)
	narrow := coverage(n, 2)
	for narrow >= confidence {
		d, wide, narrow = d+1, narrow, coverage(n, d+2)
	}
	part := (wide - confidence) / (wide - narrow)
	lambda := float64(n-d) * part / (float64(d) + float64(n-2*d)*part)
	i.Low = (1-lambda)*sorted[d-1] + lambda*sorted[d]
	i.High = (1-lambda)*sorted[n-d] + lambda*sorted[n-d-1]
	return i, true
}

// coverage is the probability that the median lies between the dth lowest and the dth highest of n values: 1 - 2 P(X
// < d) of a binomial X with n draws of one half.
func coverage(n, d int) float64 {
	if 2*d > n {
		return 0
	}
	below := 0.0
	all, _ := math.Lgamma(float64(n + 1))
	for k := range d {
		a, _ := math.Lgamma(float64(k + 1))
		b, _ := math.Lgamma(float64(n - k + 1))
		below += math.Exp(all - a - b - float64(n)*math.Ln2)
	}
	return 1 - 2*below
}

// Precision returns half the width of the median's interval, relative to the median. ok is false if there is no
// interval or the median is 0.
func Precision(values []float64) (p float64, ok bool) {
	i, ok := MedianInterval(values)
	if !ok {
		return 0, false
	}
	m := reading.Median(slices.Clone(values))
	if m == 0 {
		return 0, false
	}
	return (i.High - i.Low) / 2 / math.Abs(m), true
}

// Wanted is how many runs a measure takes: at least Least, then until the median is known to Precision, at most Most.
type Wanted struct {
	Least, Most int
	Precision   float64 // relative; 0: Least runs are enough
}

// Enough reports whether there are enough values, and whether they are as precise as wanted.
func (w Wanted) Enough(values []float64) (enough, precise bool) {
	precise = w.Precision == 0
	if p, ok := Precision(values); ok {
		precise = precise || p <= w.Precision+reading.Slack
	}
	return len(values) >= w.Least && precise || len(values) >= w.Most, precise
}

// Left estimates how many more runs are needed, from the spread of the present ones: the interval narrows with the
// square root of their number.
func (w Wanted) Left(values []float64) int {
	n := len(values)
	if enough, _ := w.Enough(values); enough {
		return 0
	}
	all := w.Least
	if p, ok := Precision(values); ok && w.Precision > 0 && p > w.Precision {
		ratio := p / w.Precision
		all = max(all, int(min(float64(w.Most), math.Ceil(float64(n)*ratio*ratio))))
	} else if w.Precision > 0 {
		all = max(all, Fewest)
	}
	return max(1, min(all, w.Most)-n)
}
