package cli

import (
	"context"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/core/reading"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

func (s *session) troubleCommand() *cobra.Command {
	return noun(
		"trouble",
		"Problems that several editions share, with their suspected cause",
		s.listTroubles(),
		s.showTrouble(),
		troubleKept.addVerb(s,
			"  dtally trouble add late-sound 'Sound starts a second late' --origin driver --component 'brine sound driver'\n"+
				"  dtally trouble add blurred-text 'Text is blurred on the second screen' --origin desktop --component Latchwork"),
		troubleKept.editVerb(s, ": fields without a flag stay as they are",
			"  dtally trouble edit wireless-sleep --workaround 'reload the driver'\n"+
				"  dtally trouble edit wireless-sleep --settled --outcome 'mended in kernel 6.14'"),
	)
}

var troublesTable = tables.Define("troubles", "a known issue",
	tables.Text("key", "Key", ""),
	tables.Text("title", "Title", ""),
	tables.Text("origin", "Origin", ""),
	tables.Text("component", "Component", ""),
	tables.Text("workaround", "Workaround", ""),
	tables.Integer("cases", "Cases", "findings that are cases of it"),
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
		Short:   "List known issues, alphabetically",
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

var casesTable = tables.Define("cases", "a finding that is a case of a known issue",
	tables.Text("edition", "Edition", "its key"),
	tables.Text("title", "Finding", ""),
	tables.Text("severity", "Severity", ""),
	tables.Text("fate", "Fate", "what happened to it"),
)

func (s *session) showTrouble() *cobra.Command {
	return &cobra.Command{
		Use:     "show KEY",
		Short:   "Show a known issue and its cases",
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

var troubleKept = kept[contract.TroubleView]{
	noun:   "trouble",
	usage:  "KEY",
	fields: troubleFields,
	blank: func(key string) (contract.TroubleView, error) {
		return contract.TroubleView{Trouble: reading.Trouble{Key: key}}, nil
	},
	words: func(t *contract.TroubleView, title string) { t.Trouble.Title = title },
	sheet: troubleSheet,
	get:   (*client.Client).ShowTrouble,
	add: func(c *client.Client, ctx context.Context, t contract.TroubleView) (got[contract.TroubleView], error) {
		return c.AddTrouble(ctx, t.Trouble)
	},
	edit: func(c *client.Client, ctx context.Context, tag string, t contract.TroubleView) (got[contract.TroubleView], error) {
		return c.EditTrouble(ctx, t.Trouble.Key, contract.EditTroubleParams{IfMatch: tag}, t.Trouble)
	},
}

func troubleFields(s *fields[contract.TroubleView]) {
	s.text("text", "details", func(t *contract.TroubleView) *string { return &t.Trouble.Text })
	s.text("origin", strings.Join(reading.Origins, ", "),
		func(t *contract.TroubleView) *string { return &t.Trouble.Origin })
	s.text("component", "suspected cause", func(t *contract.TroubleView) *string { return &t.Trouble.Component })
	s.text("workaround", "workaround for all cases",
		func(t *contract.TroubleView) *string { return &t.Trouble.Workaround })
	s.lines("reported", "address of a report",
		func(t *contract.TroubleView) *[]string { return &t.Trouble.Reported })
	s.text("outcome", "outcome of the report", func(t *contract.TroubleView) *string { return &t.Trouble.Outcome })
	s.yes("settled", "resolved: nobody has to check it any more", func(t *contract.TroubleView) *bool { return &t.Trouble.Settled })
}
