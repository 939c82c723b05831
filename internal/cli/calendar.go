package cli

import (
	"dappertally/internal/client"
	"dappertally/internal/tables"

	"github.com/spf13/cobra"
)

func (s *session) calendarCommand() *cobra.Command {
	return noun(
		"calendar",
		"Your calendar of due dates and releases, for a calendar program",
		s.addCalendar(),
		s.removeCalendar(),
	)
}

var addressTable = tables.Define("address", "address of your calendar",
	tables.Text("address", "Address", "for subscriptions; whoever knows it can read the calendar"),
)

func (s *session) addCalendar() *cobra.Command {
	return &cobra.Command{
		Use:     "add",
		Short:   "Create its address, shown only once; an older address stops working",
		Example: "  dtally calendar add\n  dtally calendar add --output json",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			made, err := c.OpenCalendar(cmd.Context())
			if err != nil {
				return err
			}
			kept, err := readLogin()
			if err != nil {
				return err
			}
			t := sheetOf(addressTable)
			t.Add(s.address(kept) + made.Value.Path)
			return s.print(cmd, made.Value, t)
		}),
	}
}

func (s *session) removeCalendar() *cobra.Command {
	return &cobra.Command{
		Use:     "remove",
		Short:   "Remove its address",
		Example: "  dtally calendar remove\n  dtally calendar remove && dtally calendar add",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			return c.CloseCalendar(cmd.Context())
		}),
	}
}
