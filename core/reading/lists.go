package reading

import (
	"slices"
	"strings"
)

// Missing is the lines that have lacks, in their order; case and spaces around
// them do not tell lines apart.
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
