package cli

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/core/ranking"
	"dappertally/core/scoring"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/results"
	"dappertally/internal/tables"
)

func (s *session) explainCommand() *cobra.Command {
	var v view
	cmd := &cobra.Command{
		Use:   "explain [A B]",
		Short: "Explain why one edition is ahead of another, criterion by criterion",
		Long: "Explain the difference between two editions' scores: what each criterion contributes, by " +
			"weight and points. The contributions add up to the difference exactly. Without editions, " +
			"the first two of the ranking are explained.",
		Example: "  dtally explain bramblewick/7.0/hearthside gullhaven/5.2/hearthside\n  dtally explain --audience pensioner --newest --output json",
		Args: func(cmd *cobra.Command, a []string) error {
			if len(a) == 1 {
				return wrongUsage("name two editions, or none for the first two of the ranking: %s", cmd.UseLine())
			}
			return args(0, 2)(cmd, a)
		},
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
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
		}),
	}
	v.allFlags(cmd)
	v.groundFlag(cmd)
	return cmd
}

var sectionsAddTable = tables.Define("sectionsAdd", "contribution of a section to the difference between two editions",
	tables.Text("a", "", "key of the first edition"),
	tables.Text("b", "", "key of the second edition"),
	tables.Text("section", "Section", "its key"),
	tables.Number("adds", "Adds", "points that it contributes to a's lead"),
)

// explainSheets shows what sections and criteria add, the largest first.
func explainSheets(e *ranking.Explanation, list *checklist.Checklist, names func(string) string) []*sheet {
	ahead := fmt.Sprintf("%s is %s points ahead of %s", names(e.A), numerals.Rounded(e.Difference, 2), names(e.B))
	if e.Difference < 0 {
		ahead = fmt.Sprintf("%s is %s points behind %s", names(e.A), numerals.Rounded(-e.Difference, 2), names(e.B))
	}
	sections := sheetOf(sectionsAddTable)
	sections.heading = ahead
	sections.note = strings.NewReplacer(e.A, names(e.A), e.B, names(e.B)).Replace(e.Order)
	bySize := func(a, b ranking.SectionAdds) int { return cmp.Compare(math.Abs(b.Adds), math.Abs(a.Adds)) }
	for _, x := range slices.SortedStableFunc(slices.Values(e.Sections), bySize) {
		sections.Add(e.A, e.B, x.Key, tables.As{Data: x.Adds, Text: numerals.Plus(x.Adds)})
	}
	criteria := &sheet{
		main:    true,
		heading: fmt.Sprintf("Contribution of each criterion · A: %s, B: %s", names(e.A), names(e.B)),
		Table:   results.Explanation(e),
		note:    estimatesBehind(e, list, names),
	}
	criteria.note += fmt.Sprintf(
		"Weight: the share of the score. A criterion contributes its weight times its points above "+
			"the midpoint of the two scores, %s; the contributions add up to the difference. A "+
			"contribution is due to the weight if one edition has a larger weight because it has no "+
			"answer to other criteria.",
		numerals.Rounded(e.Midpoint, 2),
	)
	return []*sheet{sections, criteria}
}

// estimatesBehind lists the estimates on which the difference rests.
func estimatesBehind(e *ranking.Explanation, list *checklist.Checklist, names func(string) string) string {
	var text strings.Builder
	for _, x := range e.Criteria {
		c, _ := list.Criterion(x.Key)
		for _, side := range []struct {
			edition   string
			estimates []scoring.Estimate
		}{{e.A, x.EstimatedA}, {e.B, x.EstimatedB}} {
			for _, y := range side.estimates {
				if y.Weight > 0 && x.Adds != 0 {
					fmt.Fprintf(&text, "%s, %s: %s.\n", x.Key, names(side.edition), numerals.Estimated(y, c.Unit))
				}
			}
		}
	}
	return text.String()
}

// percent formats a share with one decimal.
func percent(x float64) string { return numerals.Rounded(100*x, 1) + " %" }
