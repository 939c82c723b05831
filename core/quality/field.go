package quality

import (
	"math"
	"slices"
	"sort"
)

// field holds the logarithms of the positive values of editions in one place, in ascending order, with one of them
// left out. Its methods take logarithmic time, so that each member can be compared with all the others.
type field struct {
	logs []float64
	out  int // the index of the one left out; len(logs): none
}

// add appends a value; sort must follow.
func (f *field) add(value float64) {
	if value > 0 {
		f.logs = append(f.logs, math.Log(value))
	}
}

func (f *field) sort() {
	slices.Sort(f.logs)
	f.out = len(f.logs)
}

// without leaves out one occurrence of a value; it ignores values that are not positive.
func (f field) without(value float64) field {
	if value > 0 {
		f.out, _ = slices.BinarySearch(f.logs, math.Log(value))
	}
	return f
}

func (f field) len() int {
	if f.out < len(f.logs) {
		return len(f.logs) - 1
	}
	return len(f.logs)
}

// at returns the i-th smallest.
func (f field) at(i int) float64 {
	if i >= f.out {
		i++
	}
	return f.logs[i]
}

// median of a field that is not empty.
func (f field) median() float64 { return middle(f.len(), f.at) }

// mad is the median absolute deviation from m, of a field that is not empty.
func (f field) mad(m float64) float64 {
	n := f.len()
	above := sort.Search(n, func(i int) bool { return f.at(i) >= m })
	// Two ascending sequences of deviations: of the values below m, and of the others.
	return middle(n, func(k int) float64 {
		// Among the k+1 smallest deviations, count those of values below m.
		below := sort.Search(min(k+1, above), func(i int) bool {
			other := above + k - i
			return other < n && m-f.at(above-1-i) >= f.at(other)-m
		})
		deviation := math.Inf(-1)
		if below > 0 {
			deviation = m - f.at(above-below)
		}
		if rest := k + 1 - below; rest > 0 {
			deviation = max(deviation, f.at(above+rest-1)-m)
		}
		return deviation
	})
}

// middle returns the middle one of n ascending values, or the mean of the two middle ones.
func middle(n int, at func(int) float64) float64 {
	if n%2 == 1 {
		return at(n / 2)
	}
	return (at(n/2-1) + at(n/2)) / 2
}
