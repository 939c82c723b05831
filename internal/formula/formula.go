// Package formula recognizes texts that a spreadsheet would take for formulas.
package formula

import (
	"strconv"
	"strings"
)

// Looks reports whether a spreadsheet would take a text for a formula: it begins like one, and is not a number.
func Looks(text string) bool {
	if !Begins(text) {
		return false
	}
	_, err := strconv.ParseFloat(text, 64)
	return err != nil
}

// Begins reports whether a text begins like a formula; numbers with a sign do too.
func Begins(text string) bool {
	return text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0]))
}
