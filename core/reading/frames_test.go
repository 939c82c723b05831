package reading

import (
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// TestSumFramesBySorting compares the figures with those of the sorted times.
func TestSumFramesBySorting(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 7))
	for _, n := range []int{1, 2, 3, 99, 100, 101, 1000, 12345} {
		times := make([]float64, n)
		for i := range times {
			times[i] = 5 + 20*r.Float64()
			if i%3 == 0 {
				times[i] = 16.625 // many alike
			}
		}
		f, err := SumFrames(slices.Values(times))
		if err != nil {
			t.Fatal(err)
		}
		sorted := slices.Sorted(slices.Values(times))
		for _, l := range f.Lows {
			m := int(math.Ceil(l.Percent*float64(n)/100 - 1e-9))
			sum := 0.0
			for _, x := range sorted[n-m:] {
				sum += x
			}
			position := float64(n-1) * (100 - l.Percent) / 100
			i := int(position)
			value := sorted[i]
			if i+1 < n {
				value += (position - float64(i)) * (sorted[i+1] - sorted[i])
			}
			if !close(l.TailMean, 1000*float64(m)/sum) || !close(l.Percentile, 1000/value) {
				t.Errorf("%d frames, %v %%: %+v, want %v and %v", n, l.Percent, l, 1000*float64(m)/sum, 1000/value)
			}
		}
		if f.Longest != sorted[n-1] || f.Count != n {
			t.Errorf("%d frames: %+v", n, f)
		}
	}
}

func close(a, b float64) bool { return math.Abs(a-b) <= 1e-12*math.Abs(b) }

func TestDoubtFrames(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 7))
	run := func(n int, frame func(i int) float64) []float64 {
		times := make([]float64, n)
		for i := range times {
			times[i] = frame(i)
		}
		return times
	}
	for _, c := range []struct {
		name  string
		times []float64
		says  string // empty: nothing is wrong
	}{
		{"free", run(5000, func(int) float64 { return 10 + 8*r.Float64() }), ""},
		{"free and narrow", run(5000, func(int) float64 { return 15.6 + 0.9*r.NormFloat64() }), ""},
		{"held at 60 with jitter", run(5000, func(i int) float64 { return 16.667 + 0.15*r.NormFloat64() + 10*math.Floor(float64(i%50)/49) }), "capped at about "},
		{"held at 57", run(5000, func(int) float64 { return 1000. / 57 }), "capped at about 57"},
		{"a pause", run(5000, func(i int) float64 { return map[bool]float64{true: 4000, false: 5 + 8*r.Float64()}[i == 70] }), "1 frames took over a second, the longest 4 s"},
		{"few", run(50, func(int) float64 { return 10 + 8*r.Float64() }), "the 1 % low is based on 1"},
		{"seconds taken for milliseconds", run(5000, func(int) float64 { return 0.01 + 0.008*r.Float64() }), "check the unit"},
	} {
		f, err := SumFrames(slices.Values(c.times))
		if err != nil {
			t.Fatal(err)
		}
		got := strings.Join(DoubtFrames(slices.Values(c.times), &f), "; ")
		if (c.says == "") != (got == "") || !strings.Contains(got, c.says) {
			t.Errorf("%s: %q, want %q", c.name, got, c.says)
		}
	}
}

func TestCourse(t *testing.T) {
	times := []float64{100, 100, 300, 500}
	got := Course(slices.Values(times), 1, 5)
	want := []Slot{{0, 2, 100, 100}, {0.2, 1, 300, 300}, {0.4, 1, 500, 500}}
	if !slices.EqualFunc(got, want, func(a, b Slot) bool {
		return a.Frames == b.Frames && close(a.Mean, b.Mean) && a.Longest == b.Longest &&
			math.Abs(a.From-b.From) < 1e-12
	}) {
		t.Errorf("%+v, want %+v", got, want)
	}
}
