package figure

import (
	"image/color"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/text"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// Sheet is a canvas whose origin is at its upper left, in points.
type Sheet struct {
	Scheme *Scheme
	canvas draw.Canvas
}

// NewSheet lays a sheet on a canvas.
func NewSheet(c draw.Canvas, s *Scheme) *Sheet { return &Sheet{s, c} }

func (s *Sheet) at(x, y vg.Length) vg.Point {
	return vg.Point{X: s.canvas.Min.X + x, Y: s.canvas.Max.Y - y}
}

// The alignment of a text at its point.
const (
	Left   = text.XLeft
	Middle = text.XCenter
	Right  = text.XRight
)

// Text writes a text, vertically centred at height y.
func (s *Sheet) Text(x, y vg.Length, size vg.Length, ink color.Color, align text.XAlignment, words string) {
	s.canvas.FillText(
		text.Style{Color: ink, Font: Sans(size), Handler: plot.DefaultTextHandler, XAlign: align, YAlign: text.YCenter},
		s.at(x, y),
		words,
	)
}

// Line draws a straight line.
func (s *Sheet) Line(ink color.Color, width, x1, y1, x2, y2 vg.Length) {
	s.Stroke(0, ink, width, x1, y1, x2, y2)
}

// strokes are dash patterns, so that lines can be told apart without colour: on and off in turn, in points.
var strokes = [][]vg.Length{nil, {6, 2.5}, {1.5, 2}, {8, 2.5, 1.5, 2.5}}

// Stroke draws a straight line in the nth of the four strokes.
func (s *Sheet) Stroke(n int, ink color.Color, width, x1, y1, x2, y2 vg.Length) {
	a, b := s.at(x1, y1), s.at(x2, y2)
	s.canvas.StrokeLine2(draw.LineStyle{Color: ink, Width: width, Dashes: strokes[n%len(strokes)]}, a.X, a.Y, b.X, b.Y)
}

// Box fills a rectangle.
func (s *Sheet) Box(ink color.Color, x, y, width, height vg.Length) {
	s.canvas.FillPolygon(ink, []vg.Point{s.at(x, y), s.at(x+width, y), s.at(x+width, y+height), s.at(x, y+height)})
}

// marks have different shapes, so that they can be told apart without colour.
var marks = []draw.GlyphDrawer{
	draw.CircleGlyph{},
	draw.BoxGlyph{},
	draw.PyramidGlyph{},
	draw.RingGlyph{},
	draw.SquareGlyph{},
	draw.TriangleGlyph{},
	draw.PlusGlyph{},
	draw.CrossGlyph{},
}

// Mark draws the nth of the eight marks.
func (s *Sheet) Mark(n int, ink color.Color, radius, x, y vg.Length) {
	s.canvas.DrawGlyphNoClip(draw.GlyphStyle{Color: ink, Radius: radius, Shape: marks[n%len(marks)]}, s.at(x, y))
}
