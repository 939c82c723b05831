package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
)

func (s *session) queueCommand() *cobra.Command {
	return noun(
		"queue",
		"Reviews that are due, and requests for reviews",
		s.listQueue(),
		s.addToQueue(),
		s.orderQueue(),
		s.removeFromQueue(),
	)
}

func (s *session) readQueue(cmd *cobra.Command, c *client.Client) (client.Got[contract.Queue], error) {
	return c.ShowQueue(cmd.Context())
}

var queueTable = tables.Define("queue", "something to review",
	tables.Integer("place", "Place", "set by the lead; empty: none"),
	tables.Text("subject", "What", "key in the catalogue, or a description"),
	tables.Text("why", "Why", ""),
	tables.Text("state", "State", "of its review"),
	tables.Text("assigned", "Assigned", "name of the reviewer"),
	tables.Day("due", "Due", ""),
	tables.Truth("overdue", "", ""),
	tables.Share("progress", "Answered", "share of the weight that is answered"),
)

func queueSheet(q *contract.Queue) *sheet {
	t := sheetOf(queueTable)
	for _, x := range q.Items {
		var place any
		if x.Place > 0 {
			place = x.Place
		}
		progress := tables.As{}
		if x.Review.Id != "" {
			progress = tables.As{Data: x.Progress, Text: numerals.Share(x.Progress)}
		}
		var why []string
		for _, w := range x.Why {
			why = append(why, w.Says)
		}
		if x.LeftOut != "" {
			why = append(why, "left out: "+x.LeftOut)
		}
		t.Add(
			place,
			x.Subject,
			strings.Join(why, "; "),
			string(x.Review.State),
			x.Review.Assigned,
			due(x.Review.Due, x.Overdue),
			x.Overdue,
			progress,
		)
	}
	return t
}

// due formats a day, with a remark if it has passed.
func due(day string, overdue bool) any {
	if overdue {
		return tables.As{Data: day, Text: day + " overdue"}
	}
	return day
}

func (s *session) listQueue() *cobra.Command {
	return &cobra.Command{
		Use:     "list",
		Short:   "List what is due, in the lead's order",
		Example: "  dtally queue list\n  dtally queue list --output json",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			return show(s, cmd, alone(queueSheet))(s.readQueue(cmd, c))
		}),
	}
}

var requestTable = tables.Define("request", "a request for a review",
	tables.Text("subject", "Requested", "key in the catalogue, or a description"),
	tables.Text("id", "Request", ""),
)

func (s *session) addToQueue() *cobra.Command {
	var n contract.NewRequest
	cmd := &cobra.Command{
		Use:     "add WHAT",
		Short:   "Request a review; the same request again counts as one more",
		Example: "  dtally queue add mossgate/12/awning --reason 'the radio station asks'\n  dtally queue add 'the new edition for low-power boards'",
		Args:    args(1, -1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			n.Subject = strings.Join(a, " ")
			made, err := c.AskForReview(cmd.Context(), n)
			if err != nil {
				return err
			}
			t := sheetOf(requestTable)
			t.Add(n.Subject, made.Value.Id)
			return s.print(cmd, made.Value, t)
		}),
	}
	cmd.Flags().StringVar(&n.Reason, "reason", "", "reason, and for whom")
	return cmd
}

func (s *session) orderQueue() *cobra.Command {
	return &cobra.Command{
		Use:     "order WHAT…",
		Short:   "Order the queue: these first, in this order, then all others",
		Example: "  dtally queue order oakshott/1.8/awning quaymark/22.1/latchwork\n  dtally queue order gullhaven/5.2/pebbledash",
		Args:    args(1, -1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			q, err := s.readQueue(cmd, c)
			if err != nil {
				return err
			}
			if err := c.OrderQueue(cmd.Context(), contract.OrderQueueParams{IfMatch: q.ETag}, contract.QueueOrder{Subjects: a}); err != nil {
				return err
			}
			if q, err = s.readQueue(cmd, c); err != nil {
				return err
			}
			return s.print(cmd, q.Value, queueSheet(&q.Value))
		}),
	}
}

func (s *session) removeFromQueue() *cobra.Command {
	var reason string
	var back bool
	cmd := &cobra.Command{
		Use:   "remove WHAT --reason REASON",
		Short: "Decline a request, or leave out a due review; --back restores it",
		Example: "  dtally queue remove 'an edition for low-power boards' --reason 'we have no such board'\n" +
			"  dtally queue remove oakshott/1.8/awning --reason 'retired by its makers next month'\n  dtally queue remove oakshott/1.8/awning --back",
		Args: args(1, -1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			if (reason == "") == !back {
				return wrongUsage("give either --reason or --back")
			}
			what := strings.Join(a, " ")
			q, err := s.readQueue(cmd, c)
			if err != nil {
				return err
			}
			for _, x := range q.Value.Items {
				if x.Subject != what {
					continue
				}
				// A subject that is only in the queue because of requests is declined to those who asked.
				if len(x.Why) == 1 && x.Request.Id != "" && !back {
					return c.DecideRequest(
						cmd.Context(),
						x.Request.Id,
						contract.DecideRequestParams{IfMatch: fmt.Sprint(x.Request.Revision)},
						contract.RequestDecision{State: "declined", Decision: reason},
					)
				}
				return c.LeaveOut(cmd.Context(), contract.LeftOut{Subject: what, Why: reason})
			}
			return fmt.Errorf("%w: %q is not in the queue", errNotFound, what)
		}),
	}
	cmd.Flags().StringVar(&reason, "reason", "", "reason, shown to those who asked")
	cmd.Flags().BoolVar(&back, "back", false, "restore what was left out")
	return cmd
}
