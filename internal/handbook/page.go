package handbook

import (
	"bytes"
	_ "embed"
	"fmt"
	"html/template"
	"io"
)

//go:embed page.html
var page string

//go:embed style.css
var style string

// Style is the stylesheet of all pages, without typefaces and colours.
func Style() string { return style }

var layout = template.Must(template.New("page").Parse(page))

// view is the data of the layout.
type view struct {
	*Book
	Team   string
	Title  string
	Now    *Page // the current page; nil: none
	Asked  string
	Found  []Found
	Search bool
	All    bool
}

// Write writes a page.
func (b *Book) Write(w io.Writer, p *Page, team string) error {
	return b.write(w, &view{Book: b, Team: team, Title: p.Title, Now: p})
}

// WriteFound writes the results of a search.
func (b *Book) WriteFound(w io.Writer, asked, team string) error {
	return b.write(w, &view{
		Book: b, Team: team, Title: "Search the documentation", Asked: asked, Found: b.Search(asked), Search: true,
	})
}

// WriteAll writes all pages as one, to be printed.
func (b *Book) WriteAll(w io.Writer, team string) error {
	return b.write(w, &view{Book: b, Team: team, Title: "The whole documentation", All: true})
}

// WriteMissing writes that there is no page at an address, with the results of a search for its words.
func (b *Book) WriteMissing(w io.Writer, words, team string) error {
	return b.write(w, &view{
		Book: b, Team: team, Title: "There is no such page", Asked: words, Found: b.Search(words), Search: true,
	})
}

func (b *Book) write(w io.Writer, v *view) error {
	var out bytes.Buffer
	if err := layout.Execute(&out, v); err != nil {
		return fmt.Errorf("laying out a page of the documentation: %w", err)
	}
	_, err := w.Write(out.Bytes())
	return err
}
