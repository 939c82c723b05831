package cli

import (
	"github.com/spf13/cobra"
)

func (s *session) calendarCommand() *cobra.Command {
	return noun(
		"calendar",
		"One's own calendar of due dates and releases, for a calendar program",
		s.addCalendar(),
		s.removeCalendar(),
	)
}

func (s *session) addCalendar() *cobra.Command {
	return &cobra.Command{
		Use:     "add",
		Short:   "Make its address, which is told this once; an older one ends",
		Example: "  dtally calendar add\n  dtally calendar add --output json",
		Args:    args(0, 0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			made, err := c.OpenCalendar(cmd.Context())
			if err != nil {
				return err
			}
			kept, err := readLogin()
			if err != nil {
				return err
			}
			t := &sheet{columns: []string{"Address"}}
			t.add(s.address(kept) + made.Value.Path)
			return s.print(cmd, made.Value, t)
		},
	}
}

func (s *session) removeCalendar() *cobra.Command {
	return &cobra.Command{
		Use:     "remove",
		Short:   "End its address",
		Example: "  dtally calendar remove\n  dtally calendar remove && dtally calendar add",
		Args:    args(0, 0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			return c.CloseCalendar(cmd.Context())
		},
	}
}
