package report

import (
	"bytes"
	"fmt"
	"html"
	"io"
	"regexp"
	"strings"

	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"
	"gonum.org/v1/plot/vg/vgsvg"

	"dappertally/internal/figure"
)

// Figure is a drawing that can be part of the page or a separate file.
type Figure struct {
	Key   string
	Title string
	Alt   string // text alternative
	Foot  string // how to read it
	high  func(frame) vg.Length
	draw  func(*figure.Sheet, frame)
}

// margin is the free space around a separate figure.
const margin = vg.Length(14)

// inline returns the figure as elements of a page, in the page's colours and typeface: one for wide pages and one for
// phones, of which the page shows one.
func (f *Figure) inline() (string, error) {
	var out strings.Builder
	for _, x := range []struct {
		class string
		frame
	}{{"broad", broad}, {"slim", slim}} {
		svg, err := f.svg(x.frame, 0)
		if err != nil {
			return "", err
		}
		svg = size.ReplaceAllString(svg, `class="figure `+x.class+`"`)
		svg = strings.Replace(svg, "<svg", fmt.Sprintf(`<svg role="img" aria-label="%s"`, html.EscapeString(f.Alt)), 1)
		out.WriteString(strings.ReplaceAll(svg, "font-family:Liberation Sans", "font-family:inherit"))
	}
	return out.String(), nil
}

// SVG writes the figure as a separate picture with a light and a dark scheme.
func (f *Figure) SVG(w io.Writer) error {
	svg, err := f.svg(broad, margin)
	if err != nil {
		return err
	}
	style := "<style>:root{" + properties(&figure.Light) + "}@media (prefers-color-scheme:dark){:root{" + properties(
		&figure.Dark,
	) + "}}svg{background:var(--paper)}</style>"
	at := strings.Index(svg, ">") + 1
	head := strings.Replace(svg[:at], "<svg", `<svg role="img"`, 1)
	svg = head + "<title>" + html.EscapeString(f.Title) + "</title><desc>" + html.EscapeString(
		f.Alt,
	) + "</desc>" + style + svg[at:]
	_, err = io.WriteString(
		w, strings.ReplaceAll(svg, "font-family:Liberation Sans", "font-family:'Liberation Sans',Arial,sans-serif"),
	)
	return err
}

// PNG writes the figure as a separate picture.
func (f *Figure) PNG(w io.Writer, scheme *figure.Scheme) error {
	canvas := vgimg.NewWith(
		vgimg.UseWH(broad.wide+2*margin, f.high(broad)+2*margin),
		vgimg.UseDPI(144),
		vgimg.UseBackgroundColor(scheme.Paper),
	)
	c := draw.New(canvas)
	f.draw(figure.NewSheet(draw.Crop(c, margin, -margin, margin, -margin), scheme), broad)
	_, err := vgimg.PngCanvas{Canvas: canvas}.WriteTo(w)
	return err
}

var size = regexp.MustCompile(`width="([0-9.]+)pt" height="([0-9.]+)pt"`)

// svg draws the figure with its colours as CSS properties that the page sets.
func (f *Figure) svg(x frame, margin vg.Length) (string, error) {
	canvas := vgsvg.NewWith(vgsvg.UseWH(x.wide+2*margin, f.high(x)+2*margin))
	c := draw.New(canvas)
	f.draw(figure.NewSheet(draw.Crop(c, margin, -margin, margin, -margin), &figure.Light), x)
	var out bytes.Buffer
	if _, err := canvas.WriteTo(&out); err != nil {
		return "", err
	}
	svg := out.String()
	return asProperties.Replace(svg[strings.Index(svg, "<svg"):]), nil
}

// eachProperty iterates over a scheme's colours with the names of their properties.
func eachProperty(s *figure.Scheme, do func(name string, rgb string)) {
	write := func(name string, c interface{ RGBA() (r, g, b, a uint32) }) {
		r, g, b, _ := c.RGBA()
		do(name, fmt.Sprintf("#%02X%02X%02X", r>>8, g>>8, b>>8))
	}
	write("paper", s.Paper)
	write("wash", s.Wash)
	write("ink", s.Ink)
	write("soft", s.Soft)
	write("rule", s.Rule)
	write("accent", s.Accent)
	for i, c := range s.Sections {
		write(fmt.Sprintf("section-%d", i+1), c)
	}
}

// properties declares a scheme's colours.
func properties(s *figure.Scheme) string {
	var out strings.Builder
	eachProperty(s, func(name, rgb string) { fmt.Fprintf(&out, "--%s:%s;", name, strings.ToLower(rgb)) })
	return out.String()
}

// asProperties replaces the light scheme's colours by properties.
var asProperties = func() *strings.Replacer {
	var pairs []string
	eachProperty(&figure.Light, func(name, rgb string) { pairs = append(pairs, rgb, "var(--"+name+")") })
	return strings.NewReplacer(pairs...)
}()

// The schemes' colours, as the page declares them.
var lightProperties, darkProperties = properties(&figure.Light), properties(&figure.Dark)
