// Package front writes what readers, search engines and other pages get without the console's code: the first view of
// a page inside the console's page, metadata, pages for embedding, and pictures for links.
package front

import (
	"bytes"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"math"
	"strings"
	"time"

	"dappertally/internal/numerals"
)

//go:embed *.tmpl
var files embed.FS

var templates = template.Must(template.New("").Funcs(template.FuncMap{
	"score":   func(x *float64) string { return numerals.Score(x) },
	"percent": func(x float64) string { return numerals.Share(x) },
	"whole": func(x *float64) string {
		if x == nil {
			return numerals.None
		}
		return fmt.Sprint(math.Round(*x))
	},
	"section": func(i int) string { return fmt.Sprintf("var(--section-%d)", i%8+1) },
}).ParseFS(files, "*.tmpl"))

// Page is a page of the console before its code is loaded.
type Page struct {
	Title       string // title of the window, without the product's name
	Description string
	Address     string // the canonical address
	Picture     string // for link previews; empty: none
	Data        []any  // structured data, each an object of schema.org
	Team        string
	Content     template.HTML
	// Known is what the console would request first, by the id of the element that holds it.
	Known map[string][]byte
}

// Entry is an edition in a ranking.
type Entry struct {
	Rank                           int
	DeadHeat                       bool
	Address                        string
	Distribution, Release, Edition string
	Overall, Low, High             *float64
	Sections                       []*float64
	Coverage, Measured             float64
	Range                          string
	Remarks                        string
}

// Ranking is the first view of a ranking.
type Ranking struct {
	Title, Checklist string
	Count            int
	Sections         []Section
	Entries          []Entry
}

// Section is a section of a checklist.
type Section struct {
	Title string
	Share float64
	Score *float64 // of a scorecard
}

// Scorecard is the first view of an edition's scorecard.
type Scorecard struct {
	Distribution, Release, Edition string
	Checklist                      string
	Address                        string
	Overall                        *float64
	Rank, Ranked                   int // 0: not ranked
	Sections                       []Section
	Accepted                       time.Time
	Coverage                       float64
}

// RankingContent draws the first view of a ranking.
func RankingContent(r *Ranking) (template.HTML, error) { return content("ranking.tmpl", r) }

// ScorecardContent draws the first view of a scorecard.
func ScorecardContent(s *Scorecard) (template.HTML, error) { return content("scorecard.tmpl", s) }

func content(name string, data any) (template.HTML, error) {
	var out strings.Builder
	if err := templates.ExecuteTemplate(&out, name, data); err != nil {
		return "", fmt.Errorf("drawing the first view: %w", err)
	}
	return template.HTML(out.String()), nil //nolint:gosec // it is from a template that escapes
}

// Frame draws a ranking or a scorecard as a small page without a script, for embedding in another page.
func Frame(data any) ([]byte, error) {
	name := map[bool]string{true: "frame_ranking.tmpl", false: "frame_scorecard.tmpl"}[isRanking(data)]
	var out bytes.Buffer
	if err := templates.ExecuteTemplate(&out, name, data); err != nil {
		return nil, fmt.Errorf("drawing the frame: %w", err)
	}
	return out.Bytes(), nil
}

func isRanking(data any) bool {
	_, ok := data.(*Ranking)
	return ok
}

// The parts of the console's page that are replaced.
const (
	title = "<title>Dapper Tally</title>"
	end   = "</head>"
	root  = `<div id="root"></div>`
)

// Into writes a page into the console's page.
func Into(index []byte, p *Page) ([]byte, error) {
	if !bytes.Contains(index, []byte(root)) || !bytes.Contains(index, []byte(title)) {
		return nil, errors.New("the console's page has no place for a first view")
	}
	var head, body strings.Builder
	if err := templates.ExecuteTemplate(&head, "head.tmpl", p); err != nil {
		return nil, fmt.Errorf("describing the page: %w", err)
	}
	for _, object := range p.Data {
		text, err := json.Marshal(object) // it escapes what would end the element
		if err != nil {
			return nil, fmt.Errorf("describing the page: %w", err)
		}
		fmt.Fprintf(&head, `<script type="application/ld+json">%s</script>`, text)
	}
	if err := templates.ExecuteTemplate(&body, "body.tmpl", p); err != nil {
		return nil, fmt.Errorf("drawing the first view: %w", err)
	}
	for id, text := range p.Known {
		fmt.Fprintf(&body, `<script type="application/json" id="%s">%s</script>`, id, text)
	}
	page := bytes.Replace(index, []byte(title),
		[]byte("<title>"+template.HTMLEscapeString(p.Title)+" · Dapper Tally</title>"), 1)
	page = bytes.Replace(page, []byte(end), []byte(head.String()+end), 1)
	return bytes.Replace(page, []byte(root), []byte(body.String()), 1), nil
}
