// Package figure holds what every drawn figure shares: the colours of the light
// scheme, the typeface, and how axes look.
package figure

import (
	"image/color"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/vg/draw"
)

// The colours of the page's light scheme.
var (
	Paper  = color.NRGBA{0xf2, 0xf6, 0xf0, 0xff}
	Ink    = color.NRGBA{0x16, 0x25, 0x1f, 0xff}
	Rule   = color.NRGBA{0xc8, 0xd8, 0xcb, 0xff}
	Soft   = color.NRGBA{0x52, 0x64, 0x5a, 0xff}
	Accent = color.NRGBA{0xa8, 0x35, 0x1c, 0xff}
)

// Sans is the typeface of labels in a size in points.
func Sans(size font.Length) font.Font {
	return font.Font{Typeface: "Liberation", Variant: "Sans", Size: size}
}

// Style gives an axis hairlines and labels in ink.
func Style(a *plot.Axis) {
	a.LineStyle.Color, a.Tick.LineStyle.Color = Rule, Rule
	a.Tick.Label.Color = Ink
	a.Tick.Label.Font = Sans(10.5)
	a.Label.TextStyle.Font, a.Label.TextStyle.Color = Sans(10.5), Soft
	a.Padding = 6
}

// Painter is a plotter that is a function.
type Painter func(draw.Canvas, *plot.Plot)

// Plot paints.
func (f Painter) Plot(c draw.Canvas, p *plot.Plot) { f(c, p) }
