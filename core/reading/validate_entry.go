package reading

import (
	"net/url"
	"regexp"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/fault"
)

// The values that fields of entries can have.
var (
	FindingSorts = []string{"strength", "weakness", "quirk"}
	Severities   = []string{"minor", "major", "blocking"}
	Natures      = []string{"defect", "taste"}
	SeenWords    = []string{"always", "sometimes", "once"}
	SureWords    = []string{"certain", "likely", "unsure"}
	Fates        = []string{"still-there", "fixed", "changed"}
	Sources      = []string{"announced", "found", "both"}
	Effects      = []string{"better", "worse", "neutral"}
	ClaimBy      = []string{"makers", "users", "folklore"}
	ClaimStates  = []string{"open", "upheld", "refuted"}
	VerdictWords = []string{"recommended", "conditional", "not-recommended"}
	AdviceWords  = []string{"upgrade", "wait", "stay"}
)

// Bounds of the texts and lists of an entry.
const (
	longTitle = 200
	longText  = 20_000
	longLine  = 500
	manyLines = 200
	manyFacts = 1000
)

// ValidateEntry reports the faults of an entry of a review against the checklist version of its review. The caller
// checks references to anything else.
func ValidateEntry(e *Entry, list *checklist.Checklist, book *fault.Book) {
	if n := e.set(); n != 1 {
		book.Add("must hold exactly one of %s; it holds %d", strings.Join(Parts, ", "), n)
		return
	}
	part, _ := e.Part()
	book.In(part, func() { ValidatePart(e, list, book) })
}

// ValidatePart reports the faults of the entry's part that is set, at the current place.
func ValidatePart(e *Entry, list *checklist.Checklist, book *fault.Book) {
	v := entryValidator{book, list}
	switch {
	case e.System != nil:
		v.system(e.System)
	case e.Finding != nil:
		v.finding(e.Finding)
	case e.Change != nil:
		v.change(e.Change)
	case e.Claim != nil:
		v.claim(e.Claim)
	case e.Journal != nil:
		v.words("text", e.Journal.Text, longText, true)
	case e.Experience != nil:
		v.words("text", e.Experience.Text, longText, true)
		v.words("since", e.Experience.Since, longTitle, false)
	case e.Verdict != nil:
		v.verdict(e.Verdict)
	case e.Advice != nil:
		v.word("advice", e.Advice.Advice, AdviceWords, true)
		v.words("reason", e.Advice.Reason, longText, true)
	case e.Use != nil:
		if e.Use.Days < 1 || e.Use.Days > 10_000 {
			book.Field("days", "must be between 1 and 10000")
		}
		v.words("note", e.Use.Note, longText, false)
	case e.Disclosure != nil:
		v.words("text", e.Disclosure.Text, longText, true)
	case e.Evidence != nil:
		v.evidence(e.Evidence)
	}
}

func (e *Entry) set() (n int) {
	for _, is := range []bool{
		e.System != nil, e.Finding != nil, e.Change != nil, e.Claim != nil, e.Journal != nil, e.Experience != nil,
		e.Verdict != nil, e.Advice != nil, e.Use != nil, e.Disclosure != nil, e.Evidence != nil,
	} {
		if is {
			n++
		}
	}
	return n
}

type entryValidator struct {
	*fault.Book
	list *checklist.Checklist
}

func (v entryValidator) system(s *System) {
	checklist.NoteKey(v.Book, "id", s.ID)
	v.words("note", s.Note, longText, false)
	v.lines("installed", s.Installed)
	v.lines("changed", s.Changed)
	v.lines("updated", s.Updated)
	if len(s.Facts) > manyFacts {
		v.Field("facts", "holds %d facts; at most %d", len(s.Facts), manyFacts)
	}
}

func (v entryValidator) finding(f *Finding) {
	v.id(f.ID)
	v.word("sort", f.Sort, FindingSorts, true)
	v.words("title", f.Title, longTitle, true)
	v.words("text", f.Text, longText, false)
	if f.Sort == "strength" && f.Severity != "" {
		v.Field("severity", "a strength has none")
	}
	v.word("severity", f.Severity, Severities, f.Sort == "weakness")
	v.word("nature", f.Nature, Natures, false)
	v.word("seen", f.Seen, SeenWords, false)
	v.word("sure", f.Sure, SureWords, false)
	v.In("criterion", func() { v.criterion(f.Criterion) })
	v.words("workaround", f.Workaround, longText, false)
	v.links("reported", f.Reported)
	v.words("outcome", f.Outcome, longText, false)
	v.word("fate", f.Fate, Fates, f.Follows != "")
	if f.Fate != "" && f.Follows == "" {
		v.Field("follows", "is missing: name the earlier finding")
	}
	if f.Follows == f.ID && f.ID != "" {
		v.Field("follows", "a finding cannot follow itself")
	}
}

func (v entryValidator) change(c *Change) {
	v.id(c.ID)
	v.words("component", c.Component, longTitle, true)
	v.words("was", c.Was, longText, false)
	v.words("is", c.Is, longText, false)
	if c.Was == "" && c.Is == "" {
		v.Field("is", "name what was before, what is now, or both")
	}
	v.word("source", c.Source, Sources, true)
	v.word("effect", c.Effect, Effects, true)
	v.words("whom", c.Whom, longTitle, false)
	v.In("link", func() { v.link(c.Link) })
	v.words("note", c.Note, longText, false)
}

func (v entryValidator) claim(c *Claim) {
	v.id(c.ID)
	v.words("text", c.Text, longText, true)
	v.word("by", c.By, ClaimBy, true)
	v.words("source", c.Source, longText, true)
	v.word("state", c.State, ClaimStates, true)
	v.words("reason", c.Reason, longText, c.State != "open" && slices.Contains(ClaimStates, c.State))
	v.In("criteria", func() {
		for i, k := range c.Criteria {
			v.In(i, func() { v.criterion(k) })
		}
	})
}

func (v entryValidator) verdict(x *Verdict) {
	v.id(x.ID)
	if _, ok := v.list.Audience(x.Audience); x.Audience == "" || !ok {
		v.Field("audience", "checklist %s has no audience %.70q", v.list.Name(), x.Audience)
	}
	v.word("verdict", x.Verdict, VerdictWords, true)
	v.words("conditions", x.Conditions, longText, x.Verdict == "conditional")
	v.words("reason", x.Reason, longText, true)
}

var (
	sha256Form   = regexp.MustCompile(`^[0-9a-f]{64}$`)
	timeCodeForm = regexp.MustCompile(`^(\d{1,3}:)?\d{1,2}:[0-5]\d$`)
)

func (v entryValidator) evidence(x *Evidence) {
	v.id(x.ID)
	switch {
	case x.SHA256 != "" && x.Link != "":
		v.Field("link", "can be a file or a link, not both")
	case x.SHA256 != "" && !sha256Form.MatchString(x.SHA256):
		v.Field("sha256", "must be 64 hexadecimal digits in lower case")
	case x.SHA256 == "" && x.Link == "":
		v.Field("sha256", "is missing: name a file that was uploaded, or a link")
	}
	v.In("link", func() { v.link(x.Link) })
	if x.TimeCode != "" && (x.Link == "" || !timeCodeForm.MatchString(x.TimeCode)) {
		v.Field("timeCode", "needs a link and looks like 12:40 or 1:02:03")
	}
	if x.Of != "" && x.Shot != "" {
		v.Field("shot", "can belong to a reading or entry, or be a standard screenshot, not both")
	}
	if x.Shot != "" && !checklist.Registered(x.Shot, v.list.Shots) {
		v.Field("shot", "checklist %s has no standard screenshot %.70q", v.list.Name(), x.Shot)
	}
	v.words("name", x.Name, longTitle, false)
	v.words("caption", x.Caption, longText, false)
}

func (v entryValidator) id(s string) {
	if !ValidID(s) {
		v.Field("id", "%.70q is not a UUID in lower case", s)
	}
}

func (v entryValidator) word(field, s string, words []string, required bool) {
	switch {
	case s == "" && required:
		v.Field(field, "is missing: one of %s", strings.Join(words, ", "))
	case s != "" && !slices.Contains(words, s):
		v.Field(field, "must be one of %s, not %.70q", strings.Join(words, ", "), s)
	}
}

func (v entryValidator) words(field, s string, most int, required bool) {
	switch {
	case required && strings.TrimSpace(s) == "":
		v.Field(field, "is missing")
	case len(s) > most:
		v.Field(field, "is %d bytes long; at most %d", len(s), most)
	}
}

func (v entryValidator) lines(field string, lines []string) {
	v.In(field, func() {
		if len(lines) > manyLines {
			v.Add("has %d lines; at most %d", len(lines), manyLines)
			return
		}
		for i, l := range lines {
			if strings.TrimSpace(l) == "" || len(l) > longLine {
				v.In(i, func() { v.Add("must be a text of 1 to %d bytes", longLine) })
			}
		}
	})
}

func (v entryValidator) criterion(key string) {
	if key == "" {
		return
	}
	if _, ok := v.list.Criterion(key); !ok {
		v.Add("checklist %s has no criterion %.70q", v.list.Name(), key)
	}
}

func (v entryValidator) links(field string, links []string) {
	v.In(field, func() {
		if len(links) > manyLines {
			v.Add("has %d addresses; at most %d", len(links), manyLines)
		}
		for i, link := range links[:min(len(links), manyLines)] {
			v.In(i, func() { v.link(link) })
		}
	})
}

// link accepts only addresses of web pages, so that no page of ours can be made to run somebody's script.
func (v entryValidator) link(s string) {
	if s == "" {
		return
	}
	u, err := url.Parse(s)
	if err != nil || (u.Scheme != "https" && u.Scheme != "http") || u.Host == "" || len(s) > 2000 {
		v.Add("%.70q is not an address that starts with https:// or http://", s)
	}
}
