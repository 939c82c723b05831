package checklist

import "math"

// Curve turns a measure's value into points, 0–100.
type Curve struct {
	Shape  string       `json:"shape"` // span, ratio, steps, field
	Poor   float64      `json:"poor,omitempty"`
	Ideal  float64      `json:"ideal,omitempty"`
	Points [][2]float64 `json:"points,omitempty"` // of steps: value, points
}

// The shapes of a curve.
const (
	Span  = "span"
	Ratio = "ratio"
	Steps = "steps"
	Field = "field"
)

// NeedsPositive reports whether the curve has no meaning at or below zero.
func (c *Curve) NeedsPositive() bool { return c.Shape == Ratio || c.Shape == Field }

// At is the points of value x. best is the best value of the field on the same
// rig, used by the field shape alone; better is the criterion's direction.
func (c *Curve) At(x, best float64, better string) float64 {
	switch c.Shape {
	case Span:
		return 100 * clamp((x-c.Poor)/(c.Ideal-c.Poor))
	case Ratio:
		return 100 * clamp(math.Log(x/c.Poor)/math.Log(c.Ideal/c.Poor))
	case Steps:
		return c.step(x)
	case Field:
		if better == "lower" {
			return 100 * best / x
		}
		return 100 * x / best
	}
	return math.NaN()
}

// step is linear between the curve's points and flat outside them.
func (c *Curve) step(x float64) float64 {
	p := c.Points
	if x <= p[0][0] {
		return p[0][1]
	}
	for i := 1; i < len(p); i++ {
		if x <= p[i][0] {
			share := (x - p[i-1][0]) / (p[i][0] - p[i-1][0])
			return p[i-1][1] + share*(p[i][1]-p[i-1][1])
		}
	}
	return p[len(p)-1][1]
}

func clamp(x float64) float64 { return min(max(x, 0), 1) }
