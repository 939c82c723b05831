package reading

import (
	"math"
	"slices"
	"testing"
)

func TestSpread(t *testing.T) {
	for _, c := range []struct {
		name string
		runs []float64
		want float64
		ok   bool
	}{
		{"one run has none", []float64{20}, 0, false},
		{"a median of 0 has none", []float64{-1, 0, 1}, 0, false},
		{"two runs: half their range over the median", []float64{9, 11}, 0.1, true},
		{"four runs", []float64{10, 12, 8, 10}, 0.2, true},
		{"five runs go by the median absolute deviation", []float64{10, 11, 9, 10, 30}, 1.4826 * 1 / 10, true},
		{"five alike but one", []float64{10, 10, 10, 10, 30}, 0, true},
		{"negative values scatter by their size", []float64{-9, -11}, 0.1, true},
	} {
		before := slices.Clone(c.runs)
		got, ok := Spread(c.runs)
		if ok != c.ok || math.Abs(got-c.want) > 1e-12 {
			t.Errorf("%s: %v %v, want %v %v", c.name, got, ok, c.want, c.ok)
		}
		if !slices.Equal(c.runs, before) {
			t.Errorf("%s: the runs were reordered", c.name)
		}
	}
}

func TestOutlying(t *testing.T) {
	for _, c := range []struct {
		name string
		runs []float64
		want []int
	}{
		{"four runs are too few to tell", []float64{10, 10, 10, 30}, []int{}},
		{"far out", []float64{10, 10.1, 9.9, 10, 12}, []int{4}},
		{"far out but within the tolerance", []float64{10, 10.01, 9.99, 10, 10.4}, []int{}},
		{"outside the tolerance where the others do not scatter at all", []float64{12, 10, 10, 10, 10}, []int{0}},
		{"outside the tolerance but no further than the scatter", []float64{8, 9, 10, 11, 12}, []int{}},
	} {
		if got := Outlying(c.runs, 0.05); !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
	}
}

func TestSumFrames(t *testing.T) {
	// 99 frames of 10 ms and one of 100 ms: the longest 1 % is that one, and the
	// percentile lies a hundredth of the way from 10 to 100.
	times := make([]float64, 100)
	for i := range times {
		times[i] = 10
	}
	times[40] = 100
	f, err := SumFrames(slices.Values(times))
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		what      string
		got, want float64
	}{
		{"average", f.Average, 100000.0 / 1090},
		{"1 % tail mean", f.Lows[0].TailMean, 10},
		{"1 % percentile", f.Lows[0].Percentile, 1000 / (10 + 0.01*90)},
		{"0.1 % tail mean is of one frame at least", f.Lows[1].TailMean, 10},
		{"0.1 % percentile", f.Lows[1].Percentile, 1000 / (10 + 0.901*90)},
	} {
		if math.Abs(c.got-c.want) > 1e-9 {
			t.Errorf("%s: %v, want %v", c.what, c.got, c.want)
		}
	}
	for _, bad := range [][]float64{nil, {10, 0}, {10, -1}, {math.NaN()}, {math.Inf(1)}} {
		if _, err := SumFrames(slices.Values(bad)); err == nil {
			t.Errorf("%v: no error", bad)
		}
	}
	if one, err := SumFrames(slices.Values([]float64{20})); err != nil || one.Lows[1].Percentile != 50 {
		t.Errorf("a single frame: %v, %v", one, err)
	}
}
