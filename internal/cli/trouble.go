package cli

import (
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"dappertally/core/reading"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
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

var troublesTable = tables.Define("troubles", "a known trouble",
	tables.Text("key", "Key", ""),
	tables.Text("title", "Title", ""),
	tables.Text("origin", "Origin", ""),
	tables.Text("component", "Component", ""),
	tables.Text("workaround", "Workaround", ""),
	tables.Integer("cases", "Cases", "findings that are it"),
	tables.Truth("settled", "Settled", ""),
)

func troubleSheet(ts ...contract.TroubleView) *sheet {
	t := sheetOf(troublesTable)
	for _, x := range ts {
		t.Add(
			x.Trouble.Key,
			x.Trouble.Title,
			x.Trouble.Origin,
			x.Trouble.Component,
			x.Trouble.Workaround,
			len(x.Cases),
			tables.As{Data: x.Trouble.Settled, Text: mark(x.Trouble.Settled, "settled")},
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
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			ts, err := c.ListTroubles(cmd.Context())
			if err != nil {
				return err
			}
			return s.print(cmd, ts.Value, troubleSheet(ts.Value.Troubles...))
		}),
	}
}

var casesTable = tables.Define("cases", "a finding that is a case of a trouble",
	tables.Text("edition", "Edition", "its key"),
	tables.Text("title", "Finding", ""),
	tables.Text("severity", "Severity", ""),
	tables.Text("fate", "Fate", "what became of it"),
)

func (s *session) showTrouble() *cobra.Command {
	return &cobra.Command{
		Use:     "show KEY",
		Short:   "Show a trouble and its cases",
		Example: "  dtally trouble show wireless-sleep\n  dtally trouble show wireless-sleep --output yaml",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			t, err := c.ShowTrouble(cmd.Context(), a[0])
			if err != nil {
				return err
			}
			cases := sheetOf(casesTable)
			for _, x := range t.Value.Cases {
				cases.Add(x.Edition, x.Finding.Title, x.Finding.Severity, x.Finding.Fate)
			}
			return s.print(cmd, t.Value, troubleSheet(t.Value), cases)
		}),
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
	cmd.RunE = s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
		t := reading.Trouble{Key: a[0], Title: strings.Join(a[1:], " ")}
		set.apply(cmd, &t)
		return show(s, cmd, each(troubleSheet))(c.AddTrouble(cmd.Context(), t))
	})
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
	cmd.RunE = s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
		old, err := c.ShowTrouble(cmd.Context(), a[0])
		if err != nil {
			return err
		}
		t := old.Value.Trouble
		if len(a) > 1 {
			t.Title = strings.Join(a[1:], " ")
		}
		set.apply(cmd, &t)
		return show(
			s,
			cmd,
			each(troubleSheet),
		)(
			c.EditTrouble(cmd.Context(), a[0], contract.EditTroubleParams{IfMatch: old.ETag}, t),
		)
	})
	return cmd
}
