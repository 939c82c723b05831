package cli

import (
	"fmt"
	"strings"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"dappertally/core/comparing"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
)

func (s *session) benchCommand() *cobra.Command {
	return noun(
		"bench",
		"Bench sessions: one criterion at a time across all contenders of a plan, on one rig",
		s.addBench(),
		s.showBench(),
		s.placeBench(),
		s.editBench(),
	)
}

var lotsTable = tables.Define("lots", "the random order in which contenders are measured",
	tables.Text("criterion", "Criterion", "its key"),
	tables.Integer("round", "Round", ""),
	tables.List("order", "Random order", "editions, first to last"),
)

var placingsTable = tables.Define("placings", "the outcome of a side-by-side test",
	tables.Text("criterion", "", "its key; empty where a question was asked"),
	tables.Text("question", "", "what was asked"),
	tables.Beside("Placed"),
	tables.Text("order", "Order", "best first; > separates ranks, = joins contenders that share one"),
	tables.Text("by", "By", "name of the reviewer"),
	tables.Text("note", "Note", ""),
	tables.Text("id", "Placing", "its id"),
)

func benchSheets(v *contract.BenchView) []*sheet {
	lots := sheetOf(lotsTable)
	lots.heading = fmt.Sprintf("On %s, seed %d", v.Session.Rig, v.Session.Seed)
	for _, key := range v.Plan.Plan.Criteria {
		for i, round := range v.Lots[key] {
			lots.Add(key, i+1, tables.As{Data: round, Text: strings.Join(round, " · ")})
		}
	}
	placings := sheetOf(placingsTable)
	for _, x := range v.Placings {
		var order []string
		for _, tied := range x.Order {
			order = append(order, strings.Join(tied, " = "))
		}
		placings.Add(
			x.Criterion, x.Question, x.Criterion+x.Question, strings.Join(order, " > "), x.Person, x.Note, x.Id,
		)
	}
	return []*sheet{lots, placings}
}

func (s *session) addBench() *cobra.Command {
	var n contract.NewBench
	cmd := &cobra.Command{
		Use:     "add PLAN --rig RIG",
		Short:   "Open a session of a plan on one of its rigs",
		Long:    "Open a session of a plan on one of its rigs. " + idHelp,
		Example: "  dtally bench add last --rig bench-old\n  dtally bench add last --rig bench-new --seed 7",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			plan, err := s.planID(cmd, c, a[0])
			if err != nil {
				return err
			}
			v, err := c.OpenBench(cmd.Context(), plan, n)
			if err != nil {
				return err
			}
			fmt.Fprintln(cmd.ErrOrStderr(), "session "+v.Value.Session.Id)
			return s.print(cmd, v.Value, benchSheets(&v.Value)...)
		}),
	}
	cmd.Flags().StringVar(&n.Rig, "rig", "", "one of the plan's rigs")
	cmd.Flags().Int64Var(&n.Seed, "seed", 0, "seed of the random order (default: chosen and shown)")
	_ = cmd.MarkFlagRequired("rig") // the flag is defined above
	return cmd
}

func (s *session) showBench() *cobra.Command {
	var criterion, baseline string
	cmd := &cobra.Command{
		Use: "show SESSION",
		Short: "Show a session: the order of its contenders and its placings or, for one criterion, its " +
			"readings",
		Long: "Show a session: the order of its contenders and its placings or, for one criterion, its " +
			"readings. " + idHelp,
		Example: "  dtally bench show last\n  dtally bench show last --criterion cold-start --baseline mossgate/12/hearthside",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			id, err := s.benchID(cmd, c, a[0])
			if err != nil {
				return err
			}
			if criterion == "" {
				return show(s, cmd, benchSheets)(c.ShowBench(cmd.Context(), id))
			}
			return show(s, cmd, alone(lineSheet))(
				c.ShowSheet(cmd.Context(), id, criterion, contract.ShowSheetParams{Baseline: baseline}),
			)
		}),
	}
	cmd.Flags().StringVar(&criterion, "criterion", "", "one criterion of the plan")
	cmd.Flags().
		StringVar(&baseline, "baseline", "", "the contender that differences are relative to (default: the plan's first)")
	return cmd
}

var benchTable = tables.Define("bench", "a contender of a bench session in a criterion",
	tables.Text("edition", "Contender", "its key"),
	tables.Text("baseline", "", "the edition that it is compared with"),
	tables.Text("criterion", "", "its key"),
	tables.Text("read", "Read", "answers and their reviewers"),
	tables.Points("points", "Points", "0 to 100"),
	tables.Percent("percent", "Difference", "in percent of the baseline"),
	tables.Text("verdict", "Verdict", "baseline, better, worse, too close to call, or why it cannot be compared"),
)

func lineSheet(v *contract.BenchSheet) *sheet {
	t := sheetOf(benchTable)
	t.heading = v.Criterion.Title + ", differences to " + v.Baseline
	for _, l := range v.Lines {
		var read []string
		for i := range l.Readings {
			read = append(read, answerText(&l.Readings[i].Answer)+" by "+l.Readings[i].Reviewer)
		}
		var percent *float64
		difference, verdict := "", ""
		switch {
		case l.Edition == v.Baseline:
			verdict = "baseline"
		case l.Row.Verdict == comparing.NotComparable:
			verdict = l.Row.Reason
		case l.Row.Percent != nil:
			percent, difference, verdict = l.Row.Percent, numerals.Signed(l.Row.Percent)+" %", string(l.Row.Verdict)
			if l.Row.Caution != "" {
				verdict += ", " + l.Row.Caution
			}
		}
		t.Add(l.Edition, v.Baseline, v.Criterion.Key, strings.Join(read, "; "), l.Points,
			tables.As{Data: percent, Text: difference}, verdict)
	}
	return t
}

func (s *session) placeBench() *cobra.Command {
	var n contract.NewPlacing
	cmd := &cobra.Command{
		Use:     "place SESSION EDITION[=EDITION…]…",
		Short:   "Record the order of contenders, best first; = joins contenders that tie",
		Example: "  dtally bench edit last --open\n  dtally bench place last mossgate/12/hearthside gullhaven/5.2/hearthside=ivybeck/6.0/hearthside --question 'Which feels quicker?'\n  dtally bench place last gullhaven/5.2/hearthside mossgate/12/hearthside --criterion cold-start",
		Args:    args(3, -1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			id, err := s.benchID(cmd, c, a[0])
			if err != nil {
				return err
			}
			for _, place := range a[1:] {
				n.Order = append(n.Order, strings.Split(place, "="))
			}
			v, err := c.Place(cmd.Context(), id, uuid.Must(uuid.NewV7()).String(), n)
			if err != nil {
				return err
			}
			return s.print(cmd, v.Value, benchSheets(&v.Value)[1])
		}),
	}
	cmd.Flags().StringVar(&n.Criterion, "criterion", "", "the criterion of the order")
	cmd.Flags().StringVar(&n.Question, "question", "", "or the question, as text")
	cmd.Flags().StringVar(&n.Note, "note", "", "a remark")
	cmd.Flags().StringVar(&n.Replaces, "replaces", "", "id of the placing that this one replaces")
	return cmd
}

var sessionTable = tables.Define("session", "a bench session that was opened or closed",
	tables.Text("id", "Session", "its id"),
	tables.Text("rig", "Rig", "its key"),
	tables.Text("state", "State", ""),
)

func (s *session) editBench() *cobra.Command {
	var open bool
	cmd := &cobra.Command{
		Use:     "edit SESSION",
		Short:   "Close or reopen a session",
		Long:    "Close or reopen a session. " + idHelp,
		Example: "  dtally bench edit last --open\n  dtally bench edit last",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			id, err := s.benchID(cmd, c, a[0])
			if err != nil {
				return err
			}
			old, err := c.ShowBench(cmd.Context(), id)
			if err != nil {
				return err
			}
			v, err := c.CloseBench(
				cmd.Context(), id, contract.CloseBenchParams{IfMatch: old.ETag}, contract.BenchClosing{Closed: !open},
			)
			if err != nil {
				return err
			}
			state := "open"
			if !v.Value.Session.Closed.IsZero() {
				state = "closed " + v.Value.Session.Closed.Format("2006-01-02 15:04 UTC")
			}
			t := sheetOf(sessionTable)
			t.Add(id, v.Value.Session.Rig, state)
			return s.print(cmd, v.Value, t)
		}),
	}
	cmd.Flags().BoolVar(&open, "open", false, "reopen it")
	return cmd
}
