package cli

import (
	"fmt"
	"io"
	"strconv"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/numerals"
	"dappertally/internal/slip"
)

// question is a criterion as a person is asked it.
type question struct {
	*checklist.Criterion
	section string
	rig     string // rig on which it is tried; empty: none
}

// onRig reports whether a criterion is tried on a rig: that is so if it is timed or needs equipment, not for
// judgement.
func onRig(c *checklist.Criterion) bool {
	return (c.Measured() && c.Context != checklist.Context{}) || len(c.Needs) > 0
}

// ask writes the question: what is asked, how to check it, and the possible answers.
func (q *question) ask(w io.Writer, width int) {
	head := title(q.Title, q.Key)
	if q.Title != "" {
		head += " (" + q.Key + ")"
	}
	prose(w, q.section+" · "+head, width)
	if q.Guidance != "" {
		prose(w, "  "+q.Guidance, width)
	}
	var how []string
	for _, part := range []struct{ name, key string }{{"method", q.Context.Method}, {"setup", q.Context.Setup}, {"phase", q.Context.Phase}} {
		if part.key != "" {
			how = append(how, part.name+" "+part.key)
		}
	}
	if q.rig != "" {
		how = append(how, "on "+q.rig)
	}
	if q.Runs.Expect > 1 {
		how = append(how, fmt.Sprintf("%d runs", q.Runs.Expect))
	}
	if len(q.Needs) > 0 {
		how = append(how, "needs "+list(q.Needs))
	}
	if len(how) > 0 {
		prose(w, "  "+list(how), width)
	}
	prose(w, "  Answer: "+q.allowed(), width)
}

// choices returns the answers of a check or a level, in the order of their numbers.
func (q *question) choices() []string {
	return keys(q.Choices(), func(c *checklist.Choice) string { return c.Key })
}

// allowed describes the possible answers.
func (q *question) allowed() string {
	//exhaustive:enforce
	switch q.Kind {
	case checklist.Grade:
		return "0 to 10, such as 7.5"
	case checklist.Check, checklist.Level:
		var words []string
		for i, key := range q.choices() {
			words = append(words, fmt.Sprintf("%d %s", i+1, key))
		}
		return strings.Join(words, ", ")
	case checklist.Measure:
		unit := q.Unit
		if unit == "" {
			unit = "a number"
		}
		return fmt.Sprintf("%s for each run, %s is better", unit, q.Better)
	case checklist.Count:
		if len(q.Items) == 0 {
			return "how many of how many, such as 14/20"
		}
		items := keys(q.Items, func(it *checklist.Item) string { return it.Key })
		return fmt.Sprintf(
			"a letter for each of %s: w worked, k workaround, f failed, u untried, such as %s; or ITEM=worked …",
			list(items),
			strings.Repeat("w", len(items)),
		)
	case checklist.Fact:
	}
	return "a text, a number, or a list as JSON"
}

// answer reads what was typed. A choice can be given by its number or the beginning of its name.
func (q *question) answer(text string) (reading.Answer, error) {
	text = strings.TrimSpace(text)
	//exhaustive:enforce
	switch q.Kind {
	case checklist.Check, checklist.Level:
		text = q.chosen(text)
	case checklist.Count:
		if n, ok := q.letters(text); ok {
			return reading.Answer{Count: n}, nil
		}
	case checklist.Grade, checklist.Measure, checklist.Fact:
	}
	return slip.ParseAnswer(q.Criterion, strings.Fields(text))
}

func (q *question) chosen(text string) string {
	choices := q.choices()
	if n, err := strconv.Atoi(text); err == nil && n >= 1 && n <= len(choices) {
		return choices[n-1]
	}
	var fit []string
	for _, key := range choices {
		if strings.EqualFold(key, text) {
			return key
		}
		if strings.HasPrefix(strings.ToLower(key), strings.ToLower(text)) {
			fit = append(fit, key)
		}
	}
	if len(fit) == 1 {
		return fit[0]
	}
	return text
}

// letters reads one letter per item.
func (q *question) letters(text string) (*reading.Count, bool) {
	if len(q.Items) == 0 || len(text) != len(q.Items) {
		return nil, false
	}
	var n reading.Count
	into := map[rune]*[]string{'w': &n.Worked, 'k': &n.Workaround, 'f': &n.Failed, 'u': &n.NotTested}
	for i, letter := range strings.ToLower(text) {
		keys := into[letter]
		if keys == nil {
			return nil, false
		}
		*keys = append(*keys, q.Items[i].Key)
	}
	return &n, true
}

// pointsText formats the points of a recorded reading.
func pointsText(points *float64) string {
	if points == nil {
		return ""
	}
	return numerals.Score(points) + " points"
}
