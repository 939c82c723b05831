// Package formula recognises texts that a spreadsheet would take for formulas.
package formula

import (
	"strconv"
	"strings"
)

// Looks reports whether a spreadsheet takes a text for a formula: it begins as one
// does, and is no number.
func Looks(text string) bool {
	if !Begins(text) {
		return false
	}
	_, err := strconv.ParseFloat(text, 64)
	return err != nil
}

// Begins reports whether a text begins as formulas do; numbers with a sign do too.
func Begins(text string) bool {
	return text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0]))
}
