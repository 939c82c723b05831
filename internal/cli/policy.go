package cli

import (
	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

func (s *session) policyCommand() *cobra.Command {
	return noun("policy", "Settings of the team", s.showPolicy(), s.editPolicy())
}

var policyTable = tables.Define("policy", "the settings",
	tables.Text("secondReviewer", "Second reviewer", "when somebody else has to accept"),
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
		Short:   "Show the settings",
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
		Short:   "Change the settings; what is not named stays as it is",
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
		StringVar(&second, "second-reviewer", "", "required: nobody can accept a review that only they worked on; advised: readers are shown it")
	cmd.Flags().IntVar(&days, "retest-days", 0, "days after which a review of a rolling release is due again")
	return cmd
}
