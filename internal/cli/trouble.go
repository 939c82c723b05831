package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"dappertally/core/reading"
	"dappertally/internal/contract"
)

func (s *session) troubleCommand() *cobra.Command {
	return noun(
		"trouble",
		"Findings that several editions share, with their suspected origin",
		s.listTroubles(),
		s.showTrouble(),
		s.addTrouble(),
		s.editTrouble(),
	)
}

func troubleSheet(ts ...contract.TroubleView) *sheet {
	t := &sheet{columns: []string{"Key", "Title", "Origin", "Component", "Workaround", ">Cases", "Settled"}}
	for _, x := range ts {
		settled := ""
		if x.Trouble.Settled {
			settled = "settled"
		}
		t.add(
			x.Trouble.Key,
			x.Trouble.Title,
			x.Trouble.Origin,
			x.Trouble.Component,
			x.Trouble.Workaround,
			fmt.Sprint(len(x.Cases)),
			settled,
		)
	}
	return t
}

func (s *session) listTroubles() *cobra.Command {
	return &cobra.Command{
		Use:     "list",
		Short:   "List troubles, alphabetically",
		Example: "  dtally trouble list\n  dtally trouble list --output csv",
		Args:    args(0, 0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			ts, err := c.ListTroubles(cmd.Context())
			if err != nil {
				return err
			}
			return s.print(cmd, ts.Value, troubleSheet(ts.Value.Troubles...))
		},
	}
}

func (s *session) showTrouble() *cobra.Command {
	return &cobra.Command{
		Use:     "show KEY",
		Short:   "Show a trouble and its cases",
		Example: "  dtally trouble show wireless-sleep\n  dtally trouble show wireless-sleep --output yaml",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			t, err := c.ShowTrouble(cmd.Context(), a[0])
			if err != nil {
				return err
			}
			cases := &sheet{columns: []string{"Edition", "Finding", "Severity", "Fate"}}
			for _, x := range t.Value.Cases {
				cases.add(x.Edition, x.Finding.Title, x.Finding.Severity, x.Finding.Fate)
			}
			return s.print(cmd, t.Value, troubleSheet(t.Value), cases)
		},
	}
}

func troubleFlags(f *pflag.FlagSet) setters[reading.Trouble] {
	s := setters[reading.Trouble]{}
	s.text(f, "text", "more about it", func(t *reading.Trouble) *string { return &t.Text })
	s.text(f, "origin", strings.Join(reading.Origins, ", "), func(t *reading.Trouble) *string { return &t.Origin })
	s.text(f, "component", "what is suspected", func(t *reading.Trouble) *string { return &t.Component })
	s.text(
		f,
		"workaround",
		"how to live with it; it reaches all cases",
		func(t *reading.Trouble) *string { return &t.Workaround },
	)
	s.lines(
		f,
		"reported",
		"an address where it was reported",
		func(t *reading.Trouble) *[]string { return &t.Reported },
	)
	s.text(f, "outcome", "what came of the report", func(t *reading.Trouble) *string { return &t.Outcome })
	s.yes(f, "settled", "nobody need look for it any more", func(t *reading.Trouble) *bool { return &t.Settled })
	return s
}

func (s *session) addTrouble() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "add KEY TITLE",
		Short:   "Add a trouble",
		Example: "  dtally trouble add late-sound 'Sound starts a second late' --origin driver --component 'brine sound driver'\n  dtally trouble add blurred-text 'Text is blurred on the second screen' --origin desktop --component Latchwork",
		Args:    args(2, -1),
	}
	set := troubleFlags(cmd.Flags())
	cmd.RunE = func(cmd *cobra.Command, a []string) error {
		c, err := s.connect()
		if err != nil {
			return err
		}
		t := reading.Trouble{Key: a[0], Title: strings.Join(a[1:], " ")}
		set.apply(cmd, &t)
		added, err := c.AddTrouble(cmd.Context(), t)
		if err != nil {
			return err
		}
		return s.print(cmd, added.Value, troubleSheet(added.Value))
	}
	return cmd
}

func (s *session) editTrouble() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "edit KEY [TITLE]",
		Short:   "Correct a trouble: what is not said stays",
		Example: "  dtally trouble edit wireless-sleep --workaround 'reload the driver'\n  dtally trouble edit wireless-sleep --settled --outcome 'mended in kernel 6.14'",
		Args:    args(1, -1),
	}
	set := troubleFlags(cmd.Flags())
	cmd.RunE = func(cmd *cobra.Command, a []string) error {
		c, err := s.connect()
		if err != nil {
			return err
		}
		old, err := c.ShowTrouble(cmd.Context(), a[0])
		if err != nil {
			return err
		}
		t := old.Value.Trouble
		if len(a) > 1 {
			t.Title = strings.Join(a[1:], " ")
		}
		set.apply(cmd, &t)
		edited, err := c.EditTrouble(cmd.Context(), a[0], contract.EditTroubleParams{IfMatch: old.ETag}, t)
		if err != nil {
			return err
		}
		return s.print(cmd, edited.Value, troubleSheet(edited.Value))
	}
	return cmd
}
