package cli

import (
	"strings"

	"github.com/spf13/cobra"
)

func (s *session) looseEnds() *cobra.Command {
	return &cobra.Command{
		Use:     "loose [REVIEW]",
		Short:   "List what a review leaves open: missing, doubtful, too far apart",
		Example: "  dtally review loose quaymark/22.1/latchwork\n  dtally review loose quaymark/22.1/latchwork --output json",
		Args:    args(0, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			r, _, err := s.atReview(cmd, c, strings.Join(a, ""))
			if err != nil {
				return err
			}
			ends, err := c.LooseEnds(cmd.Context(), r.Value.Id)
			if err != nil {
				return err
			}
			t := &sheet{columns: []string{"Sort", "Criterion", "What"}}
			for _, e := range ends.Value.LooseEnds {
				t.add(string(e.Sort), e.Criterion, e.Says)
			}
			return s.print(cmd, ends.Value, t)
		},
	}
}
