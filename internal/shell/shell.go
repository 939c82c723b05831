// Package shell writes lines for the shell.
package shell

import "strings"

// Quoted is a text as the shell takes it for one word.
func Quoted(text string) string { return "'" + strings.ReplaceAll(text, "'", `'\''`) + "'" }

// Line is a program with its arguments, as a line.
func Line(words ...string) string {
	quoted := make([]string, len(words))
	for i, w := range words {
		quoted[i] = Quoted(w)
	}
	return strings.Join(quoted, " ")
}
