package api

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/getkin/kin-openapi/openapi3"
)

// momentExample shows how a point in time is written.
const momentExample = "2026-04-30T09:00:00Z"

// The years that a point in time can have. The zero time of programs is outside.
const (
	firstYear = 1970
	lastYear  = 9999
)

// moments checks points in time more strictly than a pattern can: the day and the second must exist.
func moments() openapi3.SchemaValidationOption {
	return openapi3.WithStringFormatValidator("date-time", openapi3.NewCallbackValidator(func(text string) error {
		at, err := time.Parse(time.RFC3339, text)
		if err != nil || at.UTC().Year() < firstYear || at.UTC().Year() > lastYear {
			return errors.New("no such time")
		}
		return nil
	}))
}

// said is a schema's own message for an invalid value.
const said = "x-says"

// worded describes in a sentence what is wrong with a value: "must be between 0 and 10, not 11". It shows no pattern
// and no schema.
func worded(e *openapi3.SchemaError) string {
	s := e.Schema
	if s == nil {
		return e.Reason
	}
	switch e.SchemaField {
	case "pattern":
		if sentence, ok := s.Extensions[said].(string); ok {
			return fmt.Sprintf("%s %s", shown(e.Value), sentence)
		}
	case "format":
		if s.Format == "date-time" {
			return fmt.Sprintf(
				"%s is not a time such as %s, between the years %d and %d",
				shown(e.Value),
				momentExample,
				firstYear,
				lastYear,
			)
		}
	case "enum":
		return choices(s.Enum) + ", not " + shown(e.Value)
	case "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum":
		return bounds(s) + ", not " + shown(e.Value)
	case "minLength":
		return "must not be empty"
	case "maxLength":
		text, _ := e.Value.(string)
		return fmt.Sprintf("is too long: at most %d characters, not %d", *s.MaxLength, utf8.RuneCountInString(text))
	case "minItems":
		return fmt.Sprintf("needs at least %d entries", s.MinItems)
	case "maxItems":
		return fmt.Sprintf("has too many entries: at most %d", *s.MaxItems)
	case "nullable":
		return "must not be null"
	case "type":
		return fmt.Sprintf("must be %s, not %s", kindOf(s), shown(e.Value))
	}
	return e.Reason
}

// choices lists the possible values.
func choices(all []any) string {
	var words []string
	empty := false
	for _, x := range all {
		if x == "" {
			empty = true
			continue
		}
		words = append(words, fmt.Sprint(x))
	}
	text := words[len(words)-1]
	if n := len(words) - 1; n > 0 {
		text = strings.Join(words[:n], ", ") + " or " + text
	}
	if empty {
		text += ", or left out"
	}
	return "must be " + text
}

func bounds(s *openapi3.Schema) string {
	switch {
	case s.Min != nil && s.Max != nil:
		return fmt.Sprintf("must be between %v and %v", *s.Min, *s.Max)
	case s.Min != nil:
		return fmt.Sprintf("must be at least %v", *s.Min)
	case s.Max != nil:
		return fmt.Sprintf("must be at most %v", *s.Max)
	}
	return "is out of range"
}

var kinds = map[string]string{
	"string":  "a text",
	"number":  "a number",
	"integer": "a whole number",
	"boolean": "true or false",
	"array":   "a list",
	"object":  "an object",
}

func kindOf(s *openapi3.Schema) string {
	var words []string
	for _, name := range s.Type.Slice() {
		words = append(words, kinds[name])
	}
	return strings.Join(words, " or ")
}

// longestShown is how much of a value a message repeats.
const longestShown = 40

// shown formats a value for a message.
func shown(v any) string {
	switch x := v.(type) {
	case nil:
		return "null"
	case []any:
		return "a list"
	case map[string]any:
		return "an object"
	case string:
		if x == "" {
			return "an empty text"
		}
	}
	text, err := json.Marshal(v)
	if err != nil {
		return fmt.Sprint(v)
	}
	if utf8.RuneCount(text) > longestShown {
		return string([]rune(string(text))[:longestShown]) + "…"
	}
	return string(text)
}
