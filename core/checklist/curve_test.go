package checklist

import (
	"math"
	"testing"
)

func TestCurve(t *testing.T) {
	span := &Curve{Shape: Span, Poor: 45, Ideal: 5}
	rising := &Curve{Shape: Span, Poor: 5, Ideal: 45}
	ratio := &Curve{Shape: Ratio, Poor: 90, Ideal: 9}
	steps := &Curve{Shape: Steps, Points: [][2]float64{{10, 100}, {20, 50}, {60, 0}}}
	field := &Curve{Shape: Field}
	for _, c := range []struct {
		name   string
		curve  *Curve
		x      float64
		best   float64
		better string
		want   float64
	}{
		{"span at ideal", span, 5, 0, "lower", 100},
		{"span halfway", span, 25, 0, "lower", 50},
		{"span beyond ideal", span, 1, 0, "lower", 100},
		{"span beyond poor", span, 99, 0, "lower", 0},
		{"span rising", rising, 15, 0, "higher", 25},
		{"ratio at poor", ratio, 90, 0, "lower", 0},
		{"ratio at ideal", ratio, 9, 0, "lower", 100},
		{"ratio at the geometric middle", ratio, math.Sqrt(810), 0, "lower", 50},
		{"steps flat before", steps, 3, 0, "lower", 100},
		{"steps at a step", steps, 20, 0, "lower", 50},
		{"steps between", steps, 40, 0, "lower", 25},
		{"steps flat behind", steps, 100, 0, "lower", 0},
		{"field, lower is better", field, 20, 10, "lower", 50},
		{"field, higher is better", field, 20, 80, "higher", 25},
	} {
		if got := c.curve.At(c.x, c.best, c.better); math.Abs(got-c.want) > 1e-9 {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
	}
}
