// Package reporting defines comparison reports: what a report is about, its parts, the bundle of all that it rests
// on, and the results, which are computed from that bundle alone.
package reporting

import (
	"slices"
	"strings"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/fault"
)

// Spec is what a report is about and what it says, as its authors write it.
type Spec struct {
	Title      string          `json:"title"`
	About      string          `json:"about,omitempty"`     // in one sentence, for lists and previews of links
	Checklist  string          `json:"checklist,omitempty"` // key@version; empty: the shown version
	Audiences  []string        `json:"audiences,omitempty"` // keys; the first is the main one, "" being everybody
	Editions   []string        `json:"editions,omitempty"`  // full keys, or else
	Group      catalogue.Group `json:"group,omitzero"`      // those that match the group
	Baseline   string          `json:"baseline,omitempty"`  // an edition; empty: the leader of the main audience
	Rigs       []string        `json:"rigs,omitempty"`      // if set, the only rigs that measures count on
	CommonRigs bool            `json:"commonRigs,omitempty"`
	At         *time.Time      `json:"at,omitempty"`   // the moment of the results; nil: the moment of publishing
	Plan       string          `json:"plan,omitempty"` // id of the comparison plan that it answers
	Parts      []Part          `json:"parts"`
}

// Part is one part of a report: prose, and what its kind fills in below it.
type Part struct {
	ID    string `json:"id"` // stays the same when the part is moved or rewritten
	Kind  string `json:"kind"`
	Title string `json:"title,omitempty"` // replaces the heading of its kind
	Text  string `json:"text,omitempty"`  // Markdown, with references to figures in braces
}

// Erratum is what a revision of a published report corrects, and why.
type Erratum struct {
	What       string `json:"what"`
	Why        string `json:"why"`
	Suggestion string `json:"suggestion,omitempty"` // id of the reader's correction that led to it
	Reader     string `json:"reader,omitempty"`     // how that reader wants to be named
}

// The kinds of part.
const (
	Summary    = "summary"
	Prose      = "text"
	Ranking    = "ranking"
	Sureness   = "sureness"
	Sections   = "sections"
	Measures   = "measures"
	HeadToHead = "head-to-head"
	Facts      = "facts"
	Findings   = "findings"
	Releases   = "releases"
	Verdicts   = "verdicts"
	Advice     = "advice"
	Shots      = "shots"
	Contenders = "contenders"
	Method     = "method"
	Checklist  = "checklist"
	Rigs       = "rigs"
	Caveats    = "caveats"
)

// Kind is a kind of part: its default heading, and what it fills in.
type Kind struct{ Key, Title, Says string }

// Kinds lists the kinds of part, in the order that a new report has them.
var Kinds = []Kind{
	{Summary, "Summary", "nothing: your own text, at the top"},
	{Ranking, "Ranking", "ranks and points for each audience, and who is not ranked and why"},
	{
		Sureness,
		"How steady is this ranking",
		"how often the order holds when the weights are varied at random, and which weight changes " +
			"the leader",
	},
	{Sections, "Section by section", "the points of every criterion, section by section"},
	{Measures, "Measures", "what was measured, rig by rig, next to the baseline"},
	{HeadToHead, "Head to head", "who wins how many criteria against whom"},
	{Facts, "Facts side by side", "what was recorded and is never scored"},
	{Findings, "Findings", "strengths, weaknesses and quirks, and tested claims"},
	{Releases, "Since the last release", "how each edition changed since the release before"},
	{Verdicts, "For whom", "for whom each edition is recommended"},
	{Advice, "Upgrade, wait or stay", "the advice for users of the release before"},
	{Shots, "Pictures", "the standard screenshots, side by side"},
	{Contenders, "The contenders", "what the editions are and aim to be"},
	{Method, "Method", "how the results came about, and how to recompute them"},
	{Checklist, "The checklist", "the questions and their weights"},
	{Rigs, "The rigs", "the machines"},
	{Caveats, "Caveats and disclosures", "all that a reader needs to know before trusting a figure"},
	{Prose, "Text", "nothing: your own text, as often as you like"},
}

// Heading is the title of a part.
func (p *Part) Heading() string {
	if p.Title != "" {
		return p.Title
	}
	if i := slices.IndexFunc(Kinds, func(k Kind) bool { return k.Key == p.Kind }); i >= 0 {
		return Kinds[i].Title
	}
	return p.Kind
}

// Has reports whether the report has a part of one of the kinds.
func (s *Spec) Has(kinds ...string) bool {
	return slices.ContainsFunc(s.Parts, func(p Part) bool { return slices.Contains(kinds, p.Kind) })
}

// Bounds of a report.
const (
	MostParts    = 60
	MostEditions = 60
	LongestTitle = 200
	LongestText  = 100_000 // bytes of the text of one part
)

// Validate reports the faults of a report's draft. The caller checks that editions and audiences exist; references in
// the text are checked once the figures are computed.
func (s *Spec) Validate(book *fault.Book) {
	if t := strings.TrimSpace(s.Title); t == "" || len(t) > LongestTitle {
		book.Field("title", "give the report a title of 1 to %d bytes", LongestTitle)
	}
	if len(s.About) > 500 {
		book.Field("about", "give a summary in one sentence of at most 500 bytes")
	}
	if len(s.Editions) > 0 && !s.Group.Empty() {
		book.Field("group", "list editions or choose them by a filter, not both")
	}
	if len(s.Editions) > MostEditions {
		book.Field("editions", "%d are more than the %d that a report may be about", len(s.Editions), MostEditions)
	}
	once(book, "editions", s.Editions)
	once(book, "audiences", s.Audiences)
	if len(s.Parts) > MostParts {
		book.Field("parts", "%d are more than the %d parts that a report may have", len(s.Parts), MostParts)
		return
	}
	book.In("parts", func() { s.validateParts(book) })
}

func once(book *fault.Book, field string, keys []string) {
	for i, key := range keys {
		if slices.Contains(keys[:i], key) {
			book.In(field, func() { book.In(i, func() { book.Add("%s is duplicated", key) }) })
		}
	}
}

func (s *Spec) validateParts(book *fault.Book) {
	ids, kinds := map[string]bool{}, map[string]bool{}
	for i, p := range s.Parts {
		book.In(i, func() {
			checklist.NoteKey(book, "id", p.ID)
			if ids[p.ID] {
				book.Field("id", "%s is duplicated", p.ID)
			}
			switch {
			case !slices.ContainsFunc(Kinds, func(k Kind) bool { return k.Key == p.Kind }):
				book.Field("kind", "%.70q is not a kind of part", p.Kind)
			case p.Kind != Prose && kinds[p.Kind]:
				book.Field("kind", "there is already a part %q; use a part of kind %q for more text", p.Kind, Prose)
			}
			if len(p.Title) > LongestTitle {
				book.Field("title", "is longer than %d bytes", LongestTitle)
			}
			if len(p.Text) > LongestText {
				book.Field("text", "is longer than %d bytes", LongestText)
			}
		})
		ids[p.ID], kinds[p.Kind] = true, true
	}
	if !kinds[Caveats] {
		book.Add("the part %q cannot be left out: readers need to know what the figures are based on", Caveats)
	}
}

// Main returns the report's main audience.
func (s *Spec) Main() string {
	if len(s.Audiences) == 0 {
		return ""
	}
	return s.Audiences[0]
}
