// Package report renders comparisons for readers: a page that prints well and
// needs no script.
package report

import (
	"bytes"
	"embed"
	"encoding/base64"
	"fmt"
	"html/template"
	"io"
	"slices"
	"strings"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/core/ranking"
	"dappertally/core/scoring"
)

// Content is what a comparison report says.
type Content struct {
	Team     string
	Made     time.Time
	List     *checklist.Checklist
	Audience checklist.Audience
	Editions []string             // as chosen
	Missing  []string             // chosen, but without an accepted review
	Names    map[string]string    // of editions, by key
	Rigs     map[string]string    // names by key
	Cards    []scoring.Scorecard  // of all editions ranked, also those not chosen
	Ranking  ranking.Ranking      // of all
	Measures comparing.Comparison // against the baseline
}

//go:embed report.html
var page string

//go:embed fonts/*.woff2
var fontFiles embed.FS

// fonts is the report's typefaces, as they stand in every page.
var fonts = template.CSS(face("Report Serif", "400 900", "besley") + face("Report Sans", "400", "plex-400") + face("Report Sans", "600", "plex-600"))

func face(family, weight, file string) string {
	data, err := fontFiles.ReadFile("fonts/" + file + ".woff2")
	if err != nil {
		panic(err) // the files are embedded above
	}
	return fmt.Sprintf("@font-face{font-family:%q;font-weight:%s;src:url(data:font/woff2;base64,%s) format('woff2')}\n", family, weight, base64.StdEncoding.EncodeToString(data))
}

var tmpl = template.Must(template.New("report").Funcs(template.FuncMap{
	"one": oneDecimal, "percent": percent, "signed": signed, "number": number, "share": share,
}).Parse(page))

// HTML writes the report as one page of HTML with its styles and figure inside.
func HTML(w io.Writer, c Content) error {
	v := view{Content: c, Fonts: fonts}
	v.rows()
	if len(v.Ranked) > 0 {
		figure, err := rankingFigure(v.Ranked)
		if err != nil {
			return fmt.Errorf("drawing the ranking: %w", err)
		}
		v.Figure = template.HTML(figure) // drawn by us from numbers and escaped names
	}
	v.measures()
	var page bytes.Buffer
	if err := tmpl.Execute(&page, v); err != nil {
		return err
	}
	_, err := w.Write(page.Bytes())
	return err
}

type view struct {
	Content
	Ranked  []row // with a score, best first
	Others  []row // provisional and barred, alphabetical
	Figure  template.HTML
	Fonts   template.CSS
	Tables  []measureTable
	OfTotal int // how many editions the ranking has
}

type row struct {
	Edition, Name string
	Rank          int
	DeadHeat      bool
	Card          *scoring.Scorecard
	Note          string
}

func (v *view) rows() {
	v.OfTotal = len(v.Ranking.Ranking)
	for _, p := range v.Ranking.Ranking {
		if slices.Contains(v.Editions, p.Edition) {
			v.Ranked = append(v.Ranked, row{p.Edition, v.Names[p.Edition], p.Rank, p.DeadHeat, v.card(p.Edition), ""})
		}
	}
	for _, p := range v.Ranking.Provisional {
		if slices.Contains(v.Editions, p.Edition) {
			v.Others = append(v.Others, row{p.Edition, v.Names[p.Edition], 0, false, v.card(p.Edition),
				fmt.Sprintf("provisional: %s of the checklist answered, %s needed", share(p.Coverage), share(v.List.Policy.CoverageNeeded()))})
		}
	}
	for _, p := range v.Ranking.Barred {
		if slices.Contains(v.Editions, p.Edition) {
			card := v.card(p.Edition)
			v.Others = append(v.Others, row{p.Edition, v.Names[p.Edition], 0, false, card, barred(card, v.List)})
		}
	}
	for _, e := range v.Missing {
		v.Others = append(v.Others, row{e, v.Names[e], 0, false, nil, "no accepted review on this checklist version"})
	}
	slices.SortFunc(v.Others, func(a, b row) int { return strings.Compare(a.Edition, b.Edition) })
}

func barred(card *scoring.Scorecard, list *checklist.Checklist) string {
	var why []string
	for _, b := range card.Barred {
		why = append(why, fmt.Sprintf("%s has %s points, %s needed", title(list, b.Criterion), oneDecimal(&b.Points), oneDecimal(&b.Needs)))
	}
	return "barred: " + strings.Join(why, "; ")
}

func (v *view) card(edition string) *scoring.Scorecard {
	i := slices.IndexFunc(v.Cards, func(c scoring.Scorecard) bool { return c.Edition == edition })
	return &v.Cards[i]
}

// Section is the title of a section.
func (v view) Section(key string) string {
	for _, s := range v.List.Sections {
		if s.Key == key {
			return s.Title
		}
	}
	return key
}

// BaselineName is the edition that differences are taken against.
func (v view) BaselineName() string { return v.Names[v.Measures.Baseline] }

func title(list *checklist.Checklist, key string) string {
	if c, ok := list.Criterion(key); ok && c.Title != "" {
		return c.Title
	}
	return key
}

// measureTable is the measures of one section on one rig.
type measureTable struct {
	Section, Rig string
	Columns      []string
	Rows         []measureRow
}

type measureRow struct {
	Title, Unit, Better string
	Base                *float64
	Cells               []*comparing.Row
}

// measures lays the compared measures out: a table for each section and rig, a
// column for each edition beside the baseline.
func (v *view) measures() {
	var others []string
	for _, e := range v.Editions {
		if e != v.Measures.Baseline {
			others = append(others, e)
		}
	}
	for _, s := range v.List.Sections {
		for _, rig := range v.rigs() {
			t := measureTable{Section: s.Title, Rig: v.Rigs[rig]}
			for _, e := range others {
				t.Columns = append(t.Columns, v.Names[e])
			}
			for i := range s.Criteria {
				if r, any := v.measureRow(&s.Criteria[i], rig, others); any {
					t.Rows = append(t.Rows, r)
				}
			}
			if len(t.Rows) > 0 {
				v.Tables = append(v.Tables, t)
			}
		}
	}
}

func (v *view) measureRow(c *checklist.Criterion, rig string, others []string) (measureRow, bool) {
	r := measureRow{Title: title(v.List, c.Key), Unit: c.Unit, Better: c.Better, Cells: make([]*comparing.Row, len(others))}
	any := false
	for i := range v.Measures.Rows {
		x := &v.Measures.Rows[i]
		at := slices.Index(others, x.Edition)
		if x.Criterion != c.Key || x.Rig != rig || at < 0 {
			continue
		}
		r.Cells[at] = x
		any = true
		if x.BaselineValue != nil {
			r.Base = x.BaselineValue
		}
	}
	return r, any
}

func (v *view) rigs() []string {
	var rigs []string
	for _, r := range v.Measures.Rows {
		if !slices.Contains(rigs, r.Rig) {
			rigs = append(rigs, r.Rig)
		}
	}
	slices.Sort(rigs)
	return rigs
}
