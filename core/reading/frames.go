package reading

import (
	"errors"
	"fmt"
	"math"
	"slices"
)

// Frames is what a run's frame times come to, in frames a second.
type Frames struct {
	Average float64 `json:"average"` // 1000·n/Σt
	Lows    []Low   `json:"lows"`
}

// Low is the rate of the slowest frames, by two methods whose figures must never
// meet in one column.
type Low struct {
	Percent    float64 `json:"percent"`
	TailMean   float64 `json:"tailMean"`   // of the ⌈k·n/100⌉ longest: 1000/mean
	Percentile float64 `json:"percentile"` // 1000/(value at (n − 1)·(100 − k)/100 of the sorted times, linear between)
}

// lows are the shares of slowest frames that are told, in percent.
var lows = []float64{1, 0.1}

// SumFrames sums up frame times in milliseconds, all above 0. It sorts times.
func SumFrames(times []float64) (Frames, error) {
	if len(times) == 0 {
		return Frames{}, errors.New("there are no frame times")
	}
	var total float64
	for i, t := range times {
		if !(t > 0) || math.IsInf(t, 0) {
			return Frames{}, fmt.Errorf("frame time %d is %v ms; it must be above 0", i+1, t)
		}
		total += t
	}
	slices.Sort(times)
	n := len(times)
	f := Frames{Average: 1000 * float64(n) / total}
	for _, k := range lows {
		tail := times[n-int(math.Ceil(k*float64(n)/100-1e-9)):]
		var sum float64
		for _, t := range tail {
			sum += t
		}
		f.Lows = append(f.Lows, Low{
			Percent: k, TailMean: 1000 * float64(len(tail)) / sum,
			Percentile: 1000 / at(times, float64(n-1)*(100-k)/100),
		})
	}
	return f, nil
}

// at is the value at a position among sorted values, counted from 0 and linear
// between two.
func at(sorted []float64, position float64) float64 {
	low := int(position)
	if low+1 >= len(sorted) {
		return sorted[len(sorted)-1]
	}
	return sorted[low] + (position-float64(low))*(sorted[low+1]-sorted[low])
}
