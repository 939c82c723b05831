package frames

import (
	"fmt"
	"image/color"
	"io"
	"path/filepath"
	"strings"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/text"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"
	"gonum.org/v1/plot/vg/vgsvg"

	"dappertally/core/reading"
	"dappertally/internal/figure"
	"dappertally/internal/numerals"
)

const width, height = 760 * vg.Length(1), 320 * vg.Length(1)

// Slots is how many intervals the picture shows at most.
const Slots = 380

// Draw draws a run as SVG or PNG, by the extension of name: for each interval the mean and the longest frame time,
// with lines for the average and the 1 % low.
func Draw(w io.Writer, name, title string, course []reading.Slot, f *reading.Frames) error {
	p := plot.New()
	p.BackgroundColor = figure.Light.Paper
	p.Title.Text, p.Title.TextStyle.Font, p.Title.TextStyle.Color, p.Title.Padding = title, figure.Sans(
		12,
	), figure.Light.Ink, 10
	p.X.Label.Text, p.Y.Label.Text = "seconds", "ms a frame"
	p.X.Min, p.X.Max = 0, f.Duration
	p.Y.Min, p.Y.Max = 0, 1.1*f.Longest
	figure.Light.Style(&p.X)
	figure.Light.Style(&p.Y)
	levels := []level{{1000 / f.Average, "average", f.Average}}
	for _, l := range f.Lows {
		levels = append(levels, level{1000 / l.TailMean, fmt.Sprintf("%g %% low, tail mean", l.Percent), l.TailMean})
	}
	p.Add(longest(course), means(course), across(levels))
	if strings.EqualFold(filepath.Ext(name), ".svg") {
		canvas := vgsvg.NewWith(vgsvg.UseWH(width, height))
		p.Draw(margin(canvas))
		_, err := canvas.WriteTo(w)
		return err
	}
	canvas := vgimg.NewWith(vgimg.UseWH(width, height), vgimg.UseDPI(120), vgimg.UseBackgroundColor(figure.Light.Paper))
	p.Draw(margin(canvas))
	_, err := vgimg.PngCanvas{Canvas: canvas}.WriteTo(w)
	return err
}

func margin(c vg.CanvasSizer) draw.Canvas { return draw.Crop(draw.New(c), 10, -118, 10, -10) }

// longest draws the slowest frame of each interval as a stroke up from the mean.
func longest(course []reading.Slot) plot.Plotter {
	return figure.Painter(func(c draw.Canvas, p *plot.Plot) {
		x, y := p.Transforms(&c)
		style := draw.LineStyle{Color: color.NRGBA{0xa8, 0x35, 0x1c, 0x90}, Width: 1}
		for _, s := range course {
			c.StrokeLine2(style, x(s.From), y(s.Mean), x(s.From), y(s.Longest))
		}
	})
}

func means(course []reading.Slot) plot.Plotter {
	return figure.Painter(func(c draw.Canvas, p *plot.Plot) {
		x, y := p.Transforms(&c)
		line := make([]vg.Point, len(course))
		for i, s := range course {
			line[i] = vg.Point{X: x(s.From), Y: y(s.Mean)}
		}
		if len(line) > 1 {
			c.StrokeLines(draw.LineStyle{Color: figure.Light.Ink, Width: 1.2}, line)
		}
	})
}

// level is a frame time and its label.
type level struct {
	ms   float64
	name string
	rate float64
}

// across draws levels as lines with their labels at the right end, the lowest first, without overlaps.
func across(levels []level) plot.Plotter {
	return figure.Painter(func(c draw.Canvas, p *plot.Plot) {
		x, y := p.Transforms(&c)
		style := text.Style{
			Color:   figure.Light.Ink,
			Font:    figure.Sans(9),
			Handler: plot.DefaultTextHandler,
			XAlign:  text.XLeft,
			YAlign:  text.YCenter,
		}
		free := vg.Length(0)
		for _, l := range levels {
			h := y(l.ms)
			c.StrokeLine2(
				draw.LineStyle{Color: figure.Light.Soft, Width: 0.7, Dashes: []vg.Length{4, 3}},
				x(p.X.Min),
				h,
				x(p.X.Max),
				h,
			)
			at := max(h, free)
			c.FillText(style, vg.Point{X: x(p.X.Max) + 6, Y: at + 5.5}, l.name)
			c.FillText(style, vg.Point{X: x(p.X.Max) + 6, Y: at - 5.5}, numerals.Rounded(l.rate, 1)+" frames/s")
			free = at + 24
		}
	})
}
