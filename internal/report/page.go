package report

import (
	"bytes"
	"dappertally/internal/numerals"
	"embed"
	"encoding/base64"
	"fmt"
	"html/template"
	"time"
)

//go:embed page.html
var page string

//go:embed fonts/*.woff2
var fontFiles embed.FS

// fonts are the report's typefaces, embedded in every page.
var fonts = template.CSS(
	face("Report Serif", "400 900", "besley") + face("Report Sans", "400", "plex-400") + face(
		"Report Sans", "600", "plex-600",
	),
)

func face(family, weight, file string) string {
	data, err := fontFiles.ReadFile("fonts/" + file + ".woff2")
	if err != nil {
		panic(err) // the files are embedded above
	}
	return fmt.Sprintf(
		"@font-face{font-family:%q;font-weight:%s;src:url(data:font/woff2;base64,%s) format('woff2')}\n",
		family,
		weight,
		base64.StdEncoding.EncodeToString(data),
	)
}

var tmpl = template.Must(template.New("page").Funcs(template.FuncMap{
	"day": day, "prose": proseHTML, "inline": func(f *Figure) (template.HTML, error) {
		svg, err := f.inline()
		return template.HTML(svg), err // drawn by this program from numbers and escaped names
	},
	"wide": func(t *Table) bool { return len(t.Columns) > mostUpright },
}).Parse(page))

// mostUpright is how many columns fit on a sheet of paper in portrait format.
const mostUpright = 11

// day formats a day for readers.
func day(t time.Time) string { return t.UTC().Format("2 January 2006") }

// Download is another form of the report, and its address.
type Download struct{ Title, Address string }

// pageOf is the data of the page's template.
type pageOf struct {
	*Document
	Sections  []Section
	Fonts     template.CSS
	Light     template.CSS
	Dark      template.CSS
	Seal      string // SHA-256 of the document; empty for a draft
	Downloads []Download
	pictures  map[string][]byte
}

// Picture is a picture of the report as part of the page.
func (p *pageOf) Picture(sha256 string) template.URL {
	for _, x := range p.Pictures {
		if x.SHA256 == sha256 && p.pictures[sha256] != nil {
			return template.URL("data:" + x.Type + ";base64," + base64.StdEncoding.EncodeToString(p.pictures[sha256]))
		}
	}
	return ""
}

// About describes the report in one sentence.
func (p *pageOf) About() string {
	if p.Spec.About != "" {
		return p.Spec.About
	}
	return numerals.Count(len(p.Question.Editions), "edition") + " compared by " + p.Team + "."
}

// By names the authors.
func (p *pageOf) By() string {
	if len(p.Authors) == 0 {
		return p.Team
	}
	return listed(p.Authors)
}

// writePage writes the report as one HTML file that needs no script, with styles, figures and pictures included.
func writePage(p pageOf) ([]byte, error) {
	p.Fonts, p.Light, p.Dark = fonts, template.CSS(lightProperties), template.CSS(darkProperties)
	var out bytes.Buffer
	if err := tmpl.Execute(&out, &p); err != nil {
		return nil, fmt.Errorf("laying the page out: %w", err)
	}
	return out.Bytes(), nil
}

// Look returns CSS that declares the typefaces Report Serif and Report Sans and the colours of both schemes, for
// pages in the style of reports.
func Look() string {
	return string(
		fonts,
	) + ":root{color-scheme:light dark;" + lightProperties + "}\n@media screen and (prefers-color-scheme:dark){:root{" +
		darkProperties + "}}\n"
}
