package reporting_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"dappertally/core/catalogue"
	"dappertally/core/fault"
	"dappertally/core/reporting"
)

// short is the smallest valid report.
func short() reporting.Spec {
	return reporting.Spec{Title: "Two for the library", Editions: []string{"a/1/x", "b/1/x"}, Parts: []reporting.Part{
		{
			ID:   "summary",
			Kind: reporting.Summary,
		}, {ID: "one", Kind: reporting.Prose}, {ID: "two", Kind: reporting.Prose}, {ID: "caveats", Kind: reporting.Caveats},
	}}
}

func TestValidate(t *testing.T) {
	long := func(n int) string { return strings.Repeat("x", n) }
	for _, c := range []struct {
		name   string
		change func(*reporting.Spec)
		want   []string // pointers with their messages
	}{
		{"sound", func(*reporting.Spec) {}, nil},
		{"no title", func(s *reporting.Spec) { s.Title = "  " }, []string{"/title give the report a title"}},
		{"a long title", func(s *reporting.Spec) { s.Title = long(201) }, []string{"/title give the report a title"}},
		{"a long sentence", func(s *reporting.Spec) { s.About = long(501) }, []string{"/about give a summary in one sentence"}},
		{"listed and chosen", func(s *reporting.Spec) { s.Group = catalogue.Group{Newest: true} }, []string{"/group list editions or choose"}},
		{"an edition twice", func(s *reporting.Spec) { s.Editions = append(s.Editions, "a/1/x") }, []string{"/editions/2 a/1/x is duplicated"}},
		{"an audience twice", func(s *reporting.Spec) { s.Audiences = []string{"p", "p"} }, []string{"/audiences/1 p is duplicated"}},
		{"too many editions", func(s *reporting.Spec) {
			for i := range reporting.MostEditions {
				s.Editions = append(s.Editions, fmt.Sprintf("c/%d/x", i))
			}
		}, []string{"/editions 62 are more than the 60"}},
		{"too many parts", func(s *reporting.Spec) { s.Parts = make([]reporting.Part, reporting.MostParts+1) }, []string{"/parts 61 are more than the 60 parts"}},
		{"no caveats", func(s *reporting.Spec) { s.Parts = s.Parts[:3] }, []string{`/parts the part "caveats" cannot be left out`}},
		{"a part of no kind", func(s *reporting.Spec) { s.Parts[0].Kind = "poem" }, []string{`/parts/0/kind "poem" is not a kind of part`}},
		{"two summaries", func(s *reporting.Spec) { s.Parts[1].Kind = reporting.Summary }, []string{`/parts/1/kind there is already a part "summary"`}},
		{"an id twice", func(s *reporting.Spec) { s.Parts[2].ID = "one" }, []string{"/parts/2/id one is duplicated"}},
		{"an id that is none", func(s *reporting.Spec) { s.Parts[2].ID = "Two!" }, []string{`/parts/2/id "Two!" is not a key`}},
		{"long words", func(s *reporting.Spec) { s.Parts[0].Title, s.Parts[0].Text = long(201), long(100_001) }, []string{"/parts/0/title is longer", "/parts/0/text is longer"}},
		{"all at once", func(s *reporting.Spec) { s.Title, s.Parts = "", s.Parts[:1] }, []string{"/title give", "/parts the part"}},
	} {
		s := short()
		c.change(&s)
		var book fault.Book
		s.Validate(&book)
		var got []string
		for _, f := range book.List() {
			got = append(got, f.Pointer+" "+f.Detail)
		}
		if len(got) != len(c.want) || slices.ContainsFunc(c.want, func(want string) bool {
			return !slices.ContainsFunc(got, func(g string) bool { return strings.HasPrefix(g, want) })
		}) {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}

func TestSpec(t *testing.T) {
	s := short()
	if !s.Has(reporting.Ranking, reporting.Caveats) || s.Has(reporting.Ranking) {
		t.Error("what parts there are is told wrongly")
	}
	if s.Main() != "" {
		t.Errorf("without audiences its main audience is %q", s.Main())
	}
	if s.Audiences = []string{"pensioner", ""}; s.Main() != "pensioner" {
		t.Errorf("the main audience is %q", s.Main())
	}
	for _, c := range []struct {
		part reporting.Part
		want string
	}{
		{reporting.Part{Kind: reporting.Sureness}, "How steady is this ranking"},
		{reporting.Part{Kind: reporting.Sureness, Title: "Would we bet"}, "Would we bet"},
		{reporting.Part{Kind: "of-tomorrow"}, "of-tomorrow"},
	} {
		if got := c.part.Heading(); got != c.want {
			t.Errorf("%+v is headed %q, not %q", c.part, got, c.want)
		}
	}
	seen := map[string]bool{}
	for _, k := range reporting.Kinds {
		if seen[k.Key] || k.Title == "" {
			t.Errorf("the kind %q is there twice, or has no heading", k.Key)
		}
		seen[k.Key] = true
	}
}
