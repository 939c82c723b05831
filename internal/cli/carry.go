package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/core/quality"
	"dappertally/core/scoring"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

func (s *session) carryReviews() *cobra.Command {
	var o contract.CarryOver
	var all bool
	cmd := &cobra.Command{
		Use:   "carry [REVIEW …] --to KEY@VERSION",
		Short: "Carry reviews over to a newer version of the checklist",
		Long: "Carry reviews over, as new reviews that name the old ones: what is asked alike is kept, what is new is not tested yet, what changed is asked again. All of them are carried over or none. " +
			"--accept also accepts, in the same step, every review that comes over unchanged: each scored question was asked alike, and the scoring rule is the same or is computed anew. Leads can do that. " +
			"--dry-run shows what would happen: the unchanged reviews first, with what each loses.",
		Example: "  dtally review carry --all --to workshop@2 --dry-run\n  dtally review carry --all --to workshop@2 --accept",
		Args:    args(0, -1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			if all == (len(a) > 0) {
				return wrongUsage("name the reviews, or say --all")
			}
			for _, name := range a {
				r, err := s.findReview(cmd, c, name)
				if err != nil {
					return err
				}
				o.Reviews = append(o.Reviews, r.Value.Id)
			}
			carried, err := c.CarryOver(cmd.Context(), o)
			if err != nil {
				return err
			}
			return s.print(cmd, carried.Value, carriedSheet(&carried.Value, o.Trial))
		}),
	}
	f := cmd.Flags()
	f.StringVar(&o.To, "to", "", "KEY@VERSION in force")
	f.BoolVar(&all, "all", false, "every review that stands on an older version")
	f.BoolVar(&o.Accept, "accept", false, "accept what comes over unchanged, in the same step")
	f.BoolVar(&o.Trial, "dry-run", false, "tell what would happen and change nothing")
	_ = cmd.MarkFlagRequired("to") // the flag is defined above
	return cmd
}

var gapsTable = tables.Define("gaps", "an answer that does not count, or only roughly",
	tables.Text("criterion", "Criterion", "its key"),
	tables.Text("rig", "Rig", "its key"),
	tables.Text("why", "Why it does not count", ""),
	tables.Text("fix", "What would make it count", ""),
	tables.Text("reading", "Reading", "its id").Yields(),
)

// gapSheet lists the answers that do not count.
func gapSheet(gaps []scoring.Gap) *sheet {
	t := sheetOf(gapsTable)
	t.heading = "Answers that do not count, or only roughly"
	for _, g := range gaps {
		t.Add(g.Criterion, g.Rig, g.Why, g.Fix, g.Reading)
	}
	return t
}

var carriedTable = tables.Define("carried", "a review that was carried over to a newer checklist version",
	tables.Text("edition", "Edition", "its key"),
	tables.Text("how", "Carried over", "unchanged, accepted with it, or to be answered"),
	tables.Integer("kept", "Kept", "readings"),
	tables.Points("scoreWas", "Score was", "on the earlier version"),
	tables.Points("scoreIs", "Score is", "on the newer"),
	tables.Share("coverageWas", "Coverage was", "").Yields(),
	tables.Share("coverageIs", "Coverage is", "").Yields(),
	tables.Text("loses", "Loses or lacks", ""),
	tables.Text("review", "Review", "id of the new review").Yields(),
)

func carriedSheet(l *contract.CarriedList, trial bool) *sheet {
	t := sheetOf(carriedTable)
	accepted, unchanged := 0, 0
	for i := range l.Carried {
		x := &l.Carried[i]
		how := "to be answered"
		if x.Unchanged {
			how = "unchanged"
			unchanged++
		}
		if x.Accepted {
			how = "unchanged, accepted"
			accepted++
		}
		t.Add(
			x.Edition,
			how,
			len(x.Kept),
			x.Was.Overall,
			x.Is.Overall,
			x.Was.Coverage,
			x.Is.Coverage,
			strings.Join(lost(x), "; "),
			x.Review,
		)
	}
	t.heading = fmt.Sprintf("%d reviews to %s: %d unchanged, %d accepted", len(l.Carried), l.To, unchanged, accepted)
	if trial {
		t.heading = fmt.Sprintf(
			"%d reviews would go to %s: %d unchanged, %d accepted in the same step · a trial, nothing was changed",
			len(l.Carried),
			l.To,
			unchanged,
			accepted,
		)
	}
	return t
}

// lost says what a review loses on its way, and what it has to be asked there.
func lost(x *contract.CarriedReview) []string {
	var out []string
	for _, part := range []struct {
		what string
		keys []string
	}{{"not asked any more", x.Dropped}, {"asked in another way", x.AskedAgain}, {"new", x.New}} {
		if len(part.keys) > 0 {
			out = append(out, part.what+": "+list(part.keys))
		}
	}
	if x.EntriesDropped > 0 {
		out = append(out, fmt.Sprintf("%d entries about what is not asked any more", x.EntriesDropped))
	}
	return out
}

func (s *session) doubtReviews() *cobra.Command {
	var v view
	cmd := &cobra.Command{
		Use:     "doubts [REVIEW]",
		Short:   "Tell what there is to look into: unsteady, outlying, surprising readings, reviewers apart",
		Long:    "Tell what there is to look into among the readings that editions stand with, or, where a review is named, in that review as it stands on the desk.",
		Example: "  dtally review doubts\n  dtally review doubts ivybeck/5.4/hearthside --output json",
		Args:    args(0, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			at, err := v.time()
			if err != nil {
				return err
			}
			var found client.Got[contract.QualityView]
			if len(a) == 1 {
				r, err := s.findReview(cmd, c, a[0])
				if err != nil {
					return err
				}
				found, err = c.ReviewDoubts(cmd.Context(), r.Value.Id)
				if err != nil {
					return err
				}
			} else if found, err = c.ShowQuality(cmd.Context(), contract.ShowQualityParams{Checklist: v.checklist, At: at}); err != nil {
				return err
			}
			q := quality.Quality{
				Readings:      found.Value.Readings,
				Agreement:     found.Value.Agreement,
				Disagreements: found.Value.Disagreements,
				Leniency:      found.Value.Leniency,
				Surprises:     found.Value.Surprises,
				Changed:       found.Value.ChangedGrades,
			}
			sheets := qualitySheets(&q, found.Value.Of)
			if len(found.Value.Gaps) > 0 {
				sheets = append(sheets, gapSheet(found.Value.Gaps))
			}
			if len(found.Value.Drifted) > 0 {
				sheets = append(sheets, driftedSheet(found.Value.Drifted))
			}
			return s.print(cmd, found.Value, sheets...)
		}),
	}
	cmd.Flags().StringVar(&v.checklist, "checklist", "", "KEY@VERSION (default: the one shown)")
	cmd.Flags().StringVar(&v.at, "at", "", "as it stood at that time, such as 2026-06-01T00:00:00Z")
	return cmd
}
