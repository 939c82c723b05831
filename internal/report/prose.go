package report

import (
	"bytes"
	"html/template"
	"regexp"

	"github.com/microcosm-cc/bluemonday"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	tables "github.com/yuin/goldmark/extension/ast"
	"github.com/yuin/goldmark/parser"
	"github.com/yuin/goldmark/text"
	"github.com/yuin/goldmark/util"
)

// markdown converts the authors' text. Its headings are one level below those of the parts, and table headings are
// marked as column headings.
var markdown = goldmark.New(goldmark.WithExtensions(extension.Table, extension.Strikethrough, extension.Typographer),
	goldmark.WithParserOptions(parser.WithASTTransformers(util.Prioritized(headings{}, 100))))

type headings struct{}

func (headings) Transform(doc *ast.Document, _ text.Reader, _ parser.Context) {
	_ = ast.Walk(doc, func(n ast.Node, entering bool) (ast.WalkStatus, error) { // the visitor below returns no error
		switch {
		case !entering:
		case n.Kind() == ast.KindHeading:
			h := n.(*ast.Heading)
			h.Level = min(h.Level+2, 6)
		case n.Kind() == tables.KindTableCell && n.Parent().Kind() == tables.KindTableHeader:
			n.SetAttributeString("scope", []byte("col"))
		}
		return ast.WalkContinue, nil
	})
}

// clean allows what text needs and nothing that loads or runs: a report is one file, and its pictures are its own.
var clean = func() *bluemonday.Policy {
	p := bluemonday.NewPolicy()
	p.AllowStandardURLs()
	p.AllowElements(
		"p",
		"br",
		"hr",
		"em",
		"strong",
		"del",
		"code",
		"pre",
		"blockquote",
		"ul",
		"ol",
		"li",
		"h3",
		"h4",
		"h5",
		"h6",
		"table",
		"thead",
		"tbody",
		"tr",
		"th",
		"td",
	)
	p.AllowAttrs("href").OnElements("a")
	p.AllowAttrs("scope").Matching(regexp.MustCompile(`^col$`)).OnElements("th")
	p.AllowAttrs("start").Matching(bluemonday.Integer).OnElements("ol")
	p.RequireNoFollowOnLinks(false)
	return p
}()

// proseHTML returns the authors' Markdown as HTML that is safe to show.
func proseHTML(source string) (template.HTML, error) {
	var out bytes.Buffer
	if err := markdown.Convert([]byte(source), &out); err != nil {
		return "", err
	}
	return template.HTML(clean.SanitizeBytes(out.Bytes())), nil
}
