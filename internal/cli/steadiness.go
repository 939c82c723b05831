package cli

import (
	"cmp"
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"dappertally/core/ranking"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/results"
	"dappertally/internal/tables"
)

func (s *session) steadinessCommand() *cobra.Command {
	var v view
	var p contract.ShowSteadinessParams
	var vary string
	cmd := &cobra.Command{
		Use:   "steadiness",
		Short: "Show how steady the ranking is when weights and readings are varied at random",
		Long: "Rank again and again with weights drawn around the real ones, or with runs and reviewers " +
			"drawn with replacement, and count how often each edition takes each rank. The same seed " +
			"gives the same result.",
		Example: "  dtally steadiness --newest\n  dtally steadiness --audience pensioner --vary both --draws 5000 --output json",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			p.Vary = contract.ShowSteadinessParamsVary(vary)
			r, err := v.through(c).ShowSteadiness(cmd.Context(), p)
			if err != nil {
				return err
			}
			t := steadinessSheet(&r.Value.Steadiness, r.Value.Heading.Audience, called(r.Value.Names))
			if n := len(r.Value.Steadiness.Editions); n < r.Value.Ranked {
				t.heading += fmt.Sprintf(" · the first %d of %d editions", n, r.Value.Ranked)
			}
			t.heading += viewed(&r.Value.Heading)
			return s.print(cmd, r.Value, t)
		}),
	}
	v.allFlags(cmd)
	v.groundFlag(cmd)
	f := cmd.Flags()
	f.IntVar(&p.Draws, "draws", 0, "number of draws (default 10000; fewer for more than 500 editions)")
	f.Int64Var(&p.Seed, "seed", 0, "the same seed gives the same result")
	f.Float64Var(&p.Kappa, "kappa", 0, "how close drawn weights are to the real ones (default 60)")
	choiceVar(f, &vary, "vary", "", "what is varied (default: weights)", ranking.Variables)
	return cmd
}

// steadinessSheet shows the shares of ranks, the edition that is first most often on top.
func steadinessSheet(s *ranking.SparseSteadiness, audience string, names func(string) string) *sheet {
	t := &sheet{
		heading: fmt.Sprintf("Steadiness · %d draws, varied: %s", s.Draws, s.Vary),
		Table: &tables.Table{Columns: []tables.Column{
			tables.Beside("Edition"),
			tables.BesideNumber("First"),
			tables.BesideNumber("Ranks (90 %)"),
			tables.BesideNumber("Most often"),
			tables.BesideNumber("Share"),
		}},
		data: results.Steadiness(audience, s.Editions),
		note: "First: share of draws in which it leads. Ranks: from the 5th to the 95th percentile. A " +
			"shared rank counts in parts.",
	}
	order := slices.SortedStableFunc(slices.Values(s.Editions), func(a, b ranking.EditionRanks) int {
		return cmp.Or(cmp.Compare(b.First, a.First), cmp.Compare(a.Low, b.Low), cmp.Compare(a.High, b.High))
	})
	for _, e := range order {
		var most ranking.RankShare
		for _, x := range e.Shares {
			if x.Share > most.Share {
				most = x
			}
		}
		t.Add(names(e.Edition), percent(e.First), between(e.Low, e.High), most.Rank, percent(most.Share))
	}
	return t
}
