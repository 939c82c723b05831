package reading

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/fault"
)

// oneOfEach is a sound entry of every part.
func oneOfEach() []Entry {
	head := func(n string) Head {
		return Head{
			ID:       "019a8f00-0000-7000-8000-00000000000" + n,
			At:       time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC),
			Reviewer: "ines",
		}
	}
	state := head("1")
	state.ID = "s1"
	return []Entry{
		{
			System: &System{
				Head:      state,
				Installed: []string{"full"},
				Facts:     map[string]Fact{"kernel.version": {Text: "6.14"}},
			},
		},
		{
			Finding: &Finding{
				Head:      head("2"),
				Sort:      "weakness",
				Title:     "No sound",
				Severity:  "major",
				Criterion: "guide",
			},
		},
		{Change: &Change{Head: head("3"), Component: "kernel", Is: "6.14", Source: "found", Effect: "better"}},
		{
			Claim: &Claim{
				Head:     head("4"),
				Text:     "fast",
				By:       "makers",
				Source:   "their page",
				State:    "open",
				Criteria: []string{"guide"},
			},
		},
		{Journal: &Journal{Head: head("5"), Text: "day one"}},
		{Experience: &Experience{Head: head("6"), Text: "two years", Since: "daily"}},
		{Verdict: &Verdict{Head: head("7"), Audience: "pensioner", Verdict: "recommended", Reason: "calm"}},
		{Advice: &Advice{Head: head("8"), Advice: "wait", Reason: "one more release"}},
		{Use: &Use{Head: head("9"), Days: 7}},
		{Disclosure: &Disclosure{Head: head("a"), Text: "uses it at home"}},
		{Evidence: &Evidence{Head: head("b"), Link: "https://example.org/1", TimeCode: "1:02:03", Shot: "menu"}},
	}
}

func entryList() *checklist.Checklist {
	return &checklist.Checklist{
		Key: "desk", Version: 1, Sections: []checklist.Section{{Key: "all", Criteria: []checklist.Criterion{{Key: "guide", Kind: checklist.Grade}}}},
		Audiences: []checklist.Audience{{Key: "pensioner"}}, Shots: []checklist.Named{{Key: "menu"}},
	}
}

// TestEveryPart takes each part through validation, a review and back.
func TestEveryPart(t *testing.T) {
	entries := oneOfEach()
	if len(entries) != len(Parts) {
		t.Fatalf("%d entries for %d parts", len(entries), len(Parts))
	}
	var r Review
	r.Take(entries)
	back := r.Entries()
	for i := range entries {
		part, _ := entries[i].Part()
		if part != Parts[i] {
			t.Errorf("part %d is %q, want %q", i, part, Parts[i])
		}
		var book fault.Book
		ValidateEntry(&entries[i], entryList(), &book)
		if faults := book.List(); len(faults) > 0 {
			t.Errorf("%s: %v", part, faults)
		}
		if !reflect.DeepEqual(back[i], entries[i]) {
			t.Errorf("%s comes back as %+v", part, back[i])
		}
	}
	text, err := json.Marshal(r)
	if err != nil {
		t.Fatal(err)
	}
	order := -1
	for _, key := range []string{"states", "readings", "findings", "changes", "claims", "journal", "experience", "verdicts"} {
		at := strings.Index(string(text), `"`+key+`"`)
		if at < order {
			t.Errorf("%s does not stand in the bundle's order: %s", key, text)
		}
		order = at
	}
}

func TestEntriesAreHeldToTheRules(t *testing.T) {
	for _, c := range []struct {
		part  int
		spoil func(*Entry)
		at    string
	}{
		{0, func(e *Entry) { e.System.ID = "A state" }, "/system/id"},
		{0, func(e *Entry) { e.System.Changed = []string{" "} }, "/system/changed/0"},
		{0, func(e *Entry) { e.System.Updated = make([]string, 300) }, "/system/updated"},
		{1, func(e *Entry) { e.Finding.ID = "x" }, "/finding/id"},
		{1, func(e *Entry) { e.Finding.Severity = "" }, "/finding/severity"},
		{1, func(e *Entry) { e.Finding.Title = strings.Repeat("x", 300) }, "/finding/title"},
		{1, func(e *Entry) { e.Finding.Fate = "fixed" }, "/finding/follows"},
		{1, func(e *Entry) { e.Finding.Follows = "f" }, "/finding/fate"},
		{1, func(e *Entry) { e.Finding.Reported = []string{"data:text/html,x"} }, "/finding/reported/0"},
		{2, func(e *Entry) { e.Change.Effect = "nice" }, "/change/effect"},
		{2, func(e *Entry) { e.Change.Is = "" }, "/change/is"},
		{3, func(e *Entry) { e.Claim.State = "upheld" }, "/claim/reason"},
		{3, func(e *Entry) { e.Claim.Criteria = []string{"other"} }, "/claim/criteria/0"},
		{4, func(e *Entry) { e.Journal.Text = "" }, "/journal/text"},
		{6, func(e *Entry) { e.Verdict.Audience = "" }, "/verdict/audience"},
		{6, func(e *Entry) { e.Verdict.Verdict = "conditional" }, "/verdict/conditions"},
		{7, func(e *Entry) { e.Advice.Advice = "run" }, "/advice/advice"},
		{8, func(e *Entry) { e.Use.Days = -1 }, "/use/days"},
		{10, func(e *Entry) { e.Evidence.Link = "" }, "/evidence/sha256"},
		{10, func(e *Entry) { e.Evidence.Of = "x" }, "/evidence/shot"},
		{10, func(e *Entry) { e.Evidence.SHA256 = strings.Repeat("a", 64) }, "/evidence/link"},
	} {
		e := oneOfEach()[c.part]
		c.spoil(&e)
		var book fault.Book
		ValidateEntry(&e, entryList(), &book)
		found := false
		for _, f := range book.List() {
			found = found || f.Pointer == c.at
		}
		if !found {
			t.Errorf("want a fault at %s, got %v", c.at, book.List())
		}
	}
	var book fault.Book
	two := Entry{Journal: &Journal{}, Use: &Use{}}
	ValidateEntry(&two, entryList(), &book)
	if len(book.List()) != 1 {
		t.Errorf("two parts at once: %v", book.List())
	}
}
