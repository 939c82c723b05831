package cli

import (
	"github.com/spf13/cobra"

	"dappertally/core/ranking"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

func (s *session) tippingCommand() *cobra.Command {
	var v view
	cmd := &cobra.Command{
		Use:   "tipping",
		Short: "Show how far a weight has to change before another edition leads",
		Long: "Show, for each section and criterion, at which share of the weight another edition would " +
			"lead, while the other weights keep their proportions. A section's share is of the whole " +
			"weight, a criterion's share is of its section.",
		Example: "  dtally tipping\n  dtally tipping --audience pensioner --newest --output json",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			r, err := v.through(c).ShowTipping(cmd.Context(), contract.ShowTippingParams{})
			if err != nil {
				return err
			}
			sheets := tippingSheets(&r.Value.Tipping, called(r.Value.Names))
			sheets[0].heading += viewed(&r.Value.Heading)
			return s.print(cmd, r.Value, sheets...)
		}),
	}
	v.allFlags(cmd)
	v.groundFlag(cmd)
	return cmd
}

var tippingTable = tables.Define("tipping", "at which weight of a section or criterion another edition leads",
	tables.Text("of", "", "section or criterion"),
	tables.Text("key", "Key", ""),
	tables.Share("share", "Share", "its current share").To(1),
	tables.Share("down", "falls to", "the largest smaller share at which another edition leads; empty: none").To(1),
	tables.Text("downLeader", "then leads", "key of the edition"),
	tables.Share("up", "rises to", "the smallest larger share at which another edition leads; empty: none").To(1),
	tables.Text("upLeader", "then leads", "key of the edition"),
)

func tippingSheets(t *ranking.Tipping, names func(string) string) []*sheet {
	data := tippingTable.Table()
	if t.Leader == "" {
		return []*sheet{
			{Table: data, heading: "Tipping points", note: "No edition is ranked."},
		}
	}
	sections := tippingSheet("section", "Section", t.Sections, names, true, data)
	sections.heading = names(t.Leader) + " has the highest score; another edition leads when a section's share of the weight"
	criteria := tippingSheet("criterion", "Criterion", t.Criteria, names, false, data)
	criteria.heading = "The same for criteria, each by its share of its section; criteria that never change the " +
		"leader are left out"
	return []*sheet{sections, criteria}
}

func tippingSheet(
	of, title string,
	points []ranking.TipPoint,
	names func(string) string,
	all bool,
	data *tables.Table,
) *sheet {
	t := sheetOf(tippingTable)
	t.Columns[1].Title = title
	t.data = data
	for _, p := range points {
		down, downLeader := tip(p.Down, names)
		up, upLeader := tip(p.Up, names)
		row := []any{of, p.Key, p.Share, down, downLeader, up, upLeader}
		data.Add(row...)
		if all || p.Up != nil || p.Down != nil {
			t.Add(row...)
		}
	}
	if len(t.Rows) == 0 {
		t.note = "None: no share changes the leader."
	}
	return t
}

func tip(t *ranking.Tip, names func(string) string) (share, leader tables.As) {
	if t == nil {
		return tables.As{Text: "never"}, tables.As{}
	}
	return tables.As{Data: t.Share, Text: percent(t.Share)}, tables.As{Data: t.Leader, Text: names(t.Leader)}
}
