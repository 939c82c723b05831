package report_test

import (
	"bytes"
	"encoding/xml"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"golang.org/x/net/html"

	"dappertally/internal/report"
)

// The page is one file that people and programs can read.
func TestPageIsSound(t *testing.T) {
	f := frozen(t)
	page := f.File(report.PageFile).Body
	doc, err := html.Parse(bytes.NewReader(page))
	if err != nil {
		t.Fatal(err)
	}
	ids := map[string]int{}
	level := 0
	names := map[string]bool{}
	each(doc, func(n *html.Node) {
		if id := attribute(n, "id"); id != "" {
			ids[id]++
		}
		switch n.Data {
		case "h1", "h2", "h3", "h4":
			now := int(n.Data[1] - '0')
			if now > level+1 {
				t.Errorf("%s %q follows a heading of level %d", n.Data, textOf(n), level)
			}
			level = now
		case "script", "iframe", "object", "embed", "form", "link":
			t.Errorf("the page has a %s", n.Data)
		case "img":
			if src := attribute(n, "src"); !strings.HasPrefix(src, "data:image/") || attribute(n, "alt") == "" {
				t.Errorf("a picture from %.40q, called %q", src, attribute(n, "alt"))
			}
		case "a":
			if href := attribute(n, "href"); !strings.HasPrefix(href, "/") && !strings.HasPrefix(href, "#") {
				t.Errorf("a link to %q", href)
			}
		case "th":
			if attribute(n, "scope") == "" {
				t.Errorf("the heading %q does not say what it heads", textOf(n))
			}
		case "svg":
			if attribute(n, "role") != "img" || len(attribute(n, "aria-label")) < 40 {
				t.Errorf("a figure is called %q", attribute(n, "aria-label"))
			}
		case "dl":
			terms(t, n)
		case "meta":
			names[attribute(n, "name")+attribute(n, "property")] = true
		}
		for _, a := range n.Attr {
			if strings.HasPrefix(a.Key, "on") {
				t.Errorf("%s has %s", n.Data, a.Key)
			}
		}
	})
	for id, n := range ids {
		if n > 1 {
			t.Errorf("%d elements are called %s", n, id)
		}
	}
	for _, p := range f.Document.Spec.Parts {
		if ids[p.ID] != 1 {
			t.Errorf("the part %s cannot be linked to", p.ID)
		}
	}
	for _, name := range []string{"viewport", "description", "og:title", "og:description", "article:published_time"} {
		if !names[name] {
			t.Errorf("no %s", name)
		}
	}
	for _, load := range regexp.MustCompile(`url\(([^)]*)\)|@import`).FindAllStringSubmatch(string(page), -1) {
		if !strings.HasPrefix(load[1], "data:") {
			t.Errorf("the page loads %.60q", load[0])
		}
	}
}

// terms requires a list of names, each once, with its description.
func terms(t *testing.T, list *html.Node) {
	t.Helper()
	var seen []string
	said := 0
	for n := list.FirstChild; n != nil; n = n.NextSibling {
		switch {
		case n.Type != html.ElementNode:
		case n.Data == "dt":
			if len(seen) > 0 && said == 0 {
				t.Errorf("%q is missing", seen[len(seen)-1])
			}
			if name := textOf(n); slices.Contains(seen, name) {
				t.Errorf("%q is named twice in one list", name)
			}
			seen, said = append(seen, textOf(n)), 0
		case n.Data == "dd":
			said++
		default:
			t.Errorf("a list of names holds a %s", n.Data)
		}
	}
	if len(seen) == 0 || said == 0 {
		t.Error("a list of names is empty, or ends with a name")
	}
}

func each(n *html.Node, do func(*html.Node)) {
	if n.Type == html.ElementNode {
		do(n)
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		each(c, do)
	}
}

func attribute(n *html.Node, key string) string {
	for _, a := range n.Attr {
		if a.Key == key {
			return a.Val
		}
	}
	return ""
}

func textOf(n *html.Node) string {
	var out strings.Builder
	var walk func(*html.Node)
	walk = func(n *html.Node) {
		if n.Type == html.TextNode {
			out.WriteString(n.Data)
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			walk(c)
		}
	}
	walk(n)
	return strings.TrimSpace(out.String())
}

// Texts of figures are legible and inside the figure, and have the colours of the scheme that the reader's system
// chooses.
func TestFiguresAreLegible(t *testing.T) {
	f := frozen(t)
	seen := 0
	for _, x := range f.Files {
		if !strings.HasSuffix(x.Name, ".svg") {
			continue
		}
		seen++
		var width, height float64
		in := xml.NewDecoder(bytes.NewReader(x.Body))
		for {
			token, err := in.Token()
			if err == io.EOF {
				break
			}
			if err != nil {
				t.Fatalf("%s: %v", x.Name, err)
			}
			e, ok := token.(xml.StartElement)
			if !ok {
				continue
			}
			is := map[string]string{}
			for _, a := range e.Attr {
				is[a.Name.Local] = a.Value
			}
			switch e.Name.Local {
			case "svg":
				box := strings.Fields(is["viewBox"])
				if len(box) != 4 {
					t.Fatalf("%s has no viewBox: %v", x.Name, is)
				}
				width, height = number(t, box[2]), number(t, box[3])
			case "text":
				at, size := number(t, is["x"]), sizeOf(t, is["style"])
				if size < 9 {
					t.Errorf("%s: a text of %v points", x.Name, size)
				}
				if at < 0 || at > width {
					t.Errorf("%s: a text begins at %v of %v", x.Name, at, width)
				}
			}
			if strings.Contains(is["style"], "#") {
				t.Errorf("%s: a colour of its own: %s", x.Name, is["style"])
			}
		}
		if width < 500 || height < 20 {
			t.Errorf("%s is %v by %v", x.Name, width, height)
		}
	}
	if seen < 6 {
		t.Errorf("only %d figures", seen)
	}
}

func number(t *testing.T, text string) float64 {
	t.Helper()
	x, err := strconv.ParseFloat(strings.TrimSuffix(strings.TrimSuffix(text, "pt"), "px"), 64)
	if err != nil {
		t.Fatal(err)
	}
	return x
}

var fontSize = regexp.MustCompile(`font-size:\s*([0-9.]+)p[xt]`)

func sizeOf(t *testing.T, style string) float64 {
	t.Helper()
	found := fontSize.FindStringSubmatch(style)
	if found == nil {
		t.Fatalf("no size in %q", style)
	}
	return number(t, found[1])
}

// Every table of the Markdown has as many cells in each row as in its heading.
func TestMarkdownTables(t *testing.T) {
	f := frozen(t)
	columns, row := 0, 0
	for line := range strings.Lines(string(f.File(report.MarkdownFile).Body)) {
		if !strings.HasPrefix(line, "|") {
			columns, row = 0, 0
			continue
		}
		cells := strings.Count(strings.ReplaceAll(line, `\|`, ""), "|") - 1
		if row == 0 {
			columns = cells
		}
		if cells != columns {
			t.Errorf("%d cells below a heading of %d: %s", cells, columns, line)
		}
		row++
	}
}
