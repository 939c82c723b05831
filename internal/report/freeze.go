package report

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"dappertally/core/reporting"
	"dappertally/internal/figure"
	"dappertally/internal/tables"
)

// File is one form of a frozen report, addressed by the SHA-256 of its body.
type File struct {
	Name, Type string
	SHA256     string
	Body       []byte
}

// Address returns the permanent address of a frozen file.
func (f *File) Address() string { return "/frozen/" + f.SHA256 + "/" + f.Name }

// The names of the files that every report has.
const (
	DocumentFile = "report.json"
	BundleFile   = "bundle.json"
	PageFile     = "report.html"
	MarkdownFile = "report.md"
	TablesFile   = "tables.zip"
	SheetFile    = "report.xlsx"
	PreviewFile  = "preview.png" // the picture for link previews
)

// Frozen is a report with all its forms, the document first.
type Frozen struct {
	Document *Document
	Seal     string // SHA-256 of the document's file
	Files    []File
}

// File returns the form with a name; nil if there is none.
func (f *Frozen) File(name string) *File {
	if i := slices.IndexFunc(f.Files, func(x File) bool { return x.Name == name }); i >= 0 {
		return &f.Files[i]
	}
	return nil
}

func fileOf(name, mediaType string, body []byte) File {
	hash := sha256.Sum256(body)
	return File{name, mediaType, hex.EncodeToString(hash[:]), body}
}

// Freeze makes every form of a report from its document, its bundle's bytes, the results computed from that, and its
// pictures by hash. The same input gives the same bytes.
func Freeze(d *Document, bundle []byte, r *reporting.Results, pictures map[string][]byte) (*Frozen, error) {
	f := &Frozen{Document: d}
	b := fileOf(BundleFile, "application/json", bundle)
	d.Format, d.Version, d.Bundle, d.Results, d.Question = Format, Version, b.SHA256, State(r), r.Question
	sealed, err := json.MarshalIndent(d, "", " ")
	if err != nil {
		return nil, fmt.Errorf("writing the document: %w", err)
	}
	document := fileOf(DocumentFile, "application/json", append(sealed, '\n'))
	f.Seal = document.SHA256
	f.Files = []File{document, b}
	sections := Lay(d, r)
	figures, err := freezeFigures(sections)
	if err != nil {
		return nil, err
	}
	f.Files = append(f.Files, figures...)
	f.Files = append(f.Files, fileOf(MarkdownFile, "text/markdown; charset=utf-8", writeMarkdown(d, sections, f.Seal)))
	for _, pack := range []func([]Section) (File, error){zipped, func(s []Section) (File, error) { return sheet(d, f.Seal, s) }} {
		x, err := pack(sections)
		if err != nil {
			return nil, err
		}
		f.Files = append(f.Files, x)
	}
	for _, p := range d.Pictures {
		if name := pictureFile(p); f.File(name) == nil {
			f.Files = append(f.Files, fileOf(name, p.Type, pictures[p.SHA256]))
		}
	}
	body, err := writePage(
		pageOf{
			Document:  d,
			Sections:  sections,
			Seal:      f.Seal,
			Downloads: downloads(func(name string) string { return f.File(name).Address() }),
			pictures:  pictures,
		},
	)
	if err != nil {
		return nil, err
	}
	f.Files = append(f.Files, fileOf(PageFile, "text/html; charset=utf-8", body))
	return f, nil
}

// figureFile and pictureFile return the file names of a figure and a standard screenshot. Other forms refer to them
// by these names: they work in a folder, and the service finds the files of the same report.
func figureFile(key string) string { return "figures/" + key + ".svg" }

func pictureFile(p Picture) string {
	return "pictures/" + p.SHA256[:16] + "." + strings.TrimPrefix(p.Type, "image/")
}

// downloads returns the forms that a page offers, at the addresses that address returns for their names.
func downloads(address func(name string) string) []Download {
	var out []Download
	for _, x := range []Download{{"JSON", DocumentFile}, {"bundle", BundleFile}, {"Markdown", MarkdownFile}, {"tables as CSV", TablesFile}, {"spreadsheet", SheetFile}} {
		out = append(out, Download{x.Title, address(x.Address)})
	}
	return out
}

// Preview returns the page of a draft of a report.
func Preview(d *Document, r *reporting.Results, pictures map[string][]byte) ([]byte, error) {
	d.Question = r.Question
	return writePage(pageOf{Document: d, Sections: Lay(d, r), pictures: pictures})
}

// Figures lists the figures of laid-out parts.
func Figures(sections []Section) []*Figure {
	var out []*Figure
	for _, s := range sections {
		for _, b := range s.Blocks {
			if b.Figure != nil {
				out = append(out, b.Figure)
			}
		}
	}
	return out
}

// freezeFigures draws every figure as a file, and the first one as the picture for link previews.
func freezeFigures(sections []Section) ([]File, error) {
	var out []File
	for i, f := range Figures(sections) {
		var svg, light, dark bytes.Buffer
		if err := f.SVG(&svg); err != nil {
			return nil, fmt.Errorf("drawing %s: %w", f.Key, err)
		}
		if err := f.PNG(&light, &figure.Light); err != nil {
			return nil, fmt.Errorf("drawing %s: %w", f.Key, err)
		}
		if err := f.PNG(&dark, &figure.Dark); err != nil {
			return nil, fmt.Errorf("drawing %s: %w", f.Key, err)
		}
		if i == 0 {
			out = append(out, fileOf(PreviewFile, "image/png", light.Bytes()))
		}
		out = append(
			out,
			fileOf(figureFile(f.Key), "image/svg+xml", svg.Bytes()),
			fileOf("figures/"+f.Key+".png", "image/png", light.Bytes()),
			fileOf("figures/"+f.Key+"-dark.png", "image/png", dark.Bytes()),
		)
	}
	return out, nil
}

// zipped returns the rows of every part as CSV files. It contains no time of the machine.
func zipped(sections []Section) (File, error) {
	var out bytes.Buffer
	archive := zip.NewWriter(&out)
	form, _ := tables.Find("csv")
	n := 0
	for _, s := range sections {
		if s.Data == nil {
			continue
		}
		n++
		w, err := archive.Create(fmt.Sprintf("%02d-%s.csv", n, s.Kind))
		if err == nil {
			err = form.Write(w, s.Data)
		}
		if err != nil {
			return File{}, fmt.Errorf("packing the tables: %w", err)
		}
	}
	if err := archive.Close(); err != nil {
		return File{}, fmt.Errorf("packing the tables: %w", err)
	}
	return fileOf(TablesFile, "application/zip", out.Bytes()), nil
}

// sheet returns the rows of every part as a spreadsheet, one sheet per part.
func sheet(d *Document, seal string, sections []Section) (File, error) {
	about := aboutReport.Table()
	about.Name = "about"
	about.Add("title", d.Spec.Title)
	about.Add("team", d.Team)
	about.Add("revision", d.Revision)
	about.Add("published", d.Published.UTC().Format("2006-01-02T15:04:05Z"))
	about.Add("checklist", d.Question.Checklist)
	about.Add("SHA-256 of the report's JSON", seal)
	about.Add("SHA-256 of its bundle", d.Bundle)
	all := []*tables.Table{about}
	for _, s := range sections {
		if s.Data != nil {
			named := *s.Data
			named.Name = s.Kind
			all = append(all, &named)
		}
	}
	var out bytes.Buffer
	if err := tables.WriteBook(&out, all); err != nil {
		return File{}, fmt.Errorf("writing the spreadsheet: %w", err)
	}
	return fileOf(SheetFile, "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", out.Bytes()), nil
}
