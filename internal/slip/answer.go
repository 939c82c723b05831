package slip

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/numerals"
)

// ParseAnswer parses an answer of the criterion's kind. It checks what the words mean; the service checks whether
// they are allowed.
func ParseAnswer(c *checklist.Criterion, words []string) (reading.Answer, error) {
	single := func() (string, error) {
		if len(words) != 1 {
			return "", fmt.Errorf("%s is a %s and takes one answer, not %d", c.Key, c.Kind, len(words))
		}
		return words[0], nil
	}
	if len(words) == 0 {
		return reading.Answer{}, fmt.Errorf("%s lacks an answer", c.Key)
	}
	//exhaustive:enforce
	switch c.Kind {
	case checklist.Grade:
		word, err := single()
		if err != nil {
			return reading.Answer{}, err
		}
		g, err := grade(word)
		return reading.Answer{Grade: &g}, err
	case checklist.Check:
		word, err := single()
		return reading.Answer{Check: choice(word, reading.Checks)}, err
	case checklist.Level:
		word, err := single()
		return reading.Answer{Level: choice(word, c.LevelKeys())}, err
	case checklist.Fact:
		return reading.Answer{Fact: factOf(strings.Join(words, " "))}, nil
	case checklist.Count:
		return parseCount(words)
	case checklist.Measure:
	}
	runs, err := Runs(words, c.Unit)
	return reading.Answer{Runs: runs}, err
}

// grade parses a grade of 0–10: "7.5", "7,5" or "7/10".
func grade(word string) (float64, error) {
	mark, of, shared := strings.Cut(word, "/")
	g, err := Number(mark)
	if err != nil || !shared {
		return g, err
	}
	most, err := Number(of)
	if err != nil || most <= 0 {
		return 0, fmt.Errorf("%q is not a grade such as 7/10", word)
	}
	return 10 * g / most, nil
}

// choice returns the word as the list has it, if only case or spaces differ.
func choice(word string, known []string) string {
	fold := func(s string) string {
		return strings.ToLower(strings.NewReplacer(" ", "-", "_", "-").Replace(strings.TrimSpace(s)))
	}
	for _, k := range known {
		if fold(k) == fold(word) {
			return k
		}
	}
	return word
}

// Number parses a finite number; a comma can stand for the point.
func Number(word string) (float64, error) {
	x, ok := numerals.Parse(strings.Replace(word, ",", ".", 1))
	if !ok {
		return 0, fmt.Errorf("%q is not a number", word)
	}
	return x, nil
}

func parseCount(words []string) (reading.Answer, error) {
	var n reading.Count
	if k, of, ok := strings.Cut(words[0], "/"); ok && len(words) == 1 {
		kk, errK := strconv.Atoi(k)
		nn, errN := strconv.Atoi(of)
		if errK != nil || errN != nil {
			return reading.Answer{}, fmt.Errorf("%q is not a count such as 14/20", words[0])
		}
		n.K, n.N = &kk, &nn
		return reading.Answer{Count: &n}, nil
	}
	fates := map[string]*[]string{
		"worked":     &n.Worked,
		"workaround": &n.Workaround,
		"failed":     &n.Failed,
		"untried":    &n.NotTested,
	}
	for _, w := range words {
		item, fate, _ := strings.Cut(w, "=")
		into := fates[fate]
		if into == nil {
			return reading.Answer{}, fmt.Errorf(
				"%q is not ITEM=worked, ITEM=workaround, ITEM=failed or ITEM=untried", w,
			)
		}
		*into = append(*into, item)
	}
	return reading.Answer{Count: &n}, nil
}

// Answered parses an answer from a table or a slip: words, a unit, or the reason for having none.
func Answered(c *checklist.Criterion, words, unit, notTested, notApplicable string) (reading.Answer, error) {
	none := reading.Answer{NotTested: notTested, NotApplicable: notApplicable}
	switch {
	case words == "" && none.Answered():
		return none, fmt.Errorf("%s is a %s, and there is no answer", c.Key, c.Kind)
	case words != "" && !none.Answered():
		return none, fmt.Errorf("there is an answer and a reason for none")
	case !none.Answered():
		return none, nil
	}
	if c.Kind == checklist.Fact {
		return reading.Answer{Fact: factOf(words)}, nil // with its spaces
	}
	if !c.Measured() || unit == "" || unit == c.Unit {
		return ParseAnswer(c, strings.Fields(words))
	}
	runs, err := Runs(strings.Fields(words), unit)
	if err != nil {
		return reading.Answer{}, err
	}
	runs, err = Convert(runs, unit, c.Unit)
	return reading.Answer{Runs: runs}, err
}

// factOf parses a fact: a number, a list or a quoted text as in JSON, anything else literally. Digits that no number
// is written with, such as those of the version 6.10, are a text: as a number they would become 6.1.
func factOf(words string) *reading.Fact {
	var f reading.Fact
	err := json.Unmarshal([]byte(words), &f)
	if err != nil || (f.Sort == reading.FactNumber && f.String() != words) {
		return &reading.Fact{Text: words}
	}
	return &f
}

// Words formats an answer so that Answered can parse it; empty if there is none.
func Words(a *reading.Answer) string {
	switch {
	case a.Grade != nil:
		return strconv.FormatFloat(*a.Grade, 'g', -1, 64)
	case a.Runs != nil:
		runs := make([]string, len(a.Runs))
		for i, x := range a.Runs {
			runs[i] = strconv.FormatFloat(x, 'g', -1, 64)
		}
		return strings.Join(runs, " ")
	case a.Fact != nil:
		return factWords(a.Fact)
	case a.Count != nil && a.Count.K != nil && a.Count.N != nil:
		return fmt.Sprintf("%d/%d", *a.Count.K, *a.Count.N)
	case a.Count != nil:
		var words []string
		for _, fate := range []struct {
			name  string
			items []string
		}{{"worked", a.Count.Worked}, {"workaround", a.Count.Workaround}, {"failed", a.Count.Failed}, {"untried", a.Count.NotTested}} {
			for _, item := range fate.items {
				words = append(words, item+"="+fate.name)
			}
		}
		return strings.Join(words, " ")
	}
	return a.Check + a.Level
}

// factWords formats a fact literally, or as JSON if it would otherwise be parsed as something else.
func factWords(f *reading.Fact) string {
	if f.Sort == reading.FactText && strings.TrimSpace(f.Text) == f.Text {
		if again := factOf(f.Text); again.Sort == reading.FactText && again.Text == f.Text {
			return f.Text
		}
	}
	data, err := json.Marshal(f)
	if err != nil {
		return f.String()
	}
	return string(data)
}
