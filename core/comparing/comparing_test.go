package comparing

import (
	"math"
	"testing"
)

// The expected values without ties are those of published tables of the exact
// distribution; with ties they were counted by hand over all splits.
func TestMannWhitney(t *testing.T) {
	for _, c := range []struct {
		name string
		a, b []float64
		want float64
	}{
		{"four against four, apart", []float64{1, 2, 3, 4}, []float64{5, 6, 7, 8}, 2.0 / 70},
		{"the other way round", []float64{5, 6, 7, 8}, []float64{1, 2, 3, 4}, 2.0 / 70},
		{"interleaved", []float64{1, 3, 5, 7}, []float64{2, 4, 6, 8}, 2 * 24.0 / 70},
		{"all equal", []float64{3, 3, 3, 3}, []float64{3, 3, 3, 3}, 1},
		{"two against two, a tie", []float64{1, 2}, []float64{2, 3}, 2 * 2.0 / 6},
	} {
		if got := MannWhitney(c.a, c.b); math.Abs(got-c.want) > 1e-12 {
			t.Errorf("%s: p = %v, want %v", c.name, got, c.want)
		}
	}
}

func TestMannWhitneyLarge(t *testing.T) {
	a, b := make([]float64, 2000), make([]float64, 2000)
	for i := range a {
		a[i], b[i] = float64(i), float64(i)+0.5
	}
	if p := MannWhitney(a, b); p < 0.9 {
		t.Errorf("hardly shifted: p = %v", p)
	}
	for i := range b {
		b[i] += 300
	}
	if p := MannWhitney(a, b); p > 1e-6 {
		t.Errorf("clearly shifted: p = %v", p)
	}
}
