// Package shell quotes lines for the shell.
package shell

import "strings"

// Quoted quotes a text as one word of the shell.
func Quoted(text string) string { return "'" + strings.ReplaceAll(text, "'", `'\''`) + "'" }

// Line returns a program with its arguments as a line.
func Line(words ...string) string {
	quoted := make([]string, len(words))
	for i, w := range words {
		quoted[i] = Quoted(w)
	}
	return strings.Join(quoted, " ")
}
