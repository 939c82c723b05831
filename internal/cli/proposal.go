package cli

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"dappertally/core/bundle"
	"dappertally/core/checklist"
	"dappertally/core/ranking"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/plainyaml"
	"dappertally/internal/tables"
)

func (s *session) proposalCommand() *cobra.Command {
	return noun(
		"proposal",
		"Proposed changes to the checklist",
		s.listProposals(),
		s.showProposal(),
		s.addProposal(),
		s.commentProposal(),
		s.effectOfProposal(),
		s.decideProposal(
			"accept", "Accept a proposal into the draft of the next version", contract.ProposalStateAccepted,
		),
		s.decideProposal("decline", "Decline a proposal, with the reason", contract.ProposalStateDeclined),
		s.decideProposal("withdraw", "Withdraw your own proposal", contract.ProposalStateWithdrawn),
	)
}

func (s *session) listProposals() *cobra.Command {
	var p contract.ListProposalsParams
	var state string
	cmd := &cobra.Command{
		Use:     "list",
		Short:   "List proposals, newest first",
		Example: "  dtally proposal list --state open\n  dtally proposal list --output json",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			p.State = contract.ProposalState(state)
			ps, err := s.proposals(cmd, c, p)
			if err != nil {
				return err
			}
			return s.print(cmd, contract.ProposalList{Proposals: ps}, proposalSheet(ps...))
		}),
	}
	choiceVar(cmd.Flags(), &state, "state", "", "", []string{"open", "accepted", "declined", "withdrawn"})
	return cmd
}

var proposalsTable = tables.Define("proposals", "a proposed change to a checklist",
	tables.Text("id", "Proposal", ""),
	tables.Text("checklist", "About", "the version in force"),
	tables.Text("state", "State", ""),
	tables.Text("title", "Title", ""),
	tables.Text("by", "By", "name of the person"),
	tables.Text("edits", "Edits", "as text"),
	tables.Integer("comments", "Comments", "how many"),
)

var commentsTable = tables.Define("comments", "a comment on a proposal",
	tables.Text("by", "Comment by", "name of the person"),
	tables.Moment("at", "At", ""),
	tables.Text("text", "What", ""),
)

func proposalSheet(ps ...contract.Proposal) *sheet {
	t := sheetOf(proposalsTable)
	for _, p := range ps {
		var edits []string
		for i := range p.Edits {
			edits = append(edits, editText(&p.Edits[i]))
		}
		t.Add(p.Id, p.Checklist, string(p.State), p.Title, p.Person, list(edits), len(p.Comments))
	}
	return t
}

func editText(e *checklist.Edit) string {
	switch {
	case e.Drop != "":
		return "drop " + e.Drop
	case e.Criterion != nil:
		return "set " + e.Criterion.Key + " in " + e.Section
	case e.Weight != nil:
		return fmt.Sprintf("weigh %s %v", e.Section, *e.Weight)
	}
	return "nothing"
}

func (s *session) showProposal() *cobra.Command {
	return &cobra.Command{
		Use:     "show PROPOSAL",
		Short:   "Show a proposal with its reason and comments",
		Example: "  dtally proposal show last\n  dtally proposal show last --output yaml",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			id, err := s.proposalID(cmd, c, a[0], "")
			if err != nil {
				return err
			}
			p, err := c.ShowProposal(cmd.Context(), id)
			if err != nil {
				return err
			}
			said := sheetOf(commentsTable)
			said.Add(p.Value.Person, p.Value.Created, "reason: "+p.Value.Reason)
			for _, r := range p.Value.Comments {
				said.Add(r.Person, r.At, r.Text)
			}
			if p.Value.DecidedBy != "" {
				said.Add(p.Value.DecidedBy, p.Value.Decided, string(p.Value.State)+": "+p.Value.Decision)
			}
			return s.print(cmd, p.Value, proposalSheet(p.Value), said)
		}),
	}
}

func (s *session) addProposal() *cobra.Command {
	n := contract.NewProposal{}
	var file string
	cmd := &cobra.Command{
		Use:   "add --title TITLE --reason REASON (--edits FILE | CHECKLIST-FILE)",
		Short: "Propose a change to the checklist in force",
		Long: "Propose a change. Either give the checklist as you want it, as written by dtally checklist " +
			"export: the edits are found by comparing it with the version in force. Or give the edits " +
			"themselves, a list in YAML or JSON: {drop: KEY}, {section: KEY, criterion: {…}} or " +
			"{section: KEY, weight: N}.",
		Example: "  dtally checklist export workshop@2 | sed 's/weight: 30/weight: 35/' > changed.yaml\n  dtally proposal add changed.yaml --title 'Performance counts more' --reason 'What volunteers wait for most'\n  dtally proposal add --edits edits.yaml --title 'Drop the kernel build' --reason 'Nobody builds one here'",
		Args:    args(0, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			if (file == "") == (len(a) == 0) {
				return wrongUsage("name either a checklist file or --edits FILE")
			}
			var err error
			if file != "" {
				n.Edits, err = readEdits(file)
			} else {
				n.Edits, err = s.editsOf(cmd, c, a[0])
			}
			if err != nil {
				return err
			}
			return show(s, cmd, each(proposalSheet))(c.AddProposal(cmd.Context(), n))
		}),
	}
	f := cmd.Flags()
	f.StringVar(&n.Title, "title", "", "what changes, in a few words")
	f.StringVar(&n.Reason, "reason", "", "why")
	f.StringVar(&n.Checklist, "checklist", "", "KEY@VERSION in force (default: the newest)")
	f.StringVar(&file, "edits", "", "a YAML or JSON file with a list of edits")
	return cmd
}

func readEdits(file string) ([]checklist.Edit, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	data, err := plainyaml.ToJSON(text)
	if err != nil {
		return nil, fmt.Errorf("%s is neither YAML nor JSON: %w", file, err)
	}
	var edits []checklist.Edit
	if err := bundle.Decode(data, &edits).Err(); err != nil {
		return nil, fmt.Errorf("%s:\n%w", file, err)
	}
	return edits, nil
}

// editsOf compares a checklist file with the version in force on which it is based.
func (s *session) editsOf(cmd *cobra.Command, c *client.Client, file string) ([]checklist.Edit, error) {
	x, err := readChecklist(cmd, file)
	if err != nil {
		return nil, err
	}
	base, _, err := s.versions(cmd, c, x.Key)
	if err != nil {
		return nil, err
	}
	if base == nil {
		return nil, fmt.Errorf("%w: there is no checklist %q in force", errNotFound, x.Key)
	}
	edits, rest := checklist.EditsBetween(base, x)
	if len(rest) > 0 {
		return nil, fmt.Errorf(
			"a proposal changes criteria and section weights; this file also changes: %s",
			list(rest),
		)
	}
	return edits, nil
}

func (s *session) commentProposal() *cobra.Command {
	return &cobra.Command{
		Use:     "comment PROPOSAL TEXT",
		Short:   "Comment on a proposal",
		Example: "  dtally proposal comment last 'Only if we keep the old curve'\n  dtally proposal comment last 'Agreed'",
		Args:    args(2, 2),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			id, err := s.proposalID(cmd, c, a[0], "")
			if err != nil {
				return err
			}
			return show(s, cmd, each(proposalSheet))(
				c.CommentProposal(cmd.Context(), id, contract.NewComment{Text: a[1]}),
			)
		}),
	}
}

func (s *session) effectOfProposal() *cobra.Command {
	var audience string
	cmd := &cobra.Command{
		Use:     "effect PROPOSAL",
		Short:   "Show the effect of a proposal on the ranking",
		Example: "  dtally proposal effect last\n  dtally proposal effect last --audience pensioner --output json",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			id, err := s.proposalID(cmd, c, a[0], "")
			if err != nil {
				return err
			}
			e, err := c.ProposalEffect(cmd.Context(), id, contract.ProposalEffectParams{Audience: audience})
			if err != nil {
				return err
			}
			v := &e.Value
			sheets := append(
				[]*sheet{effectSheet(&ranking.Effect{TauB: v.TauB, Moves: v.Moves, NotTested: v.NotTested})},
				differenceSheets(&v.Difference)...)
			return s.print(cmd, e.Value, sheets...)
		}),
	}
	cmd.Flags().StringVar(&audience, "audience", "", "weighted for this audience")
	return cmd
}

func (s *session) decideProposal(verb, short string, state contract.ProposalState) *cobra.Command {
	var reason string
	cmd := &cobra.Command{
		Use:   verb + " PROPOSAL",
		Short: short,
		Long:  short + ". An id can be shortened as long as it is unambiguous; last is the newest open proposal.",
		Example: fmt.Sprintf(
			"  dtally proposal add --edits edits.yaml --title 'Drop the kernel build' --reason 'Nobody builds one here'\n  dtally proposal %s last --reason 'talked over on Friday'",
			verb,
		),
		Args: args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			id, err := s.proposalID(cmd, c, a[0], contract.ProposalStateOpen)
			if err != nil {
				return err
			}
			p, err := c.ShowProposal(cmd.Context(), id)
			if err != nil {
				return err
			}
			return show(s, cmd, each(proposalSheet))(c.DecideProposal(
				cmd.Context(),
				id,
				contract.DecideProposalParams{IfMatch: p.ETag},
				contract.Decision{State: state, Reason: reason},
			))
		}),
	}
	cmd.Flags().StringVar(&reason, "reason", "", "reason; saved with the decision")
	return cmd
}
