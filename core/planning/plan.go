// Package planning defines comparison plans: the question, the contenders, the rigs, and warnings about what would
// waste the work.
package planning

import (
	"slices"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/fault"
)

// Plan is what a comparison asks and how it is done.
type Plan struct {
	Title      string      `json:"title"`
	Question   string      `json:"question"`
	Asks       string      `json:"asks,omitempty"` // the attribute in question; empty: the edition as a whole
	Contenders []Contender `json:"contenders"`
	Equal      []string    `json:"equal,omitempty"`     // attributes that all contenders must share
	Held       []string    `json:"held,omitempty"`      // other things held equal, in words
	LeftOut    []string    `json:"leftOut,omitempty"`   // in words
	Checklist  string      `json:"checklist,omitempty"` // key@version; empty: the shown version
	Criteria   []string    `json:"criteria"`
	Rigs       []string    `json:"rigs"`
	Runs       int         `json:"runs,omitempty"` // for each measure; 0: as many as the measure expects
}

// Contender is an edition and the reason for comparing it.
type Contender struct {
	Edition string `json:"edition"`
	Why     string `json:"why,omitempty"`
}

// Bounds of a plan.
const (
	fewestContenders = 2
	mostContenders   = 12
	mostRuns         = 100
	mostLines        = 50
	longest          = 4000
)

// Validate reports the faults of a plan against its checklist. The caller checks that editions and rigs exist.
func Validate(p *Plan, list *checklist.Checklist, book *fault.Book) {
	words(book, "title", p.Title, 200)
	words(book, "question", p.Question, longest)
	if n := len(p.Contenders); n < fewestContenders || n > mostContenders {
		book.Field("contenders", "a comparison has %d to %d, not %d", fewestContenders, mostContenders, n)
	}
	book.In("contenders", func() {
		for i, c := range p.Contenders {
			if slices.ContainsFunc(p.Contenders[:i], func(x Contender) bool { return x.Edition == c.Edition }) {
				book.In(i, func() { book.Field("edition", "%s is duplicated", c.Edition) })
			}
		}
	})
	if p.Asks != "" {
		attribute(book, "asks", p.Asks)
	}
	each(book, "equal", p.Equal, func(a string) {
		attribute(book, "", a)
		if a == p.Asks {
			book.Add("the question is about the %s, so it cannot be kept equal", a)
		}
	})
	each(book, "criteria", p.Criteria, func(key string) {
		if _, ok := list.Criterion(key); !ok {
			book.Add("checklist %s has no criterion %.70q", list.Name(), key)
		}
	})
	if len(p.Criteria) == 0 {
		book.Field("criteria", "name at least one")
	}
	if len(p.Rigs) == 0 {
		book.Field("rigs", "name at least one")
	}
	each(book, "rigs", p.Rigs, func(string) {})
	if p.Runs < 0 || p.Runs > mostRuns {
		book.Field("runs", "must be between 0 and %d; 0 means as many as each criterion expects", mostRuns)
	}
	for field, lines := range map[string][]string{"held": p.Held, "leftOut": p.LeftOut} {
		if len(lines) > mostLines || len(strings.Join(lines, "")) > longest {
			book.Field(field, "is too long: at most %d lines, %d bytes in all", mostLines, longest)
		}
	}
}

func words(book *fault.Book, field, s string, most int) {
	if strings.TrimSpace(s) == "" || len(s) > most {
		book.Field(field, "must be a text of 1 to %d bytes", most)
	}
}

func attribute(book *fault.Book, field, a string) {
	if slices.Contains(catalogue.Attributes, a) {
		return
	}
	add := book.Add
	if field != "" {
		add = func(format string, args ...any) { book.Field(field, format, args...) }
	}
	add("must be one of %s, not %.70q", strings.Join(catalogue.Attributes, ", "), a)
}

// each checks the members of a list, which must be distinct.
func each(book *fault.Book, field string, keys []string, check func(string)) {
	book.In(field, func() {
		for i, k := range keys {
			book.In(i, func() {
				if slices.Contains(keys[:i], k) {
					book.Add("%.70q is duplicated", k)
				}
				check(k)
			})
		}
	})
}
