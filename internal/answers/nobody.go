package answers

import (
	"fmt"
	"strings"

	"dappertally/internal/numerals"
)

// Nobody explains why a ranking is empty and what to do; empty if it has editions.
func (r *Result) Nobody() string {
	if len(r.Ranking.Ranking) > 0 {
		return ""
	}
	var why []string
	if n := len(r.Ranking.Provisional); n > 0 {
		why = append(
			why,
			fmt.Sprintf(
				"%s provisional, with less than %s of the checklist answered",
				are(n),
				numerals.Share(r.List.Policy.CoverageNeeded()),
			),
		)
	}
	if n := len(r.Ranking.Barred); n > 0 {
		why = append(why, are(n)+" barred by a gate")
	}
	switch others := len(r.Elsewhere()); {
	case len(why) > 0:
	case !r.Query.Group.Empty():
		why = append(why, "no edition with an accepted review on "+r.List.Name()+" matches the filter")
	case others > 0:
		why = append(
			why,
			fmt.Sprintf(
				"no review on %s is accepted yet; %s on other versions of the checklist: choose one of them, "+
					"or the common ground",
				r.List.Name(),
				stand(others),
			),
		)
	default:
		why = append(why, "no review on "+r.List.Name()+" is accepted yet")
	}
	return "No edition is ranked: " + strings.Join(why, "; ") + "."
}

func are(n int) string {
	return numerals.Plural(n, "edition is", "editions are")
}

func stand(n int) string {
	return numerals.Plural(n, "edition is reviewed", "editions are reviewed")
}
