package cli

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/core/ranking"
	"dappertally/core/scoring"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
)

func (s *session) explainCommand() *cobra.Command {
	var v view
	cmd := &cobra.Command{
		Use:   "explain [A B]",
		Short: "Explain why one edition is ahead of another, criterion by criterion",
		Long: "Explain the difference of two editions' scores: what each criterion adds to it, by weight and points. What is added sums to the difference exactly. " +
			"Left out, the editions are the first two of the ranking.",
		Example: "  dtally explain bramblewick/7.0/hearthside gullhaven/5.2/hearthside\n  dtally explain --audience pensioner --newest --output json",
		Args: func(cmd *cobra.Command, a []string) error {
			if len(a) == 1 {
				return wrongUsage("name two editions, or none for the first two of the ranking: %s", cmd.UseLine())
			}
			return args(0, 2)(cmd, a)
		},
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			p := contract.ExplainParams{}
			if len(a) == 2 {
				p.A, p.B = a[0], a[1]
			}
			r, err := v.through(c).Explain(cmd.Context(), p)
			if err != nil {
				return err
			}
			list, err := s.fetchChecklist(cmd, c, r.Value.Heading.Checklist)
			if err != nil {
				return err
			}
			sheets := explainSheets(&r.Value.Explanation, &list.Value, called(r.Value.Names))
			sheets[0].heading += viewed(&r.Value.Heading)
			return s.print(cmd, r.Value, sheets...)
		},
	}
	v.allFlags(cmd)
	v.groundFlag(cmd)
	return cmd
}

// explainSheets is what sections and criteria add, the largest first.
func explainSheets(e *ranking.Explanation, list *checklist.Checklist, names func(string) string) []*sheet {
	ahead := fmt.Sprintf("%s is %s points ahead of %s", names(e.A), numerals.Rounded(e.Difference, 2), names(e.B))
	if e.Difference < 0 {
		ahead = fmt.Sprintf("%s is %s points behind %s", names(e.A), numerals.Rounded(-e.Difference, 2), names(e.B))
	}
	sections := &sheet{
		columns: []string{"Section", ">Adds"},
		heading: ahead,
		note:    strings.NewReplacer(e.A, names(e.A), e.B, names(e.B)).Replace(e.Order),
	}
	for _, x := range slices.SortedStableFunc(slices.Values(e.Sections), func(a, b ranking.SectionAdds) int { return bySize(a.Adds, b.Adds) }) {
		sections.add(x.Key, plus(x.Adds))
	}
	criteria := &sheet{
		columns: []string{"Criterion", ">Adds", ">Points A", ">Points B", "~>Weight A", "~>Weight B", "~Comes of"},
		heading: fmt.Sprintf("What each criterion adds · A: %s, B: %s", names(e.A), names(e.B)),
	}
	for _, x := range slices.SortedStableFunc(slices.Values(e.Criteria), func(a, b ranking.Contribution) int { return bySize(a.Adds, b.Adds) }) {
		criteria.add(
			x.Key,
			plus(x.Adds),
			numerals.Score(x.PointsA),
			numerals.Score(x.PointsB),
			percent(x.WeightA),
			percent(x.WeightB),
			comesOf(&x),
		)
	}
	for _, x := range e.Criteria {
		for _, side := range []struct {
			edition   string
			estimates []scoring.Estimate
		}{{e.A, x.EstimatedA}, {e.B, x.EstimatedB}} {
			c, _ := list.Criterion(x.Key)
			for _, y := range side.estimates {
				if y.Weight > 0 && x.Adds != 0 {
					criteria.note += fmt.Sprintf(
						"%s, %s: %s.\n",
						x.Key,
						names(side.edition),
						numerals.Estimated(y, c.Unit),
					)
				}
			}
		}
	}
	criteria.note += fmt.Sprintf(
		"Weight: the share of the score. A criterion adds its weight times its points above the midpoint of the two scores, %s; the sum is the difference. It comes of the weight where one side weighs the criterion more because it has no answer to others.",
		numerals.Rounded(e.Midpoint, 2),
	)
	return []*sheet{sections, criteria}
}

// comesOf says where what a criterion adds comes from: other points, other weights, or an
// answer that one side lacks.
func comesOf(x *ranking.Contribution) string {
	switch {
	case math.Abs(x.Adds) < 0.005:
		return ""
	case x.PointsA == nil:
		return "A has no answer"
	case x.PointsB == nil:
		return "B has no answer"
	case x.FromWeight():
		return "weight"
	case math.Abs(*x.ByWeight) >= 0.05*math.Abs(x.Adds):
		return "points and weight"
	}
	return "points"
}

func bySize(a, b float64) int {
	switch d := math.Abs(b) - math.Abs(a); {
	case d > 0:
		return 1
	case d < 0:
		return -1
	}
	return 0
}

// plus writes a contribution with its sign.
func plus(x float64) string {
	text := numerals.Rounded(math.Abs(x), 2)
	switch {
	case text == "0.00":
		return text
	case x < 0:
		return "-" + text
	}
	return "+" + text
}

// percent writes a share with one decimal.
func percent(x float64) string { return numerals.Rounded(100*x, 1) + " %" }
