package notices

import (
	"context"
	"encoding/json"
	"regexp"
	"slices"
	"strings"

	"dappertally/core/reading"
	"dappertally/internal/store"
)

// named finds names after an @ that does not follow a letter, digit or dot, as in a mail address.
var named = regexp.MustCompile(`(?:^|[^\pL\pN._@-])@([a-z0-9][a-z0-9._-]{0,62}[a-z0-9]|[a-z0-9])`)

// namesIn lists the names that a text has after an @, each once.
func namesIn(text string) (names []string) {
	for _, m := range named.FindAllStringSubmatch(text, -1) {
		if !slices.Contains(names, m[1]) {
			names = append(names, m[1])
		}
	}
	return names
}

// longestExcerpt is the length in letters of a text in a notice.
const longestExcerpt = 300

func excerpt(text string) string {
	letters := []rune(strings.Join(strings.Fields(text), " "))
	if len(letters) > longestExcerpt {
		return string(letters[:longestExcerpt-1]) + "…"
	}
	return string(letters)
}

// text is a written text and its place.
type text struct{ source, words string }

// textsOf returns what was written in a change: an entry of a review, a reason, a comment.
func (s *Service) textsOf(ctx context.Context, c *store.Change) ([]text, error) {
	switch {
	case c.Sort == store.SortReview && strings.HasPrefix(c.Action, "wrote "):
		entry, ok, err := s.reviewing.Written(ctx, c.Subject, c.Detail)
		if err != nil || !ok {
			return nil, err
		}
		words, err := json.Marshal(entry)
		return []text{{"entry " + c.Subject + " " + c.Detail, plain(words)}}, err
	case c.Sort == store.SortReview && slices.Contains(
		[]string{reading.Submitted, reading.Underway, reading.Accepted, reading.Withdrawn}, c.Action):
		return []text{{"move " + c.Subject + " " + c.At.Format("20060102150405.000000"), c.Detail}}, nil
	case c.Sort == store.SortProposal && c.Action == "commented":
		comments, err := s.checklists.Comments(ctx, c.Subject)
		if err != nil {
			return nil, err
		}
		var all []text
		for _, x := range comments {
			if x.At.Equal(c.At) {
				all = append(all, text{"comment " + c.Subject + " " + x.At.Format("20060102150405.000000"), x.Text})
			}
		}
		return all, nil
	}
	return nil, nil
}

// plain returns the texts of a JSON value, one after another.
func plain(data []byte) string {
	var value any
	if json.Unmarshal(data, &value) != nil {
		return ""
	}
	var words []string
	var walk func(any)
	walk = func(v any) {
		switch v := v.(type) {
		case string:
			words = append(words, v)
		case []any:
			for _, x := range v {
				walk(x)
			}
		case map[string]any:
			for _, x := range v {
				walk(x)
			}
		}
	}
	walk(value)
	return strings.Join(words, " ")
}

// mentionsIn returns who is mentioned in what changes have written.
func (s *Service) mentionsIn(ctx context.Context, changes []store.Change) ([]store.Mention, error) {
	var all []store.Mention
	var ids map[string]string
	for i := range changes {
		c := &changes[i]
		texts, err := s.textsOf(ctx, c)
		if err != nil {
			return nil, err
		}
		for _, t := range texts {
			for _, name := range namesIn(t.words) {
				if ids == nil {
					if ids, err = s.people.IDs(ctx); err != nil {
						return nil, err
					}
				}
				if id := ids[name]; id != "" && name != c.Person {
					all = append(all, store.Mention{
						Person: id, Writer: c.Person, At: c.At, Sort: c.Sort, Subject: c.Subject, Source: t.source,
						Excerpt: excerpt(t.words),
					})
				}
			}
		}
	}
	return all, nil
}
