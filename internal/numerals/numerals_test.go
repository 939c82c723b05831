package numerals

import (
	"slices"
	"testing"
)

func TestShares(t *testing.T) {
	for _, c := range []struct {
		name   string
		shares []float64
		want   []string
	}{
		{"whole ones", []float64{0.2, 0.25, 0.25, 0.3}, []string{"20 %", "25 %", "25 %", "30 %"}},
		{"thirds", []float64{1.0 / 3, 1.0 / 3, 1.0 / 3}, []string{"33.4 %", "33.3 %", "33.3 %"}},
		{"eighths", []float64{0.125, 0.125, 0.125, 0.125, 0.125, 0.125, 0.125, 0.125}, []string{"12.5 %", "12.5 %", "12.5 %", "12.5 %", "12.5 %", "12.5 %", "12.5 %", "12.5 %"}},
		{"the largest remainder gets the rest", []float64{2.0 / 7, 2.0 / 7, 3.0 / 7}, []string{"28.6 %", "28.6 %", "42.8 %"}},
		{"one holds it all", []float64{0, 1}, []string{"0 %", "100 %"}},
		{"a part of the whole", []float64{0.333}, []string{"33.3 %"}},
		{"none", nil, []string{}},
	} {
		if got := Shares(c.shares); !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
	}
}

func TestRounded(t *testing.T) {
	for _, c := range []struct {
		x        float64
		decimals int
		want     string
	}{{0.5, 0, "1"}, {-0.5, 0, "-1"}, {2.5, 0, "3"}, {1.25, 1, "1.3"}, {12, 2, "12.00"}} {
		if got := Rounded(c.x, c.decimals); got != c.want {
			t.Errorf("%v with %d decimals: %s, want %s", c.x, c.decimals, got, c.want)
		}
	}
}
