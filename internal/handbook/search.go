package handbook

import (
	"cmp"
	"slices"
	"strings"

	"github.com/yuin/goldmark/ast"
)

// section is the part of a page below one heading.
type section struct {
	page  *Page
	id    string // anchor of its heading; empty for the text above the first one
	title string
	text  string // without markup
	lower string // the same in lower case, for searching
}

func sectionsOf(p *Page, tree ast.Node, source []byte) (all []section) {
	now := section{page: p, title: p.Title}
	end := func() {
		now.text = strings.TrimSpace(now.text)
		now.lower = strings.ToLower(now.text)
		if now.text != "" || now.id != "" {
			all = append(all, now)
		}
	}
	for n := tree.FirstChild(); n != nil; n = n.NextSibling() {
		if h, ok := n.(*ast.Heading); ok && h.Level > 1 {
			end()
			id, _ := h.AttributeString("id")
			name, _ := id.([]byte)
			now = section{page: p, id: string(name), title: textOf(h, source)}
			continue
		} else if ok {
			continue
		}
		now.text += textOf(n, source) + " "
	}
	end()
	return all
}

// Found is a section with all words of a search.
type Found struct {
	Page    *Page
	Title   string    // of the section
	Address string    // of the section
	Excerpt []Excerpt // around the first matching word
	weight  int
}

// Excerpt is a piece of text; Hit is true for a word of the search.
type Excerpt struct {
	Text string
	Hit  bool
}

// Limits of a search.
const (
	mostFound = 40
	mostWords = 8
	longest   = 200
)

// Search returns the sections that contain all words of a text, the best first, at most 40. It ignores case and also
// finds words inside longer ones; words in titles count more. A text without words finds nothing.
func (b *Book) Search(asked string) []Found {
	words := strings.Fields(strings.ToLower(asked[:min(len(asked), longest)]))
	words = words[:min(len(words), mostWords)]
	if len(words) == 0 {
		return nil
	}
	var all []Found
	for i := range b.sections {
		s := &b.sections[i]
		if w := s.weight(words); w > 0 {
			address := s.page.Address
			if s.id != "" {
				address += "#" + s.id
			}
			all = append(all, Found{s.page, s.title, address, s.excerpt(words), w})
		}
	}
	slices.SortStableFunc(all, func(a, b Found) int { return cmp.Compare(b.weight, a.weight) })
	return all[:min(len(all), mostFound)]
}

// weight returns how well a section matches; 0: it lacks a word.
func (s *section) weight(words []string) (sum int) {
	const inTitle, inPage, isTitle, most = 40, 8, 200, 5
	title, page := strings.ToLower(s.title), strings.ToLower(s.page.Title)
	if title == strings.Join(words, " ") {
		sum = isTitle
	}
	for _, w := range words {
		n := min(strings.Count(s.lower, w), most)
		if strings.Contains(title, w) {
			n += inTitle
		}
		if n > 0 && strings.Contains(page, w) {
			n += inPage
		}
		if n == 0 {
			return 0
		}
		sum += n
	}
	if strings.HasPrefix(s.page.File, "docs/") {
		sum *= 2 // the changelog explains less
	}
	return sum
}

// around is how many bytes an excerpt has on each side of the word.
const around = 90

// excerpt returns the text around the first word that occurs in the section, with all words marked.
func (s *section) excerpt(words []string) []Excerpt {
	if len(s.lower) != len(s.text) { // a letter's lower case has another length: positions do not match
		return []Excerpt{{Text: clip(s.text, 2*around)}}
	}
	first := len(s.text)
	for _, w := range words {
		if i := strings.Index(s.lower, w); i >= 0 {
			first = min(first, i)
		}
	}
	if first == len(s.text) {
		first = 0
	}
	from, to := max(0, first-around), min(len(s.text), first+2*around)
	if i := strings.IndexByte(s.text[from:first], ' '); from > 0 && i >= 0 {
		from += i + 1
	}
	if i := strings.LastIndexByte(s.text[first:to], ' '); to < len(s.text) && i > 0 {
		to = first + i
	}
	var out []Excerpt
	if from > 0 {
		out = append(out, Excerpt{Text: "… "})
	}
	for from < to {
		at, hit := to, ""
		for _, w := range words {
			if i := strings.Index(s.lower[from:to], w); i >= 0 && from+i < at {
				at, hit = from+i, w
			}
		}
		if at > from {
			out = append(out, Excerpt{Text: s.text[from:at]})
		}
		if hit != "" {
			out = append(out, Excerpt{s.text[at : at+len(hit)], true})
		}
		from = at + len(hit)
	}
	if to < len(s.text) {
		out = append(out, Excerpt{Text: " …"})
	}
	return out
}

// clip returns the first bytes of a text, up to a space.
func clip(text string, most int) string {
	if len(text) <= most {
		return text
	}
	if i := strings.LastIndexByte(text[:most], ' '); i > 0 {
		return text[:i] + " …"
	}
	return strings.ToValidUTF8(text[:most], "") + " …"
}
