package reading

import (
	"slices"
	"strings"
)

// Missing returns the lines of has that lacks does not have, in order, ignoring case and surrounding spaces.
func Missing(have, lines []string) []string {
	out := []string{}
	for _, l := range lines {
		same := func(x string) bool { return strings.EqualFold(strings.TrimSpace(x), strings.TrimSpace(l)) }
		if !slices.ContainsFunc(have, same) {
			out = append(out, l)
		}
	}
	return out
}
