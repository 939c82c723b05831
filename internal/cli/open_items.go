package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/tables"
)

var openItemsTable = tables.Define("openItems", "an open item of a review",
	tables.Text("sort", "Sort", ""),
	tables.Text("criterion", "Criterion", "its key"),
	tables.Text("what", "What", ""),
)

func (s *session) openItems() *cobra.Command {
	return &cobra.Command{
		Use:     "open-items [REVIEW]",
		Short:   "List the open items of a review: missing, doubtful, or grades that differ too much",
		Example: "  dtally review open-items quaymark/22.1/latchwork\n  dtally review open-items quaymark/22.1/latchwork --output json",
		Args:    args(0, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			r, _, err := s.atReview(cmd, c, strings.Join(a, ""))
			if err != nil {
				return err
			}
			ends, err := c.OpenItems(cmd.Context(), r.Value.Id)
			if err != nil {
				return err
			}
			t := sheetOf(openItemsTable)
			for _, e := range ends.Value.OpenItems {
				t.Add(string(e.Sort), e.Criterion, e.Says)
			}
			return s.print(cmd, ends.Value, t)
		}),
	}
}
