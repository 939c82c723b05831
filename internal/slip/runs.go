package slip

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Runs parses the runs of a measure as people write them, in the given unit: "30.5", "30,5", "30s", "1.5 min", "0:30"
// or "1:02:03". A unit after a number applies to that number; a space before it is allowed.
func Runs(words []string, unit string) ([]float64, error) {
	var runs []float64
	for i := 0; i < len(words); i++ {
		number, own := splitUnit(words[i])
		if own == "" && i+1 < len(words) && isUnit(words[i+1]) {
			own = words[i+1]
			i++
		}
		x, err := oneRun(number, &own)
		if err != nil {
			return nil, err
		}
		converted, err := Convert([]float64{x}, own, unit)
		if err != nil {
			return nil, fmt.Errorf("%q: %w", words[i], err)
		}
		runs = append(runs, converted[0])
	}
	return runs, nil
}

// oneRun parses a number, or a time with colons, which is in seconds.
func oneRun(word string, unit *string) (float64, error) {
	if !strings.Contains(word, ":") {
		return Number(word)
	}
	if *unit != "" || !clock.MatchString(word) {
		return 0, fmt.Errorf("%q is not a time such as 0:30 or 1:02:03", word)
	}
	var seconds float64
	for part := range strings.SplitSeq(word, ":") {
		x, err := Number(part)
		if err != nil {
			return 0, err
		}
		seconds = 60*seconds + x
	}
	*unit = "s"
	return seconds, nil
}

// clock matches a time with colons: minutes and seconds, or hours, minutes and seconds.
var clock = regexp.MustCompile(`^\d+:([0-5]?\d:)?[0-5]?\d([.,]\d+)?$`)

// splitUnit splits a number from the unit directly after it.
func splitUnit(word string) (number, unit string) {
	end := strings.LastIndexFunc(word, unicode.IsDigit) + 1
	if end == 0 || end == len(word) || !isUnit(word[end:]) {
		return word, ""
	}
	return word[:end], word[end:]
}

// isUnit reports whether a word is the unit of the number before it.
func isUnit(word string) bool {
	first, _ := utf8.DecodeRuneInString(word)
	if _, err := strconv.ParseFloat(word, 64); err == nil {
		return false // such as Inf
	}
	return unicode.IsLetter(first) || first == '%' || first == '°'
}
