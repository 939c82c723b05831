package reading

import (
	"errors"
	"fmt"
	"iter"
	"math"
)

// Frames is the summary of a run's frame times, in frames per second.
type Frames struct {
	Average  float64 `json:"average"` // 1000·n/Σt
	Lows     []Low   `json:"lows"`
	Count    int     `json:"frames"`
	Duration float64 `json:"duration"` // Σt, in seconds
	Longest  float64 `json:"longest"`  // in ms
	Median   float64 `json:"median"`   // in ms
}

// Low is the rate of the slowest frames, by two methods whose figures must not be mixed in one column.
type Low struct {
	Percent    float64 `json:"percent"`
	TailMean   float64 `json:"tailMean"`   // of the ⌈k·n/100⌉ longest: 1000/mean
	Percentile float64 `json:"percentile"` // 1000/(value at (n − 1)·(100 − k)/100 of the sorted times, linear between)
}

// Statistic returns the figure of that name, one of checklist.FrameStatistics; NaN if there is none.
func (f *Frames) Statistic(name string) float64 {
	if name == "average" {
		return f.Average
	}
	for _, l := range f.Lows {
		switch name {
		case fmt.Sprintf("low-%g-tail", l.Percent):
			return l.TailMean
		case fmt.Sprintf("low-%g-percentile", l.Percent):
			return l.Percentile
		}
	}
	return math.NaN()
}

// lows are the shares of slowest frames that are reported, in percent.
var lows = []float64{1, 0.1}

// SumFrames summarizes frame times in milliseconds, all above 0. It iterates over times several times and stores none
// of them, so that a log can have any length.
func SumFrames(times iter.Seq[float64]) (Frames, error) {
	var f Frames
	for t := range times {
		f.Count++
		if !(t > 0) || math.IsInf(t, 0) {
			return Frames{}, fmt.Errorf("frame time %d is %v ms; it must be above 0", f.Count, t)
		}
		f.Duration += t
		f.Longest = max(f.Longest, t)
	}
	n := f.Count
	if n == 0 {
		return Frames{}, errors.New("there are no frame times")
	}
	f.Average = 1000 * float64(n) / f.Duration
	f.Duration /= 1000
	var ranks []int
	for _, k := range lows {
		position := int(float64(n-1) * (100 - k) / 100)
		ranks = append(ranks, n-tail(n, k), position, min(position+1, n-1))
	}
	found := selectRanks(times, append(ranks, (n-1)/2, n/2))
	f.Median = (found[len(found)-2].value + found[len(found)-1].value) / 2
	for i, k := range lows {
		edge, low, high := found[3*i], found[3*i+1], found[3*i+2]
		position := float64(n-1) * (100 - k) / 100
		value := low.value + (position-float64(int(position)))*(high.value-low.value)
		f.Lows = append(
			f.Lows, Low{Percent: k, TailMean: 1000 * float64(tail(n, k)) / edge.sum, Percentile: 1000 / value},
		)
	}
	return f, nil
}

// tail returns how many frames the slowest k percent are: ⌈k·n/100⌉.
func tail(n int, k float64) int { return int(math.Ceil(k*float64(n)/100 - 1e-9)) }

// ranked is the value at a rank of the sorted values, and the sum of all values from that rank on.
type ranked struct{ value, sum float64 }

// selectRanks returns the values at ranks, counted from 0, among values above 0. It narrows each down by its leading
// bits, which order such numbers like the numbers themselves, with one pass for each group of bits.
func selectRanks(values iter.Seq[float64], ranks []int) []ranked {
	type search struct {
		prefix uint64  // leading bits found so far
		first  int     // rank of the first value with that prefix
		after  float64 // sum of all values above those
	}
	searches := make([]search, len(ranks))
	found := make([]ranked, len(ranks))
	shift := uint(63)
	for _, bits := range []uint{18, 15, 15, 15} {
		shift -= bits
		var counts histograms
		for _, s := range searches {
			if counts.of(s.prefix) == nil {
				counts = append(counts, histogram{s.prefix, make([]int, 1<<bits), make([]float64, 1<<bits)})
			}
		}
		for v := range values {
			b := math.Float64bits(v) >> shift
			if h := counts.of(b >> bits); h != nil {
				i := b & (1<<bits - 1)
				h.count[i]++
				h.sum[i] += v
			}
		}
		for i := range searches {
			s := &searches[i]
			h := counts.of(s.prefix)
			at := 0
			for s.first+h.count[at] <= ranks[i] {
				s.first += h.count[at]
				at++
			}
			for _, x := range h.sum[at+1:] {
				s.after += x
			}
			s.prefix = s.prefix<<bits | uint64(at)
			if shift == 0 {
				v := math.Float64frombits(s.prefix)
				found[i] = ranked{v, s.after + v*float64(s.first+h.count[at]-ranks[i])}
			}
		}
	}
	return found
}

// histogram counts the values that share their leading bits by the next ones.
type histogram struct {
	prefix uint64
	count  []int
	sum    []float64
}

// There are as few histograms as ranks.
type histograms []histogram

func (hs histograms) of(prefix uint64) *histogram {
	for i := range hs {
		if hs[i].prefix == prefix {
			return &hs[i]
		}
	}
	return nil
}
