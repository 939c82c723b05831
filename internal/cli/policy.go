package cli

import (
	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

func (s *session) policyCommand() *cobra.Command {
	return noun("policy", "The team's own rules", s.showPolicy(), s.editPolicy())
}

var policyTable = tables.Define("policy", "the team's rules",
	tables.Text("secondReviewer", "Second pair of eyes", "when somebody else must accept"),
	tables.Integer("retestDays", "Retest after days", "0: never"),
)

func policySheet(p *contract.Policy) *sheet {
	t := sheetOf(policyTable)
	t.Add(string(p.SecondReviewer), p.RetestDays)
	return t
}

func (s *session) showPolicy() *cobra.Command {
	return &cobra.Command{
		Use:     "show",
		Short:   "Show the rules",
		Example: "  dtally policy show\n  dtally policy show --output json",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			return show(s, cmd, alone(policySheet))(c.ShowPolicy(cmd.Context()))
		}),
	}
}

func (s *session) editPolicy() *cobra.Command {
	var second string
	var days int
	cmd := &cobra.Command{
		Use:     "edit",
		Short:   "Change the rules: what is not said stays",
		Example: "  dtally policy edit --second-reviewer required\n  dtally policy edit --retest-days 90",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			old, err := c.ShowPolicy(cmd.Context())
			if err != nil {
				return err
			}
			p := old.Value
			if second != "" {
				p.SecondReviewer = contract.PolicySecondReviewer(second)
			}
			if days != 0 {
				p.RetestDays = days
			}
			return show(s, cmd, alone(policySheet))(
				c.SetPolicy(cmd.Context(), contract.SetPolicyParams{IfMatch: old.ETag}, p),
			)
		}),
	}
	cmd.Flags().
		StringVar(&second, "second-reviewer", "", "required: nobody accepts a review that they alone made; advised: it is said in public")
	cmd.Flags().IntVar(&days, "retest-days", 0, "after how many days a review of a rolling release is stale")
	return cmd
}
