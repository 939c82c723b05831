package report

import (
	"bytes"
	"errors"
	"fmt"
	"html"
	"image/color"
	"io"
	"regexp"
	"strings"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/text"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"
	"gonum.org/v1/plot/vg/vgsvg"

	"dappertally/internal/figure"
)

// The figure's colours are those of the page's light scheme; inline gives them back
// to the page, which has others at night.
const (
	figureWidth = 430 * vg.Length(1)
	rowHeight   = 24 * vg.Length(1)
)

// rankingFigure draws the scores as dots on a scale from 0 to 100, the possible
// range as a bar through each, the best at the top. It is an SVG element with a
// text alternative.
func rankingFigure(rows []row) (string, error) {
	canvas := vgsvg.NewWith(vgsvg.UseWH(figureWidth, vg.Length(len(rows))*rowHeight+34))
	rankingPlot(rows).Draw(draw.Crop(draw.New(canvas), 0, -14, 0, 0)) // room for the last label of the scale
	var svg bytes.Buffer
	if _, err := canvas.WriteTo(&svg); err != nil {
		return "", err
	}
	return inline(svg.String(), alternative(rows)), nil
}

// Figure draws a ranking as a picture that stands alone, svg or png.
func Figure(w io.Writer, form string, c Content) error {
	v := view{Content: c}
	v.rows()
	if len(v.Ranked) == 0 {
		return errors.New("nothing is ranked, so that there is nothing to draw")
	}
	p := rankingPlot(v.Ranked)
	p.BackgroundColor = figure.Paper
	p.Title.Text = c.List.Name()
	if c.Audience.Title != "" {
		p.Title.Text += ", for " + c.Audience.Title
	}
	p.Title.TextStyle.Font, p.Title.TextStyle.Color, p.Title.Padding = figure.Sans(12), figure.Ink, 10
	width, height := figureWidth+220, vg.Length(len(v.Ranked))*rowHeight+80
	if form == "svg" {
		canvas := vgsvg.NewWith(vgsvg.UseWH(width, height))
		p.Draw(draw.Crop(draw.New(canvas), 10, -16, 10, -10))
		_, err := canvas.WriteTo(w)
		return err
	}
	canvas := vgimg.NewWith(vgimg.UseWH(width, height), vgimg.UseDPI(120), vgimg.UseBackgroundColor(figure.Paper))
	p.Draw(draw.Crop(draw.New(canvas), 10, -16, 10, -10))
	_, err := vgimg.PngCanvas{Canvas: canvas}.WriteTo(w)
	return err
}

// rankingPlot is the figure before it is drawn onto anything.
func rankingPlot(rows []row) *plot.Plot {
	p := plot.New()
	p.BackgroundColor = color.Transparent
	p.X.Min, p.X.Max = 0, 100
	p.Y.Min, p.Y.Max = -0.6, float64(len(rows))-0.4
	p.X.Tick.Marker = plot.ConstantTicks{{Value: 0, Label: "0"}, {Value: 25, Label: "25"}, {Value: 50, Label: "50"}, {Value: 75, Label: "75"}, {Value: 100, Label: "100"}}
	figure.Style(&p.X)
	figure.Style(&p.Y)
	names := make(plot.ConstantTicks, len(rows))
	for i, r := range rows {
		names[i] = plot.Tick{Value: place(rows, i), Label: r.Name}
	}
	p.Y.Tick.Marker = names
	p.Y.LineStyle.Width = 0
	p.Y.Tick.Length = 0
	p.Y.Padding = 16 // the page's typeface runs wider than the one it is measured with
	p.Add(scale(rows), ranges(rows), dots(rows))
	return p
}

// place is the height of row i: the first stands highest.
func place(rows []row, i int) float64 { return float64(len(rows) - 1 - i) }

func scale(rows []row) plot.Plotter {
	return figure.Painter(func(c draw.Canvas, p *plot.Plot) {
		x, y := p.Transforms(&c)
		for i := range rows {
			h := y(place(rows, i))
			c.StrokeLine2(draw.LineStyle{Color: figure.Rule, Width: 0.7}, x(0), h, x(100), h)
		}
	})
}

func ranges(rows []row) plot.Plotter {
	return figure.Painter(func(c draw.Canvas, p *plot.Plot) {
		x, y := p.Transforms(&c)
		for i, r := range rows {
			if r.Card.Low != nil && r.Card.High != nil {
				h := y(place(rows, i))
				c.StrokeLine2(draw.LineStyle{Color: figure.Accent, Width: 3.5}, x(*r.Card.Low), h, x(*r.Card.High), h)
			}
		}
	})
}

func dots(rows []row) plot.Plotter {
	return figure.Painter(func(c draw.Canvas, p *plot.Plot) {
		x, y := p.Transforms(&c)
		label := text.Style{Color: figure.Soft, Font: figure.Sans(9.5), Handler: plot.DefaultTextHandler, YAlign: text.YCenter, XAlign: text.XLeft}
		for i, r := range rows {
			h := y(place(rows, i))
			c.DrawGlyph(draw.GlyphStyle{Color: figure.Ink, Radius: 4, Shape: draw.CircleGlyph{}}, vg.Point{X: x(*r.Card.Overall), Y: h})
			right := max(*r.Card.Overall, *r.Card.High)
			at := vg.Point{X: x(right) + 8, Y: h}
			style := label
			if right > 90 {
				at.X, style.XAlign = x(min(*r.Card.Overall, *r.Card.Low))-8, text.XRight
			}
			c.FillText(style, at, oneDecimal(r.Card.Overall))
		}
	})
}

// alternative says what the figure says.
func alternative(rows []row) string {
	parts := make([]string, len(rows))
	for i, r := range rows {
		parts[i] = fmt.Sprintf("%s %s (possible %s to %s)", r.Name, oneDecimal(r.Card.Overall), oneDecimal(r.Card.Low), oneDecimal(r.Card.High))
	}
	return "Scores from 0 to 100 with their possible ranges, best first: " + strings.Join(parts, "; ")
}

var size = regexp.MustCompile(`width="([0-9.]+)pt" height="([0-9.]+)pt"`)

// inline makes a drawing part of a page: without its prologue, as wide as the
// page, with the page's typeface and its text alternative.
func inline(svg, alt string) string {
	svg = svg[strings.Index(svg, "<svg"):]
	svg = size.ReplaceAllString(svg, `class="figure"`)
	svg = strings.Replace(svg, "<svg", fmt.Sprintf(`<svg role="img" aria-label="%s"`, html.EscapeString(alt)), 1)
	return strings.NewReplacer("font-family:Liberation Sans", "font-family:inherit", "#16251F", "var(--ink)", "#52645A", "var(--soft)", "#C8D8CB", "var(--rule)", "#A8351C", "var(--accent)").Replace(svg)
}
