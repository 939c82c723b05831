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

func (s *session) knownIssueCommand() *cobra.Command {
	return noun(
		"known-issue",
		"Problems that several editions share, with their suspected cause",
		s.listKnownIssues(),
		s.showKnownIssue(),
		knownIssueKept.addVerb(
			s,
			"  dtally known-issue add late-sound 'Sound starts a second late' --origin driver --component 'brine sound driver'\n"+
				"  dtally known-issue add blurred-text 'Text is blurred on the second screen' --origin desktop --component Latchwork",
		),
		knownIssueKept.editVerb(s, ": fields without a flag stay as they are",
			"  dtally known-issue edit wireless-sleep --workaround 'reload the driver'\n"+
				"  dtally known-issue edit wireless-sleep --settled --outcome 'mended in kernel 6.14'"),
	)
}

var knownIssuesTable = tables.Define("knownIssues", "a known issue",
	tables.Text("key", "Key", ""),
	tables.Text("title", "Title", ""),
	tables.Text("origin", "Origin", ""),
	tables.Text("component", "Component", ""),
	tables.Text("workaround", "Workaround", ""),
	tables.Integer("cases", "Cases", "findings that are cases of it"),
	tables.Truth("settled", "Settled", ""),
)

func knownIssueSheet(ts ...contract.KnownIssueView) *sheet {
	t := sheetOf(knownIssuesTable)
	for _, x := range ts {
		t.Add(
			x.Issue.Key,
			x.Issue.Title,
			x.Issue.Origin,
			x.Issue.Component,
			x.Issue.Workaround,
			len(x.Cases),
			tables.As{Data: x.Issue.Settled, Text: mark(x.Issue.Settled, "settled")},
		)
	}
	return t
}

func (s *session) listKnownIssues() *cobra.Command {
	return &cobra.Command{
		Use:     "list",
		Short:   "List known issues, alphabetically",
		Example: "  dtally known-issue list\n  dtally known-issue list --output csv",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			ts, err := c.ListKnownIssues(cmd.Context())
			if err != nil {
				return err
			}
			return s.print(cmd, ts.Value, knownIssueSheet(ts.Value.Issues...))
		}),
	}
}

var casesTable = tables.Define("cases", "a finding that is a case of a known issue",
	tables.Text("edition", "Edition", "its key"),
	tables.Text("title", "Finding", ""),
	tables.Text("severity", "Severity", ""),
	tables.Text("fate", "Fate", "what happened to it"),
)

func (s *session) showKnownIssue() *cobra.Command {
	return &cobra.Command{
		Use:     "show KEY",
		Short:   "Show a known issue and its cases",
		Example: "  dtally known-issue show wireless-sleep\n  dtally known-issue show wireless-sleep --output yaml",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			t, err := c.ShowKnownIssue(cmd.Context(), a[0])
			if err != nil {
				return err
			}
			cases := sheetOf(casesTable)
			for _, x := range t.Value.Cases {
				cases.Add(x.Edition, x.Finding.Title, x.Finding.Severity, x.Finding.Fate)
			}
			return s.print(cmd, t.Value, knownIssueSheet(t.Value), cases)
		}),
	}
}

var knownIssueKept = kept[contract.KnownIssueView]{
	noun:   "known-issue",
	usage:  "KEY",
	fields: knownIssueFields,
	blank: func(key string) (contract.KnownIssueView, error) {
		return contract.KnownIssueView{Issue: reading.KnownIssue{Key: key}}, nil
	},
	words: func(t *contract.KnownIssueView, title string) { t.Issue.Title = title },
	sheet: knownIssueSheet,
	get:   (*client.Client).ShowKnownIssue,
	add: func(c *client.Client, ctx context.Context, t contract.KnownIssueView) (got[contract.KnownIssueView], error) {
		return c.AddKnownIssue(ctx, t.Issue)
	},
	edit: func(c *client.Client, ctx context.Context, tag string, t contract.KnownIssueView) (got[contract.KnownIssueView], error) {
		return c.EditKnownIssue(ctx, t.Issue.Key, contract.EditKnownIssueParams{IfMatch: tag}, t.Issue)
	},
}

func knownIssueFields(s *fields[contract.KnownIssueView]) {
	s.text("text", "details", func(t *contract.KnownIssueView) *string { return &t.Issue.Text })
	s.text("origin", strings.Join(reading.Origins, ", "),
		func(t *contract.KnownIssueView) *string { return &t.Issue.Origin })
	s.text("component", "suspected cause", func(t *contract.KnownIssueView) *string { return &t.Issue.Component })
	s.text("workaround", "workaround for all cases",
		func(t *contract.KnownIssueView) *string { return &t.Issue.Workaround })
	s.lines("reported", "address of a report",
		func(t *contract.KnownIssueView) *[]string { return &t.Issue.Reported })
	s.text("outcome", "outcome of the report", func(t *contract.KnownIssueView) *string { return &t.Issue.Outcome })
	s.yes(
		"settled",
		"resolved: nobody has to check it any more",
		func(t *contract.KnownIssueView) *bool { return &t.Issue.Settled },
	)
}
