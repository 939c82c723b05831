package measuring_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"dappertally/core/measuring"
)

// TestIntervalsCover simulates measures with a known truth, each measured until its median is precise: the intervals
// contain it as often as they claim, with fewer runs than a fixed number that is enough for nearly all.
func TestIntervalsCover(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	shapes := map[string]func() float64{
		"normal":     random.NormFloat64,
		"skewed":     func() float64 { return random.ExpFloat64() - math.Ln2 },
		"two states": func() float64 { return random.NormFloat64()/3 + float64(2*random.IntN(2)) - 1 },
	}
	wanted := measuring.Wanted{Least: 6, Most: 60, Precision: 0.02}
	for name, draw := range shapes {
		hits, runs, precise := 0, 0, 0
		const measures = 2000
		for n := range measures {
			spread := []float64{0.005, 0.01, 0.02, 0.03, 0.04}[n%5]
			if name == "two states" {
				spread /= 3
			}
			truth := 20.0
			var values []float64
			for {
				values = append(values, truth*math.Exp(spread*draw()))
				if enough, ok := wanted.Enough(values); enough {
					if ok {
						precise++
					}
					break
				}
			}
			runs += len(values)
			if i, ok := measuring.MedianInterval(values); ok && i.Low <= truth && truth <= i.High {
				hits++
			}
		}
		covered, mean := float64(hits)/measures, float64(runs)/measures
		t.Logf(
			"%s: %.1f %% covered, %.1f runs, %.0f %% precise",
			name,
			100*covered,
			mean,
			100*float64(precise)/measures,
		)
		if covered < 0.93 || covered > 0.975 || mean > 0.6*float64(wanted.Most) {
			t.Errorf("%s: %.3f of the intervals cover the truth, %.1f runs each", name, covered, mean)
		}
	}
}

func TestMedianInterval(t *testing.T) {
	if _, ok := measuring.MedianInterval([]float64{1, 2, 3, 4, 5}); ok {
		t.Error("five values have an interval")
	}
	for n := measuring.Fewest; n < 200; n++ {
		values := make([]float64, n)
		for i := range values {
			values[i] = float64(i)
		}
		i, ok := measuring.MedianInterval(values)
		middle := float64(n-1) / 2
		if !ok || i.Low < 0 || i.High > float64(n-1) || math.Abs(i.Low+i.High-2*middle) > 1e-9 || i.High <= i.Low {
			t.Fatalf("%d values: %+v, %v", n, i, ok)
		}
	}
	same := []float64{3, 3, 3, 3, 3, 3}
	if i, ok := measuring.MedianInterval(same); !ok || i.Low != 3 || i.High != 3 {
		t.Errorf("equal values: %+v", i)
	}
	if _, ok := measuring.Precision([]float64{0, 0, 0, 0, 0, 0}); ok {
		t.Error("a median of 0 has a relative precision")
	}
}

func TestEnough(t *testing.T) {
	w := measuring.Wanted{Least: 3, Most: 12, Precision: 0.01}
	noisy := []float64{1, 2, 3, 1, 2, 3, 1, 2, 3, 1, 2, 3}
	for n := range noisy {
		if enough, precise := w.Enough(noisy[:n]); enough || precise {
			t.Errorf("%d noisy runs are enough", n)
		}
		if left := w.Left(noisy[:n]); left < 1 || left > 12-n {
			t.Errorf("after %d runs %d are left", n, left)
		}
	}
	if enough, precise := w.Enough(noisy); !enough || precise || w.Left(noisy) != 0 {
		t.Error("the most runs are not enough, or precise")
	}
	if enough, precise := w.Enough([]float64{2, 2, 2, 2, 2, 2}); !enough || !precise {
		t.Error("equal runs are not enough")
	}
	fixed := measuring.Wanted{Least: 3, Most: 3}
	if enough, precise := fixed.Enough(noisy[:3]); !enough || !precise {
		t.Error("a fixed number of runs is not enough")
	}
}

func TestTrend(t *testing.T) {
	rising := []float64{1, 2, 3, 4, 5, 6, 7, 8, 9}
	falling := slices.Clone(rising)
	slices.Reverse(falling)
	for _, c := range []struct {
		values []float64
		want   int
	}{
		{rising, 1}, {falling, -1}, {rising[:7], 0}, {[]float64{5, 5, 5, 5, 5, 5, 5, 5}, 0},
		{[]float64{3, 1, 4, 1, 5, 9, 2, 6, 5, 3, 5, 8}, 0}, {[]float64{1, 1, 2, 2, 3, 3, 4, 4, 5, 5}, 1}, {nil, 0},
	} {
		if got := measuring.Trend(c.values); got != c.want {
			t.Errorf("%v: %d, want %d", c.values, got, c.want)
		}
	}
	// Values without a trend are seldom reported to have one.
	random := rand.New(rand.NewPCG(3, 4))
	said := 0
	for range 2000 {
		values := make([]float64, 15)
		for i := range values {
			values[i] = random.NormFloat64()
		}
		if measuring.Trend(values) != 0 {
			said++
		}
	}
	if said > 40 {
		t.Errorf("%d of 2000 without a trend are said to have one", said)
	}
}

func TestOutliers(t *testing.T) {
	if got := measuring.Outliers([]float64{10, 10.1, 9.9, 10, 10.2, 14, 9.8}); !slices.Equal(got, []int{5}) {
		t.Errorf("%v", got)
	}
	for _, values := range [][]float64{{1, 1, 1, 1, 1, 9}, {1, 2, 3}, nil} {
		if got := measuring.Outliers(values); got != nil {
			t.Errorf("%v: %v", values, got)
		}
	}
}
