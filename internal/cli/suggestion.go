package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

func (s *session) suggestionCommand() *cobra.Command {
	return noun(
		"suggestion",
		"Suggestions from readers without an account",
		s.listSuggestions(),
		s.addSuggestion(),
		s.editSuggestion(),
	)
}

var suggestionsTable = tables.Define("suggestions", "what a reader suggests",
	tables.Text("sort", "Sort", "review, checklist or correction"),
	tables.Text("about", "About", ""),
	tables.Text("text", "Text", ""),
	tables.Text("contact", "Contact", ""),
	tables.Text("state", "State", ""),
	tables.Text("decision", "Decision", "by whom, and why"),
	tables.Moment("sent", "Sent", ""),
	tables.Text("id", "Id", ""),
)

func (s *session) listSuggestions() *cobra.Command {
	var state string
	cmd := &cobra.Command{
		Use:     "list",
		Short:   "List suggestions, newest first",
		Example: "  dtally suggestion list --state held\n  dtally suggestion list --output json",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			all, err := c.ListSuggestions(cmd.Context())
			if err != nil {
				return err
			}
			some := contract.SuggestionList{Suggestions: []contract.Suggestion{}}
			t := sheetOf(suggestionsTable)
			for _, x := range all.Value.Suggestions {
				if state != "" && string(x.State) != state {
					continue
				}
				some.Suggestions = append(some.Suggestions, x)
				t.Add(
					string(x.Sort),
					x.Subject,
					x.Text,
					x.Contact,
					string(x.State),
					strings.TrimSpace(x.DecidedBy+" "+x.Decision),
					x.Created,
					x.Id,
				)
			}
			return s.print(cmd, some, t)
		}),
	}
	choiceVar(cmd.Flags(), &state, "state", "", "", []string{"held", "accepted", "declined"})
	return cmd
}

func (s *session) addSuggestion() *cobra.Command {
	n := contract.NewSuggestion{}
	var sort string
	cmd := &cobra.Command{
		Use:     "add TEXT --sort SORT --about WHAT",
		Short:   "Send a suggestion; it needs no account, and a lead decides",
		Example: "  dtally suggestion add 'Please look at it on a small screen' --sort review --about mossgate/12/awning\n  dtally suggestion add 'The image is 2.1 GB, not 2.9' --sort correction --about gullhaven/5.2/hearthside",
		Args:    args(1, -1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			n.Text, n.Sort = strings.Join(a, " "), contract.SuggestionSort(sort)
			if err := c.Suggest(cmd.Context(), n); err != nil {
				return err
			}
			fmt.Fprintln(cmd.OutOrStdout(), "Waiting for a lead")
			return nil
		}),
	}
	f := cmd.Flags()
	choiceVar(f, &sort, "sort", "", "", []string{"review", "checklist", "correction"})
	f.StringVar(&n.Subject, "about", "", "subject, best as distribution/release/edition or a criterion's key")
	f.StringVar(&n.Contact, "contact", "", "how to reach you (optional)")
	return cmd
}

func (s *session) editSuggestion() *cobra.Command {
	var d contract.SuggestionDecision
	var state string
	cmd := &cobra.Command{
		Use:     "edit ID --state STATE",
		Short:   "Accept or decline a suggestion",
		Long:    "Accept or decline a suggestion. " + idHelp,
		Example: "  dtally suggestion edit last --state declined --reason 'it was corrected in July'\n  dtally suggestion edit last --state accepted",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			x, err := s.suggestion(cmd, c, a[0])
			if err != nil {
				return err
			}
			d.State = contract.SuggestionDecisionState(state)
			return c.DecideSuggestion(
				cmd.Context(), x.Id, contract.DecideSuggestionParams{IfMatch: fmt.Sprint(x.Revision)}, d,
			)
		}),
	}
	choiceVar(cmd.Flags(), &state, "state", "", "", []string{"accepted", "declined"})
	cmd.Flags().StringVar(&d.Decision, "reason", "", "why")
	_ = cmd.MarkFlagRequired("state") // the flag is defined above
	return cmd
}
