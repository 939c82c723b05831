package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/tables"
)

var looseTable = tables.Define("looseEnds", "an open item of a review",
	tables.Text("sort", "Sort", ""),
	tables.Text("criterion", "Criterion", "its key"),
	tables.Text("what", "What", ""),
)

func (s *session) looseEnds() *cobra.Command {
	return &cobra.Command{
		Use:     "loose [REVIEW]",
		Short:   "List the open items of a review: missing, doubtful, or grades that differ too much",
		Example: "  dtally review loose quaymark/22.1/latchwork\n  dtally review loose quaymark/22.1/latchwork --output json",
		Args:    args(0, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			r, _, err := s.atReview(cmd, c, strings.Join(a, ""))
			if err != nil {
				return err
			}
			ends, err := c.LooseEnds(cmd.Context(), r.Value.Id)
			if err != nil {
				return err
			}
			t := sheetOf(looseTable)
			for _, e := range ends.Value.LooseEnds {
				t.Add(string(e.Sort), e.Criterion, e.Says)
			}
			return s.print(cmd, ends.Value, t)
		}),
	}
}
