package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"dappertally/core/quality"
	"dappertally/internal/client"
)

func (s *session) carryReviews() *cobra.Command {
	var o client.CarryOver
	var all bool
	cmd := &cobra.Command{
		Use:     "carry [REVIEW …] --to KEY@VERSION",
		Short:   "Carry reviews over to a newer version of the checklist",
		Long:    "Carry reviews over, as new reviews that name the old ones: what is asked alike is kept, what is new is not tested yet, what changed is asked again. All of them are carried over or none. --dry-run tells what would happen.",
		Example: "  dtally review carry --all --to workshop@2 --dry-run\n  dtally review carry quaymark/22.1/latchwork --to workshop@2",
		Args:    args(0, -1),
		RunE: func(cmd *cobra.Command, a []string) error {
			if all == (len(a) > 0) {
				return wrongUsage("name the reviews, or say --all")
			}
			c, err := s.connect()
			if err != nil {
				return err
			}
			for _, name := range a {
				r, err := s.findReview(cmd, c, name)
				if err != nil {
					return err
				}
				o.Reviews = append(o.Reviews, r.Value.Id)
			}
			carried, err := client.Read[client.CarriedList](c.CarryOver(cmd.Context(), o))
			if err != nil {
				return err
			}
			t := &sheet{columns: []string{"Edition", ">Kept", "Asked again", "New", "Review"}, heading: fmt.Sprintf("%d reviews to %s", len(carried.Value.Carried), o.To)}
			if o.Trial {
				t.heading += " · a trial, nothing was changed"
			}
			for _, x := range carried.Value.Carried {
				t.add(x.Edition, fmt.Sprint(len(x.Kept)), list(x.AskedAgain), list(x.New), x.Review)
			}
			return s.print(cmd, carried.Value, t)
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.To, "to", "", "KEY@VERSION in force")
	f.BoolVar(&all, "all", false, "every review that stands on an older version")
	f.BoolVar(&o.Trial, "dry-run", false, "tell what would happen and change nothing")
	_ = cmd.MarkFlagRequired("to") // the flag is defined above
	return cmd
}

func (s *session) doubtReviews() *cobra.Command {
	var v view
	cmd := &cobra.Command{
		Use:     "doubts [REVIEW]",
		Short:   "Tell what there is to look into: unsteady, outlying, surprising readings, reviewers apart",
		Long:    "Tell what there is to look into among the readings that editions stand with, or, where a review is named, in that review as it stands on the desk.",
		Example: "  dtally review doubts\n  dtally review doubts ivybeck/5.4/hearthside --output json",
		Args:    args(0, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			at, err := v.time()
			if err != nil {
				return err
			}
			c, err := s.connect()
			if err != nil {
				return err
			}
			var found client.Got[client.QualityView]
			if len(a) == 1 {
				r, err := s.findReview(cmd, c, a[0])
				if err != nil {
					return err
				}
				found, err = client.Read[client.QualityView](c.ReviewDoubts(cmd.Context(), r.Value.Id))
				if err != nil {
					return err
				}
			} else if found, err = client.Read[client.QualityView](c.ShowQuality(cmd.Context(), &client.ShowQualityParams{Checklist: v.checklist, At: at})); err != nil {
				return err
			}
			q := quality.Quality{Readings: found.Value.Readings, Agreement: found.Value.Agreement, Disagreements: found.Value.Disagreements, Leniency: found.Value.Leniency, Surprises: found.Value.Surprises}
			return s.print(cmd, found.Value, qualitySheets(&q)...)
		},
	}
	cmd.Flags().StringVar(&v.checklist, "checklist", "", "KEY@VERSION (default: the one shown)")
	cmd.Flags().StringVar(&v.at, "at", "", "as it stood at that time, such as 2026-06-01T00:00:00Z")
	return cmd
}
