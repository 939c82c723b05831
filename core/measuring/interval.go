// Package measuring is what a bench computes of the runs that it makes: how precise their median is, when enough have been
// made, whether they drift, and which of them stand apart.
package measuring

import (
	"math"
	"slices"

	"dappertally/core/reading"
)

// confidence is that of an interval of a number of values that was fixed before. Intervals are meant for values of
// which no more were taken once they were precise, which costs about one in a hundred: these cover 95 %.
const confidence = 0.965

// Fewest is how many values an interval of the median needs: of five, the lowest and the highest enclose the median in
// 93.75 % of all cases only.
const Fewest = 6

// Interval is between which values the median of what was sampled lies.
type Interval struct {
	Low  float64 `json:"low"`
	High float64 `json:"high"`
}

// MedianInterval is the 95 % confidence interval of the median, from order statistics and interpolated between them
// (Hettmansperger & Sheather, Statistics & Probability Letters 4, 1986). It assumes independent values and nothing else
// of how they are spread. ok is false for fewer than six values.
func MedianInterval(values []float64) (i Interval, ok bool) {
	n := len(values)
	if n < Fewest {
		return i, false
	}
	sorted := slices.Sorted(slices.Values(values))
	// The interval begins between the dth and the next value from either end.
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

// coverage is how often the median lies between the dth lowest and the dth highest of n values: 1 - 2 P(X < d) of a
// binomial X with n draws of one half.
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

// Precision is half the width of the median's interval, relative to the median. ok is false where there is no interval,
// or the median is 0.
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

// Wanted is how many runs a measure takes: Least in any case, then until the median is known to Precision, at Most.
type Wanted struct {
	Least, Most int
	Precision   float64 // relative; 0: Least is all
}

// Enough reports whether values are all that is wanted, and whether they are as precise as wanted.
func (w Wanted) Enough(values []float64) (enough, precise bool) {
	precise = w.Precision == 0
	if p, ok := Precision(values); ok {
		precise = precise || p <= w.Precision+reading.Slack
	}
	return len(values) >= w.Least && precise || len(values) >= w.Most, precise
}

// Left is about how many runs are still to be made, from the spread of those that there are: the interval narrows with
// the root of their number.
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
