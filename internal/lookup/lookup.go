// Package lookup finds named objects by a few words of their names.
package lookup

import (
	"cmp"
	"slices"
	"strings"
	"unicode"
)

// Entry is something that can be found.
type Entry struct {
	Sort    string // kind: edition, criterion, …
	Key     string
	Title   string // its name for people
	Detail  string // what distinguishes it from others with that title
	Address string // its page in the console
}

// Words returns the words of a search, in lower case.
func Words(text string) []string { return strings.Fields(strings.ToLower(text)) }

// Find returns the entries that contain every word in their title, key or detail, ignoring case: first those in which
// the most words begin a word of the title, otherwise in order; at most limit of them, and none without a word.
func Find(text string, limit int, entries []Entry) []Entry {
	words := Words(text)
	if len(words) == 0 {
		return []Entry{}
	}
	type hit struct {
		Entry
		begins, length int
	}
	var hits []hit
	for _, e := range entries {
		if begins, ok := match(words, &e); ok {
			hits = append(hits, hit{e, begins, len(e.Title)})
		}
	}
	slices.SortStableFunc(hits, func(a, b hit) int {
		return cmp.Or(cmp.Compare(b.begins, a.begins), cmp.Compare(a.length, b.length))
	})
	found := make([]Entry, 0, min(len(hits), limit))
	for _, h := range hits[:min(len(hits), limit)] {
		found = append(found, h.Entry)
	}
	return found
}

// match returns how many of the words begin a word of the title, if all are found.
func match(words []string, e *Entry) (begins int, ok bool) {
	title := strings.ToLower(e.Title)
	rest := strings.ToLower(e.Key + " " + e.Detail)
	parts := strings.FieldsFunc(title, func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r) &&
			r != '.'
	})
	for _, word := range words {
		switch {
		case slices.ContainsFunc(parts, func(part string) bool { return strings.HasPrefix(part, word) }):
			begins++
		case !strings.Contains(title, word) && !strings.Contains(rest, word):
			return 0, false
		}
	}
	return begins, true
}
