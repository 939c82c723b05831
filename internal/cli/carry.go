package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/core/quality"
	"dappertally/core/scoring"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
)

func (s *session) carryReviews() *cobra.Command {
	var o contract.CarryOver
	var all bool
	cmd := &cobra.Command{
		Use:   "carry [REVIEW …] --to KEY@VERSION",
		Short: "Carry reviews over to a newer version of the checklist",
		Long: "Carry reviews over as new reviews that name the old ones: the answer to an unchanged " +
			"question is kept, a new question is not tested yet, a changed question is asked again. " +
			"Either all of them are carried over or none. --accept also accepts, in the same step, every " +
			"review that carries over unchanged: every scored question was asked the same way, and the " +
			"scoring rule is the same or is recomputed. Leads can use it. --dry-run shows what would " +
			"happen: the unchanged reviews first, with what each loses.",
		Example: "  dtally review carry --all --to workshop@2 --dry-run\n  dtally review carry --all --to workshop@2 --accept",
		Args:    args(0, -1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			if all == (len(a) > 0) {
				return wrongUsage("name the reviews, or use --all")
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
	f.BoolVar(&all, "all", false, "every review on an older version")
	f.BoolVar(&o.Accept, "accept", false, "also accept the reviews that carry over unchanged")
	f.BoolVar(&o.Trial, "dry-run", false, "show what would happen and change nothing")
	_ = cmd.MarkFlagRequired("to") // the flag is defined above
	return cmd
}

var gapsTable = tables.Define("gaps", "an answer that is not counted, or only known roughly",
	tables.Text("criterion", "Criterion", "its key"),
	tables.Text("rig", "Rig", "its key"),
	tables.Text("why", "Why it is not counted", ""),
	tables.Text("fix", "How to make it count", ""),
	tables.Text("reading", "Reading", "its id").Yields(),
)

// gapSheet lists the answers that do not count.
func gapSheet(gaps []scoring.Gap) *sheet {
	t := sheetOf(gapsTable)
	t.heading = "Answers that are not counted, or only known roughly"
	for _, g := range gaps {
		t.Add(g.Criterion, g.Rig, g.Why, g.Fix, g.Reading)
	}
	return t
}

var carriedTable = tables.Define("carried", "a review that was carried over to a newer checklist version",
	tables.Text("edition", "Edition", "its key"),
	tables.Text("how", "Carried over", "unchanged, accepted with it, or needs answers"),
	tables.Integer("kept", "Kept", "readings"),
	tables.Points("scoreWas", "Score before", "on the earlier version"),
	tables.Points("scoreIs", "Score now", "on the newer version"),
	tables.Share("coverageWas", "Coverage before", "").Yields(),
	tables.Share("coverageIs", "Coverage now", "").Yields(),
	tables.Text("loses", "Lost or missing", ""),
	tables.Text("review", "Review", "id of the new review").Yields(),
)

func carriedSheet(l *contract.CarriedList, trial bool) *sheet {
	t := sheetOf(carriedTable)
	accepted, unchanged := 0, 0
	for i := range l.Carried {
		x := &l.Carried[i]
		how := "needs answers"
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
	t.heading = fmt.Sprintf(
		"%s carried over to %s: %d unchanged, %d accepted",
		numerals.Count(len(l.Carried), "review"), l.To, unchanged, accepted,
	)
	if trial {
		t.heading = fmt.Sprintf(
			"%s would carry over to %s: %d unchanged, %d accepted in the same step · dry run, "+
				"nothing was changed",
			numerals.Count(len(l.Carried), "review"), l.To, unchanged, accepted,
		)
	}
	return t
}

// lost describes what a review loses when it is carried over, and what must be answered again.
func lost(x *contract.CarriedReview) []string {
	var out []string
	for _, part := range []struct {
		what string
		keys []string
	}{{"no longer asked", x.Dropped}, {"asked differently", x.AskedAgain}, {"new", x.New}} {
		if len(part.keys) > 0 {
			out = append(out, part.what+": "+list(part.keys))
		}
	}
	if x.EntriesDropped > 0 {
		out = append(out, fmt.Sprintf("entries about what is no longer asked: %d", x.EntriesDropped))
	}
	return out
}

func (s *session) doubtReviews() *cobra.Command {
	var v view
	cmd := &cobra.Command{
		Use:   "data-quality [REVIEW]",
		Short: "Show doubtful readings: unsteady, outlying or surprising, and reviewers who differ",
		Long: "Show doubtful readings: of all accepted reviews or, if a review is named, of that review as " +
			"it is on the desk.",
		Example: "  dtally review data-quality\n  dtally review data-quality ivybeck/5.4/hearthside --output json",
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
				found, err = c.ShowReviewQuality(cmd.Context(), r.Value.Id)
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
	cmd.Flags().StringVar(&v.checklist, "checklist", "", "KEY@VERSION (default: the version shown to readers)")
	cmd.Flags().StringVar(&v.at, "at", "", "as it was at that time, such as 2026-06-01T00:00:00Z")
	return cmd
}
