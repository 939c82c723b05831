package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"dappertally/internal/contract"
)

func (s *session) policyCommand() *cobra.Command {
	return noun("policy", "The team's own rules", s.showPolicy(), s.editPolicy())
}

func policySheet(p contract.Policy) *sheet {
	t := &sheet{columns: []string{"Second pair of eyes", ">Retest after days"}}
	t.add(string(p.SecondReviewer), fmt.Sprint(p.RetestDays))
	return t
}

func (s *session) showPolicy() *cobra.Command {
	return &cobra.Command{
		Use:     "show",
		Short:   "Show the rules",
		Example: "  dtally policy show\n  dtally policy show --output json",
		Args:    args(0, 0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			p, err := c.ShowPolicy(cmd.Context())
			if err != nil {
				return err
			}
			return s.print(cmd, p.Value, policySheet(p.Value))
		},
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
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
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
			edited, err := c.SetPolicy(cmd.Context(), contract.SetPolicyParams{IfMatch: old.ETag}, p)
			if err != nil {
				return err
			}
			return s.print(cmd, edited.Value, policySheet(edited.Value))
		},
	}
	cmd.Flags().
		StringVar(&second, "second-reviewer", "", "required: nobody accepts a review that they alone made; advised: it is said in public")
	cmd.Flags().IntVar(&days, "retest-days", 0, "after how many days a review of a rolling release is stale")
	return cmd
}
