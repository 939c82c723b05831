package slip

import (
	"fmt"
	"strconv"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// ParseAnswer reads an answer of the criterion's kind from its words. What the words
// mean is checked here; whether they fit is the service's to say.
func ParseAnswer(c *checklist.Criterion, words []string) (reading.Answer, error) {
	single := func() (string, error) {
		if len(words) != 1 {
			return "", fmt.Errorf("%s is a %s and takes one answer, not %d", c.Key, c.Kind, len(words))
		}
		return words[0], nil
	}
	switch c.Kind {
	case checklist.Grade:
		word, err := single()
		if err != nil {
			return reading.Answer{}, err
		}
		g, err := Number(word)
		return reading.Answer{Grade: &g}, err
	case checklist.Check:
		word, err := single()
		return reading.Answer{Check: word}, err
	case checklist.Level:
		word, err := single()
		return reading.Answer{Level: word}, err
	case checklist.Fact:
		return reading.Answer{Fact: &reading.Fact{Text: strings.Join(words, " ")}}, nil
	case checklist.Count:
		return parseCount(words)
	}
	runs := make([]float64, len(words))
	for i, w := range words {
		x, err := Number(w)
		if err != nil {
			return reading.Answer{}, err
		}
		runs[i] = x
	}
	return reading.Answer{Runs: runs}, nil
}

// Number reads a finite number; a comma stands for the point.
func Number(word string) (float64, error) {
	x, err := strconv.ParseFloat(strings.Replace(word, ",", ".", 1), 64)
	if err != nil || x != x || x > 1e300 || x < -1e300 {
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
	fates := map[string]*[]string{"worked": &n.Worked, "workaround": &n.Workaround, "failed": &n.Failed, "untried": &n.NotTested}
	for _, w := range words {
		item, fate, _ := strings.Cut(w, "=")
		into := fates[fate]
		if into == nil {
			return reading.Answer{}, fmt.Errorf("%q is not ITEM=worked, ITEM=workaround, ITEM=failed or ITEM=untried", w)
		}
		*into = append(*into, item)
	}
	return reading.Answer{Count: &n}, nil
}
