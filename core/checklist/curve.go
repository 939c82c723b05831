package checklist

import (
	"math"
	"strings"
)

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

// ShapeOf describes a shape. All code that depends on the shape uses this description.
type ShapeOf struct {
	Key      string
	Title    string // description for whoever chooses a shape
	Ends     bool   // defined by poor and ideal; otherwise by points, or by nothing
	Positive bool   // undefined at or below zero
	Relative bool   // relative to the best of the field: an added edition can change the points of others

	// at is the points of value x, where best is the best of the field.
	at func(c *Curve, x, best float64, better string) float64
	// words describes the scoring rule.
	words func(c *Curve, unit string) string
	// short is the curve as it is written in tables.
	short func(c *Curve) string
	// validate reports the faults of the fields that belong to it.
	validate func(v *validator, c *Criterion)
	// corners returns the values between which the curve is a straight line, or nearly.
	corners func(c *Curve, better string) []float64
}

// shapes describes all shapes, in the order of display.
var shapes = []ShapeOf{
	{
		Key: Span, Title: "span: a straight line", Ends: true,
		at:       func(c *Curve, x, _ float64, _ string) float64 { return 100 * clamp((x-c.Poor)/(c.Ideal-c.Poor)) },
		words:    func(c *Curve, unit string) string { return c.ends(unit) },
		short:    (*Curve).fromTo,
		validate: (*validator).ends,
		corners:  func(c *Curve, _ string) []float64 { return between(c, 1) },
	},
	{
		Key: Ratio, Title: "ratio: by factors", Ends: true, Positive: true,
		at: func(c *Curve, x, _ float64, _ string) float64 {
			return 100 * clamp(math.Log(x/c.Poor)/math.Log(c.Ideal/c.Poor))
		},
		words:    func(c *Curve, unit string) string { return c.ends(unit) + ", by ratio" },
		short:    (*Curve).fromTo,
		validate: (*validator).ends,
		corners:  func(c *Curve, _ string) []float64 { return between(c, 64) },
	},
	{
		Key: Steps, Title: "steps: from point to point",
		at:       func(c *Curve, x, _ float64, _ string) float64 { return along(c.Points, x) },
		words:    func(c *Curve, _ string) string { return c.steps(" → ") },
		short:    func(c *Curve) string { return "steps " + c.steps(": ") },
		validate: (*validator).stepped,
		corners: func(c *Curve, _ string) []float64 {
			values := make([]float64, len(c.Points))
			for i, p := range c.Points {
				values[i] = p[0]
			}
			return values
		},
	},
	{
		Key: Field, Title: "field: against the best", Positive: true, Relative: true,
		at: func(_ *Curve, x, best float64, better string) float64 {
			if better == "lower" {
				return 100 * best / x
			}
			return 100 * x / best
		},
		words:    func(*Curve, string) string { return "the best of the field has 100, the others proportionally" },
		short:    func(*Curve) string { return Field },
		validate: (*validator).field,
		corners: func(_ *Curve, better string) []float64 {
			if better != "lower" {
				return []float64{0, 1}
			}
			return spread(1, 10, 64)
		},
	},
}

// Shapes lists the keys of all shapes, in the order of display.
var Shapes = func() []string {
	keys := make([]string, len(shapes))
	for i := range shapes {
		keys[i] = shapes[i].Key
	}
	return keys
}()

// unknownShape stands for an unknown shape: it gives no points.
var unknownShape = ShapeOf{
	at:      func(*Curve, float64, float64, string) float64 { return math.NaN() },
	words:   func(*Curve, string) string { return "" },
	short:   func(c *Curve) string { return c.Shape },
	corners: func(*Curve, string) []float64 { return nil },
}

// Of describes the curve's shape.
func (c *Curve) Of() *ShapeOf {
	if c != nil {
		for i := range describedShapes {
			if describedShapes[i].Key == c.Shape {
				return &describedShapes[i]
			}
		}
	}
	return &unknownShape
}

// NeedsPositive reports whether the curve is undefined at or below zero.
func (c *Curve) NeedsPositive() bool { return c.Shape == Ratio || c.Shape == Field }

// At returns the points of value x. best is the best value of the field on the same rig, used by relative shapes
// only; better is the criterion's direction.
func (c *Curve) At(x, best float64, better string) float64 { return c.Of().at(c, x, best, better) }

// Line returns the curve as the corners of a line, ordered by value. For a relative curve, values are in units of the
// best.
func (c *Curve) Line(better string) [][2]float64 {
	s := c.Of()
	values := s.corners(c, better)
	line := make([][2]float64, len(values))
	for i, x := range values {
		line[i] = [2]float64{x, s.at(c, x, 1, better)}
	}
	return line
}

// String is the curve in short, as it is written in tables.
func (c *Curve) String() string {
	if c == nil {
		return ""
	}
	return c.Of().short(c)
}

// ends describes which values get 100 and no points: "9 s has 100, 90 has 0".
func (c *Curve) ends(unit string) string {
	return strings.TrimSpace(written(c.Ideal)+" "+unit) + " has 100, " + written(c.Poor) + " has 0"
}

func (c *Curve) fromTo() string {
	return c.Shape + " from " + written(c.Poor) + " to " + written(c.Ideal)
}

// steps is the curve's points in a row.
func (c *Curve) steps(leads string) string {
	words := make([]string, len(c.Points))
	for i, p := range c.Points {
		words[i] = written(p[0]) + leads + written(p[1])
	}
	return strings.Join(words, ", ")
}

// between returns values from one end of the curve to the other, in n equal ratios.
func between(c *Curve, n int) []float64 {
	return spread(min(c.Poor, c.Ideal), max(c.Poor, c.Ideal), n)
}

// spread returns n+1 values from low to high in a geometric sequence.
func spread(low, high float64, n int) []float64 {
	values := make([]float64, n+1)
	for i := range values {
		values[i] = low * math.Pow(high/low, float64(i)/float64(n))
	}
	values[0], values[n] = low, high
	return values
}

// along interpolates linearly between the corners of a line and is flat beyond its ends.
func along(p [][2]float64, x float64) float64 {
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
