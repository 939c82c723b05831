package numerals

import (
	"regexp"
	"strconv"
)

// decimal matches a number with a decimal point, perhaps with an exponent. Programs can write numbers in more ways,
// such as 0x1p4, 1_000 or Inf; people do not.
var decimal = regexp.MustCompile(`^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$`)

// largest is the largest number that people can enter.
const largest = 1e300

// Parse parses a number as people write it, with a decimal point; false if the text is not one, or one beyond ±1e300.
func Parse(text string) (float64, bool) {
	if !decimal.MatchString(text) {
		return 0, false
	}
	x, err := strconv.ParseFloat(text, 64)
	return x, err == nil && x <= largest && x >= -largest
}
