package comparing

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"dappertally/core/scoring"
)

// ProposedAdvice is what the rules propose to users of the earlier release. A person decides.
type ProposedAdvice struct {
	Advice  string   `json:"advice"` // upgrade, wait, stay
	Reasons []string `json:"reasons"`
}

// propose returns stay if the newer release is barred, or lower on the common ground by more than the margin; upgrade
// if it is higher by more than the margin and has no new blocking finding; otherwise wait. The rule is section 4 of
// our scoring page.
func propose(s *Succession, margin float64) ProposedAdvice {
	var blocking []string
	for _, f := range s.Findings.New {
		if f.Severity == "blocking" {
			blocking = append(blocking, f.Title)
		}
	}
	older, newer := s.Older.Ground, s.Newer.Ground
	if len(s.Newer.Barred) > 0 {
		return ProposedAdvice{"stay", []string{"it is barred by " + strings.Join(s.Newer.Barred, ", ")}}
	}
	if older == nil || newer == nil {
		return ProposedAdvice{
			"wait",
			append([]string{"there is no score on common ground"}, hurdles(blocking)...),
		}
	}
	where := "on the criteria that both checklists share"
	if s.Ground == nil {
		where = "on the same checklist"
	}
	d := *newer - *older
	score := fmt.Sprintf(
		"its score %s is %s points %s",
		where,
		points(max(d, -d)),
		map[bool]string{true: "higher", false: "lower"}[d >= 0],
	)
	switch {
	case d < -margin-scoring.Slack:
		return ProposedAdvice{"stay", []string{score + ", more than the margin of " + points(margin)}}
	case d <= margin+scoring.Slack:
		return ProposedAdvice{
			"wait",
			append([]string{score + ", within the margin of " + points(margin)}, hurdles(blocking)...),
		}
	case len(blocking) > 0:
		return ProposedAdvice{"wait", append([]string{score}, hurdles(blocking)...)}
	}
	return ProposedAdvice{
		"upgrade",
		[]string{score + ", more than the margin of " + points(margin), "no new finding is blocking"},
	}
}

func hurdles(blocking []string) []string {
	if len(blocking) == 0 {
		return nil
	}
	return []string{"new and blocking: " + strings.Join(blocking, "; ")}
}

// points rounds for a sentence; the exact figure is shown beside it.
func points(x float64) string { return strconv.FormatFloat(math.Round(x*100)/100, 'f', -1, 64) }
