package cli

import (
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"dappertally/core/reading"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
)

func (s *session) reviewCommand() *cobra.Command {
	return noun(
		"review",
		"Reviews of editions",
		s.listReviews(),
		s.showReview(),
		s.addReview(),
		s.editReview(),
		s.carryReviews(),
		s.doubtReviews(),
		s.openItems(),
		s.walkReview(),
	)
}

func (s *session) reviews(
	cmd *cobra.Command,
	c *client.Client,
	p contract.ListReviewsParams,
) ([]contract.Review, error) {
	return all(func(cursor string) (client.Got[contract.ReviewList], error) {
		p.Cursor = cursor
		return c.ListReviews(cmd.Context(), p)
	}, func(l *contract.ReviewList) ([]contract.Review, string) { return l.Reviews, l.Next })
}

func (s *session) listReviews() *cobra.Command {
	var p contract.ListReviewsParams
	var state string
	cmd := &cobra.Command{
		Use:     "list",
		Short:   "List reviews, by edition",
		Example: "  dtally review list --state underway\n  dtally review list --assigned tomas --output json",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			if state != "" {
				p.State = []contract.ReviewState{contract.ReviewState(state)}
			}
			rs, err := s.reviews(cmd, c, p)
			if err != nil {
				return err
			}
			return s.print(cmd, contract.ReviewList{Reviews: rs}, reviewSheet(rs...))
		}),
	}
	choiceVar(cmd.Flags(), &state, "state", "", "", reading.ReviewStates)
	cmd.Flags().StringVar(&p.Edition, "edition", "", "only of this edition")
	cmd.Flags().StringVar(&p.Assigned, "assigned", "", "only of this person")
	return cmd
}

var reviewsTable = tables.Define("reviews", "a review",
	tables.Text("id", "Review", ""),
	tables.Text("edition", "Edition", "its key"),
	tables.Text("checklist", "Checklist", "the version"),
	tables.Text("state", "State", ""),
	tables.Text("assigned", "Assigned", "name of the reviewer"),
	tables.Day("due", "Due", ""),
	tables.Truth("overdue", "", ""),
	tables.Moment("accepted", "Accepted", "when"),
	tables.Integer("waiting", "Waiting", "readings that count when it is accepted again"),
)

func reviewSheet(rs ...contract.Review) *sheet {
	t := sheetOf(reviewsTable)
	for _, r := range rs {
		t.Add(
			r.Id,
			r.Edition,
			r.Checklist,
			string(r.State),
			r.Assigned,
			due(r.Due, r.Overdue),
			r.Overdue,
			r.Accepted,
			r.Waiting,
		)
	}
	return t
}

func (s *session) showReview() *cobra.Command {
	return &cobra.Command{
		Use:     "show REVIEW",
		Short:   "Show a review and its readings; REVIEW is its id, or the edition if only one is open",
		Example: "  dtally review show quaymark/22.1/latchwork\n  dtally review show quaymark/22.1/latchwork --output json",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			r, err := s.findReview(cmd, c, a[0])
			if err != nil {
				return err
			}
			rs, err := c.ListReadings(cmd.Context(), r.Value.Id)
			if err != nil {
				return err
			}
			return s.print(
				cmd,
				map[string]any{"review": r.Value, "readings": rs.Value.Readings, "changed": rs.Value.Changed},
				reviewSheet(r.Value),
				readingSheet(rs.Value),
			)
		}),
	}
}

// findReview finds a review by its id, or the open one of an edition, or else its current one.
func (s *session) findReview(cmd *cobra.Command, c *client.Client, name string) (client.Got[contract.Review], error) {
	id := name
	if !reading.ValidID(name) {
		if _, _, _, err := splitEdition(name); err != nil {
			return client.Got[contract.Review]{}, wrongUsage("%q is neither the id of a review nor an edition", name)
		}
		rs, err := s.reviews(cmd, c, contract.ListReviewsParams{Edition: name})
		if err != nil {
			return client.Got[contract.Review]{}, err
		}
		if id, err = pick(name, rs); err != nil {
			return client.Got[contract.Review]{}, err
		}
	}
	return c.ShowReview(cmd.Context(), id)
}

func pick(edition string, rs []contract.Review) (id string, err error) {
	var open []string
	var latest contract.Review // accepted ones
	for _, r := range rs {
		switch r.State {
		case reading.Planned, reading.Underway, reading.Submitted:
			open = append(open, r.Id)
		case reading.Accepted:
			if latest.Id == "" || r.Accepted.After(latest.Accepted) {
				latest = r
			}
		}
	}
	switch {
	case len(open) == 1:
		return open[0], nil
	case len(open) > 1:
		return "", wrongUsage("%s has %d open reviews; name one by its id: %s", edition, len(open), list(open))
	case latest.Id == "":
		return "", fmt.Errorf("%w: %s has no review that you can see", errNotFound, edition)
	}
	return latest.Id, nil
}

var readingsTable = tables.Define("reviewReadings", "a reading of a review",
	tables.Text("id", "Reading", ""),
	tables.Text("criterion", "Criterion", "its key"),
	tables.Text("reviewer", "Reviewer", "name"),
	tables.Text("rig", "Rig", "its key"),
	tables.Moment("measured", "Measured", ""),
	tables.Text("answer", "Answer", ""),
	tables.Text("remarks", "Remarks", ""),
)

func readingSheet(rs contract.ReadingList) *sheet {
	t := sheetOf(readingsTable)
	for i := range rs.Readings {
		x := &rs.Readings[i]
		at := tables.As{Data: x.At, Text: x.At.UTC().Format(time.DateTime) + " UTC"}
		t.Add(
			x.ID,
			x.Criterion,
			x.Reviewer,
			x.Rig,
			at,
			answerText(&x.Answer),
			list(append(changedRemarks(x, rs.Changed), readingRemarks(x)...)),
		)
	}
	return t
}

// changedRemarks says that a grade was changed after the others' could be seen.
func changedRemarks(x *reading.Reading, changed []contract.ChangedGrade) (out []string) {
	for i := range changed {
		if changed[i].Reading == x.ID {
			out = append(out, changed[i].Says())
		}
	}
	return out
}

func readingRemarks(x *reading.Reading) []string {
	var out []string
	if a := x.Adjustment; a != nil {
		out = append(out, fmt.Sprintf("less %v: %s", a.Amount, a.Reason))
	}
	if x.Bound != "" {
		out = append(out, x.Bound)
	}
	if len(x.Boots) > 0 {
		out = append(out, "over "+numerals.Count(reading.Starts(x.Boots), "start")+" of the machine")
	}
	if x.Disturbance != "" {
		out = append(out, "disturbed: "+x.Disturbance)
	}
	if x.Replaces != "" {
		out = append(out, "replaces "+x.Replaces)
	}
	if x.Note != "" {
		out = append(out, x.Note)
	}
	return out
}

func answerText(a *reading.Answer) string {
	switch {
	case a.NotTested != "":
		return "not tested: " + a.NotTested
	case a.NotApplicable != "":
		return "not applicable: " + a.NotApplicable
	case a.Grade != nil:
		return fmt.Sprint(*a.Grade)
	case a.Runs != nil:
		runs := make([]string, len(a.Runs))
		for i, r := range a.Runs {
			runs[i] = fmt.Sprint(r)
		}
		return list(runs)
	case a.Fact != nil:
		return a.Fact.String()
	case a.Count != nil && a.Count.K != nil && a.Count.N != nil:
		return fmt.Sprintf("%d of %d", *a.Count.K, *a.Count.N)
	case a.Count != nil:
		return fmt.Sprintf(
			"worked %d, workaround %d, failed %d", len(a.Count.Worked), len(a.Count.Workaround), len(a.Count.Failed),
		)
	}
	return a.Check + a.Level
}

func (s *session) addReview() *cobra.Command {
	var n contract.NewReview
	cmd := &cobra.Command{
		Use:     "add EDITION",
		Short:   "Plan a review",
		Example: "  dtally review add ivybeck/5.4/hearthside --due 2026-12-05\n  dtally review add eiderloft/2026-04/latchwork --assigned odile",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			n.Edition = a[0]
			r, err := c.AddReview(cmd.Context(), n)
			if err != nil {
				return err
			}
			prose(cmd.ErrOrStderr(), r.Value.Warning, widthOf(cmd.ErrOrStderr()))
			return s.print(cmd, r.Value, reviewSheet(r.Value))
		}),
	}
	f := cmd.Flags()
	f.StringVar(&n.Checklist, "checklist", "", "KEY@VERSION (default: the newest in force)")
	f.StringVar(&n.Assigned, "assigned", "", "reviewer (default: you, if you are a reviewer)")
	f.StringVar(&n.Due, "due", "", "YYYY-MM-DD")
	f.StringVar(&n.Continues, "continues", "", "id of the review that this one continues")
	return cmd
}

func (s *session) editReview() *cobra.Command {
	var m contract.ReviewMove
	var state, assigned, due string
	cmd := &cobra.Command{
		Use:     "edit REVIEW",
		Short:   "Change a review's state (start, submit, accept, reopen, withdraw), or assign it",
		Example: "  dtally review edit quaymark/22.1/latchwork --state submitted --reason 'the rest waits for the printer'\n  dtally review edit gullhaven/5.2/hearthside --state underway --reason 'the printer is back'\n  dtally review edit quaymark/22.1/latchwork --assigned odile --due 2026-12-12",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			r, err := s.findReview(cmd, c, a[0])
			if err != nil {
				return err
			}
			if f := cmd.Flags(); f.Changed("assigned") || f.Changed("due") {
				if r, err = s.assign(cmd, c, r, assigned, due); err != nil {
					return err
				}
			} else if state == "" {
				return wrongUsage("name a change: --state, --assigned or --due")
			}
			if state == "" {
				return s.print(cmd, r.Value, reviewSheet(r.Value))
			}
			m.State = contract.ReviewState(state)
			return show(s, cmd, each(reviewSheet))(
				c.MoveReview(cmd.Context(), r.Value.Id, contract.MoveReviewParams{IfMatch: r.ETag}, m),
			)
		}),
	}
	choiceVar(cmd.Flags(), &state, "state", "", "", reading.ReviewStates[1:])
	cmd.Flags().StringVar(&m.Reason, "reason", "", "reason; required to reopen or withdraw")
	cmd.Flags().StringVar(&assigned, "assigned", "", "the reviewer; empty for nobody")
	cmd.Flags().StringVar(&due, "due", "", "YYYY-MM-DD; empty for none")
	return cmd
}

// assign sets who does a review and when it is due; what is not given stays the same.
func (s *session) assign(
	cmd *cobra.Command,
	c *client.Client,
	r client.Got[contract.Review],
	assigned, due string,
) (client.Got[contract.Review], error) {
	a := contract.Assignment{Assigned: r.Value.Assigned, Due: r.Value.Due}
	if cmd.Flags().Changed("assigned") {
		a.Assigned = assigned
	}
	if cmd.Flags().Changed("due") {
		a.Due = due
	}
	return c.AssignReview(cmd.Context(), r.Value.Id, contract.AssignReviewParams{IfMatch: r.ETag}, a)
}
