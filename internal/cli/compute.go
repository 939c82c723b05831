package cli

import (
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/core/bundle"
	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/core/ranking"
	"dappertally/core/scoring"
	"dappertally/internal/numerals"
)

// whats lists what compute can print.
var whats = []string{"scorecards", "ranking", "comparison"}

// largestBundle bounds what compute reads.
const largestBundle = 1 << 30

func (s *session) computeCommand() *cobra.Command {
	var v view
	var what, baseline string
	cmd := &cobra.Command{
		Use:     "compute FILE",
		Short:   "Compute scorecards, a ranking or a comparison from a bundle",
		Long:    "Compute from a bundle file, or from standard input where FILE is -, without a service and without a network. --output json gives full precision.",
		Example: "  dtally compute second-wind.json --what ranking --audience pensioner\n  dtally compute - --what scorecards --output json < second-wind.json",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			if !slices.Contains(whats, what) {
				return wrongUsage("--what must be one of %s, not %q", list(whats), what)
			}
			opts, err := v.options()
			if err != nil {
				return err
			}
			b, err := readBundle(cmd, a[0])
			if err != nil {
				return err
			}
			list, err := scoring.Newest(b.Checklists, v.checklist)
			if err != nil {
				return fmt.Errorf("%w: %w", errNotFound, err)
			}
			audience, ok := list.Audience(opts.Audience)
			if !ok {
				return fmt.Errorf("%w: checklist %s has no audience %q", errNotFound, list.Name(), opts.Audience)
			}
			return s.compute(cmd, scoring.Tabulate(b.Input(list), opts), audience, what, baseline)
		},
	}
	v.flags(cmd)
	cmd.Flags().StringVar(&what, "what", "ranking", strings.Join(whats, ", "))
	cmd.Flags().StringVar(&baseline, "baseline", "", "of a comparison (default: the alphabetically first edition)")
	return cmd
}

func readBundle(cmd *cobra.Command, file string) (*bundle.Bundle, error) {
	var in io.Reader = cmd.InOrStdin()
	if file != "-" {
		f, err := os.Open(file)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		in = f
	}
	b, err := bundle.Parse(in, largestBundle)
	if err != nil {
		return nil, fmt.Errorf("%s is not a sound bundle:\n%w", file, err)
	}
	return b, nil
}

func (s *session) compute(cmd *cobra.Command, table *scoring.Table, audience checklist.Audience, what, baseline string) error {
	cards := table.Scorecards(audience)
	switch what {
	case "scorecards":
		return s.print(cmd, map[string]any{"scorecards": cards}, cardsSheet(cards))
	case "comparison":
		if baseline == "" && len(table.Editions) > 0 {
			baseline = table.Editions[0]
		}
		c, err := comparing.Compare(table, baseline, nil)
		if err != nil {
			return fmt.Errorf("%w: %w", errNotFound, err)
		}
		t := rowsSheet(c.Rows, table.Checklist, nil)
		t.heading = "Measures against " + baseline
		return s.print(cmd, c, t)
	}
	r, err := ranking.Rank(table.Columns(), audience, ranking.By{})
	if err != nil {
		return err
	}
	return s.print(cmd, r, placesSheet(&r))
}

func cardsSheet(cards []scoring.Scorecard) *sheet {
	t := &sheet{columns: []string{"Edition", ">Score", ">Total", ">Low", ">High", ">Coverage", ">Measured", "Barred by"}}
	for _, c := range cards {
		var bars []string
		for _, b := range c.Barred {
			bars = append(bars, b.Criterion)
		}
		t.add(c.Edition, numerals.Score(c.Overall), numerals.Score(c.Total), numerals.Score(c.Low), numerals.Score(c.High), numerals.Share(c.Coverage), numerals.Share(c.MeasuredShare), list(bars))
	}
	return t
}

func placesSheet(r *ranking.Ranking) *sheet {
	t := &sheet{columns: []string{">Rank", "Edition", ">Score", "Remarks"}}
	for _, p := range r.Ranking {
		rank, remark := fmt.Sprint(p.Rank), ""
		if p.DeadHeat {
			rank = "=" + rank
		}
		if p.DecidedBy != "" {
			remark = "decided by " + p.DecidedBy
		}
		t.add(rank, p.Edition, numerals.Score(&p.Overall), remark)
	}
	for _, p := range r.Provisional {
		t.add("provisional", p.Edition, numerals.Score(p.Overall), numerals.Share(p.Coverage)+" answered")
	}
	for _, p := range r.Barred {
		t.add("barred", p.Edition, "–", list(p.Criteria))
	}
	return t
}
