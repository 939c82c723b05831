package measuring

import (
	"math/rand/v2"
	"testing"

	"gonum.org/v1/gonum/stat"
)

// TestWorth compares proposals with ones worked out by hand.
func TestWorth(t *testing.T) {
	// Means 10, 12 and 14: variance 4. Within each start 9, 10, 11: variance 1, so that T2² is 4 - 1/3.
	spread := [][]float64{{9, 10, 11}, {11, 12, 13}, {13, 14, 15}}
	for _, c := range []struct {
		name      string
		starts    [][]float64
		costs     Costs
		precision float64
		want      Design
		ok        bool
	}{
		// sqrt(100 · 1/3.667) = 5.2 runs; T2² + 1/6 = 3.833; sqrt(3.833/n) times Student's t is 1.315 for 11 starts,
		// 1.244 for 12 and 1.183 for 13, which is the first below 1.2.
		{"dear restarts", spread, Costs{100, 1}, 0.1, Design{13, 6}, true},
		{"free restarts", spread, Costs{0, 1}, 0.5, Design{3, 1}, true},
		{"starts alike", [][]float64{{9, 10, 11}, {9, 10, 11}}, Costs{60, 1}, 0.1, Design{1, 7}, true},
		{"one start", spread[:1], Costs{60, 1}, 0.1, Design{}, false},
		{"single runs", [][]float64{{1}, {2}, {3}}, Costs{60, 1}, 0.1, Design{}, false},
		{"about 0", [][]float64{{-1, 1}, {1, -1}}, Costs{60, 1}, 0.1, Design{}, false},
		{"too precise", spread, Costs{60, 1}, 1e-6, Design{Starts: 0, Runs: 5}, false},
	} {
		if got, ok := Worth(c.starts, c.costs, c.precision); ok != c.ok || got != c.want {
			t.Errorf("%s: %+v, %v; want %+v", c.name, got, ok, c.want)
		}
	}
}

// TestWorthIsPrecise simulates benches of the proposed design: their means are within the wanted precision in about
// 95 % of all cases.
func TestWorthIsPrecise(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 20))
	bench := func(starts, runs int) [][]float64 {
		out := make([][]float64, starts)
		for i := range out {
			of := 100 + 4*random.NormFloat64()
			for range runs {
				out[i] = append(out[i], of+2*random.NormFloat64())
			}
		}
		return out
	}
	d, ok := Worth(bench(60, 10), Costs{30, 5}, 0.02)
	if !ok || d.Runs < 1 || d.Runs > 3 || d.Starts < 14 || d.Starts > 30 {
		t.Fatalf("proposed %+v, %v", d, ok)
	}
	within := 0
	const times = 2000
	for range times {
		var means []float64
		for _, runs := range bench(d.Starts, d.Runs) {
			means = append(means, stat.Mean(runs, nil))
		}
		if m := stat.Mean(means, nil); m > 98 && m < 102 {
			within++
		}
	}
	if share := float64(within) / times; share < 0.94 || share > 0.99 {
		t.Errorf("%+v is within 2 %% in %.3f of all cases", d, share)
	}
}
