package cli

import (
	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

func (s *session) undoCommand() *cobra.Command {
	var review string
	var history bool
	cmd := &cobra.Command{
		Use:   "undo [ID]",
		Short: "Take back your last recording, within an hour",
		Long: "Take back a reading, a finding or another entry that you made in a review within the last " +
			"hour: the one with that id, or the latest. What you take back counts nowhere and stays in " +
			"the history of the review; what it replaced counts again. After an hour, or when the review " +
			"is accepted, replace or correct it instead.",
		Example: "  dtally record smoothness 7.5 --review quaymark/22.1/latchwork --rig bench-old\n  dtally undo --review quaymark/22.1/latchwork\n  dtally undo --review quaymark/22.1/latchwork --history",
		Args:    args(0, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			r, _, err := s.atReview(cmd, c, review)
			if err != nil {
				return err
			}
			if history {
				return show(s, cmd, alone(takenBackSheet))(c.ListTakenBack(cmd.Context(), r.Value.Id))
			}
			var what contract.Undo
			if len(a) == 1 {
				what.Id = a[0]
			}
			done, err := c.Undo(cmd.Context(), r.Value.Id, what)
			if err != nil {
				return err
			}
			t := sheetOf(undoneTable)
			t.Add(done.Value.Says, done.Value.Id)
			return s.print(cmd, done.Value, t)
		}),
	}
	cmd.Flags().StringVar(&review, "review", "", "id or edition of the review (default: set with dtally at)")
	cmd.Flags().BoolVar(&history, "history", false, "list the readings that were taken back, and take back none")
	return cmd
}

var undoneTable = tables.Define("undone", "what was taken back",
	tables.Text("says", "Taken back", ""),
	tables.Text("id", "Id", ""),
)

var takenBackTable = tables.Define("takenBack", "a reading that was taken back; it counts nowhere",
	tables.Moment("at", "Taken back", "when"),
	tables.Text("criterion", "Criterion", "its key"),
	tables.Text("rig", "Rig", "its key"),
	tables.Text("reviewer", "Reviewer", "name"),
	tables.Text("answer", "Answer", ""),
	tables.Text("id", "Reading", "").Yields(),
)

func takenBackSheet(l *contract.TakenBackList) *sheet {
	t := sheetOf(takenBackTable)
	t.heading = "Readings that were taken back; they count nowhere"
	for i := range l.Readings {
		x := &l.Readings[i].Reading
		t.Add(l.Readings[i].At, x.Criterion, x.Rig, x.Reviewer, answerText(&x.Answer), x.ID)
	}
	return t
}
