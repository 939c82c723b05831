// Package figure holds what all figures share: the colours of both schemes, the typeface, the style of axes, and a
// sheet for drawing rows.
package figure

import (
	"image/color"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/vg/draw"
)

// Scheme is the colours of a figure.
type Scheme struct {
	Paper, Wash, Ink, Soft, Rule, Accent color.NRGBA
	Sections                             [8]color.NRGBA
}

// Light and Dark are the two schemes of all our pages.
var (
	Light = Scheme{
		Paper: hex(
			0xf2f6f0,
		), Wash: hex(0xe1ebe1), Ink: hex(0x16251f), Soft: hex(0x52645a), Rule: hex(0xc8d8cb), Accent: hex(0xa8351c),
		Sections: [8]color.NRGBA{
			hex(0x8a6a00),
			hex(0x1f5fa8),
			hex(0x7b3c86),
			hex(0x0f6d63),
			hex(0x8f4a2b),
			hex(0x4b5a8c),
			hex(0x5c6b1e),
			hex(0x86354f),
		},
	}
	Dark = Scheme{
		Paper: hex(
			0x0f1a16,
		), Wash: hex(0x18281f), Ink: hex(0xe6efe6), Soft: hex(0x9db3a6), Rule: hex(0x263a31), Accent: hex(0xf0906f),
		Sections: [8]color.NRGBA{
			hex(0xd9a441),
			hex(0x86b0ea),
			hex(0xcf94c8),
			hex(0x84c3a0),
			hex(0xe0a184),
			hex(0xa9b6e6),
			hex(0xb9c76d),
			hex(0xe39ab2),
		},
	}
)

func hex(rgb uint32) color.NRGBA {
	return color.NRGBA{uint8(rgb >> 16), uint8(rgb >> 8), uint8(rgb), 0xff}
}

// Sans returns the typeface of labels in a size in points.
func Sans(size font.Length) font.Font {
	return font.Font{Typeface: "Liberation", Variant: "Sans", Size: size}
}

// Style draws an axis with hairlines, and its labels in ink.
func (s *Scheme) Style(a *plot.Axis) {
	a.LineStyle.Color, a.Tick.LineStyle.Color = s.Rule, s.Rule
	a.Tick.Label.Color = s.Ink
	a.Tick.Label.Font = Sans(10.5)
	a.Label.TextStyle.Font, a.Label.TextStyle.Color = Sans(10.5), s.Soft
	a.Padding = 6
}

// Painter is a plotter that is a function.
type Painter func(draw.Canvas, *plot.Plot)

// Plot paints.
func (f Painter) Plot(c draw.Canvas, p *plot.Plot) { f(c, p) }
