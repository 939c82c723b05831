package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"dappertally/core/ranking"
	"dappertally/internal/contract"
)

func (s *session) tippingCommand() *cobra.Command {
	var v view
	cmd := &cobra.Command{
		Use:   "tipping",
		Short: "Tell how far a weight must move before another edition leads",
		Long: "Tell, for each section and criterion, at which share of the weight another edition would lead, the other weights keeping their proportions. " +
			"A section's share is of all weight, a criterion's of its section.",
		Example: "  dtally tipping\n  dtally tipping --audience pensioner --newest --output json",
		Args:    args(0, 0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			r, err := v.through(c).ShowTipping(cmd.Context(), contract.ShowTippingParams{})
			if err != nil {
				return err
			}
			sheets := tippingSheets(&r.Value.Tipping, called(r.Value.Names))
			sheets[0].heading += viewed(&r.Value.Heading)
			return s.print(cmd, r.Value, sheets...)
		},
	}
	v.allFlags(cmd)
	v.groundFlag(cmd)
	return cmd
}

func tippingSheets(t *ranking.Tipping, names func(string) string) []*sheet {
	if t.Leader == "" {
		return []*sheet{
			{columns: []string{"Section"}, heading: "Tipping points", note: "Nobody is ranked, so nobody leads."},
		}
	}
	sections := tippingSheet("Section", "Share", t.Sections, names, true)
	sections.heading = names(t.Leader) + " has the highest score; another leads where a section's share of the weight"
	criteria := tippingSheet("Criterion", "Share", t.Criteria, names, false)
	criteria.heading = "The same for criteria, each by its share of its section; those that no share turns are left out"
	return []*sheet{sections, criteria}
}

func tippingSheet(what, share string, points []ranking.TipPoint, names func(string) string, all bool) *sheet {
	t := &sheet{columns: []string{what, ">" + share, ">falls to", "then leads", ">rises to", "then leads"}}
	for _, p := range points {
		if !all && p.Up == nil && p.Down == nil {
			continue
		}
		down, downLeader := tip(p.Down, names)
		up, upLeader := tip(p.Up, names)
		t.add(p.Key, percent(p.Share), down, downLeader, up, upLeader)
	}
	if len(t.rows) == 0 {
		t.note = "None: no share of any turns the lead."
	}
	return t
}

func tip(t *ranking.Tip, names func(string) string) (share, leader string) {
	if t == nil {
		return "never", ""
	}
	return percent(t.Share), fmt.Sprint(names(t.Leader))
}
