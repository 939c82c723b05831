// Package handbook lays out the documentation as web pages, and searches it. Its pages are the Markdown files of the
// repository.
package handbook

import (
	"bytes"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"path"
	"strings"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	"github.com/yuin/goldmark/parser"
	"github.com/yuin/goldmark/renderer/html"
	"github.com/yuin/goldmark/text"
	"github.com/yuin/goldmark/util"
)

// Root is the address under which the service shows the documentation.
const Root = "/docs"

// start is the file that lists all pages: its second-level headings are the parts, and the links below them the
// pages.
const start = "docs/index.md"

// Page is one page of the documentation.
type Page struct {
	File     string // place in the repository
	Address  string // below Root, such as /docs/guides/leads
	Part     string // title of its part; empty for the start page
	Title    string
	HTML     template.HTML // without the title
	Headings []Heading     // of the second level, in order
	Before   *Page         // nil: it is the first one
	After    *Page         // nil: it is the last one
}

// Heading is a heading inside a page, with its anchor.
type Heading struct{ ID, Title string }

// Part is a group of pages that serve the same purpose.
type Part struct {
	Title string
	Pages []*Page
}

// Book is the whole documentation.
type Book struct {
	Start *Page
	Parts []Part

	pages    map[string]*Page // by address
	sections []section        // in the order of reading
}

// Open reads the documentation from the repository's files. A link to a missing page is an error.
func Open(files fs.FS) (*Book, error) {
	b := &Book{pages: map[string]*Page{}}
	first, err := b.read(files, start, "")
	if err != nil {
		return nil, err
	}
	b.Start = first.Page
	last := first
	for _, part := range first.parts {
		p := Part{Title: part.title}
		for _, file := range part.files {
			page, err := b.read(files, file, part.title)
			if err != nil {
				return nil, err
			}
			last.After, page.Before, last = page.Page, last.Page, page
			p.Pages = append(p.Pages, page.Page)
		}
		b.Parts = append(b.Parts, p)
	}
	return b, nil
}

// Page returns the page at an address; nil if there is none.
func (b *Book) Page(address string) *Page { return b.pages[address] }

// addressOf returns the address of a file of the repository.
func addressOf(file string) string {
	name := strings.TrimPrefix(strings.ToLower(strings.TrimSuffix(file, ".md")), "docs/")
	if file == start {
		return Root
	}
	return Root + "/" + name
}

// markdown is the dialect of the repository's files.
var markdown = goldmark.New(
	goldmark.WithExtensions(extension.Table, extension.Strikethrough),
	goldmark.WithParserOptions(parser.WithAutoHeadingID()),
	goldmark.WithRendererOptions(html.WithXHTML()),
)

// reading is the state of reading a page.
type reading struct {
	*Page
	parts  []listed
	faults []error
}

// listed is a part in the list of the start page.
type listed struct {
	title string
	files []string
}

func (b *Book) read(files fs.FS, file, part string) (*reading, error) {
	source, err := fs.ReadFile(files, file)
	if err != nil {
		return nil, fmt.Errorf("a page of the documentation: %w", err)
	}
	r := &reading{Page: &Page{File: file, Address: addressOf(file), Part: part}}
	if b.pages[r.Address] != nil {
		return nil, fmt.Errorf("%s: a second page has the address %s", file, r.Address)
	}
	tree := markdown.Parser().Parse(text.NewReader(source))
	err = ast.Walk(tree, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		if entering {
			r.visit(files, n, source)
		}
		return ast.WalkContinue, nil
	})
	if err := errors.Join(append(r.faults, err)...); err != nil {
		return nil, err
	}
	if r.Title == "" {
		return nil, fmt.Errorf("%s has no title", file)
	}
	b.sections = append(b.sections, sectionsOf(r.Page, tree, source)...)
	if first, ok := tree.FirstChild().(*ast.Heading); ok && first.Level == 1 {
		tree.RemoveChild(tree, first) // the layout adds the title
	}
	var out bytes.Buffer
	if err := markdown.Renderer().Render(&out, source, tree); err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	r.HTML = template.HTML(scrolled.Replace(out.String())) // goldmark leaves out any HTML of the source
	b.pages[r.Address] = r.Page
	return r, nil
}

// scrolled makes a wide table or command scroll by itself, also with the keyboard, without the page.
var scrolled = strings.NewReplacer(
	"<table>", `<div class="scroll" tabindex="0"><table>`, "</table>", "</table></div>", "<pre>", `<pre tabindex="0">`,
)

// visit collects the properties of a page from a node, and changes its links to addresses of the service.
func (r *reading) visit(files fs.FS, n ast.Node, source []byte) {
	switch n := n.(type) {
	case *ast.Heading:
		r.heading(n, source)
	case *ast.Link:
		file := r.resolve(string(n.Destination))
		if len(r.parts) > 0 && strings.HasSuffix(file, ".md") {
			last := &r.parts[len(r.parts)-1]
			last.files = append(last.files, file)
		}
		r.lead(files, &n.Destination)
	case *ast.Image:
		r.lead(files, &n.Destination)
	}
}

func (r *reading) heading(n *ast.Heading, source []byte) {
	title := textOf(n, source)
	switch n.Level {
	case 1:
		r.Title = title
	case 2:
		id, _ := n.AttributeString("id")
		name, _ := id.([]byte)
		r.Headings = append(r.Headings, Heading{string(name), title})
		if r.File == start {
			r.parts = append(r.parts, listed{title: title})
		}
	}
}

// resolve returns the file of the repository to which a link of the page leads; empty for other links.
func (r *reading) resolve(to string) string {
	name, _, _ := strings.Cut(to, "#")
	if name == "" || strings.Contains(name, ":") || strings.HasPrefix(name, "/") {
		return ""
	}
	return path.Join(path.Dir(r.File), name)
}

// lead replaces the name of a file by its address in the service.
func (r *reading) lead(files fs.FS, to *[]byte) {
	file := r.resolve(string(*to))
	if file == "" {
		return
	}
	_, anchor, found := strings.Cut(string(*to), "#")
	if found {
		anchor = "#" + anchor
	}
	_, err := fs.Stat(files, file)
	switch {
	case strings.HasPrefix(file, "deploy"):
		*to = []byte(Root + "/" + file)
	case err != nil:
		r.faults = append(r.faults, fmt.Errorf("%s leads to %s, which is not there", r.File, file))
	case strings.HasSuffix(file, ".schema.json"):
		*to = []byte("/api/" + path.Base(file))
	case strings.HasSuffix(file, ".md"):
		*to = []byte(addressOf(file) + anchor)
	default:
		*to = []byte(Root + "/" + strings.TrimPrefix(file, "docs/"))
	}
}

// textOf returns the text inside a node without its markup.
func textOf(n ast.Node, source []byte) string {
	var out strings.Builder
	_ = ast.Walk(n, func(n ast.Node, entering bool) (ast.WalkStatus, error) { // only its function returns errors
		if !entering {
			if n.Type() == ast.TypeBlock {
				out.WriteByte(' ')
			}
			return ast.WalkContinue, nil
		}
		switch n := n.(type) {
		case *ast.Text:
			out.Write(util.UnescapePunctuations(n.Segment.Value(source)))
			if n.SoftLineBreak() || n.HardLineBreak() {
				out.WriteByte(' ')
			}
		case *ast.String:
			out.Write(n.Value)
		case *ast.FencedCodeBlock, *ast.CodeBlock:
			for i := range n.Lines().Len() {
				line := n.Lines().At(i)
				out.Write(line.Value(source))
			}
		}
		return ast.WalkContinue, nil
	})
	return strings.Join(strings.Fields(out.String()), " ")
}
