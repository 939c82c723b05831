package cli

import (
	"fmt"
	"strings"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"dappertally/core/comparing"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
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

func benchSheets(v *contract.BenchView) []*sheet {
	lots := &sheet{
		columns: []string{"Criterion", ">Round", "Order drawn by lot"},
		heading: fmt.Sprintf("On %s, seed %d", v.Session.Rig, v.Session.Seed),
	}
	for _, key := range v.Plan.Plan.Criteria {
		for i, round := range v.Lots[key] {
			lots.add(key, fmt.Sprint(i+1), strings.Join(round, " · "))
		}
	}
	placings := &sheet{columns: []string{"Placed", "Order", "By", "Note", "Placing"}}
	for _, x := range v.Placings {
		var order []string
		for _, tied := range x.Order {
			order = append(order, strings.Join(tied, " = "))
		}
		placings.add(x.Criterion+x.Question, strings.Join(order, " > "), x.Person, x.Note, x.Id)
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
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
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
		},
	}
	cmd.Flags().StringVar(&n.Rig, "rig", "", "one of the plan's rigs")
	cmd.Flags().Int64Var(&n.Seed, "seed", 0, "draws the order of the contenders (default: one is chosen, and told)")
	_ = cmd.MarkFlagRequired("rig") // the flag is defined above
	return cmd
}

func (s *session) showBench() *cobra.Command {
	var criterion, baseline string
	cmd := &cobra.Command{
		Use:     "show SESSION",
		Short:   "Show a session: the order of its contenders and its placings or, for one criterion, what was read",
		Long:    "Show a session: the order of its contenders and its placings or, for one criterion, what was read. " + idHelp,
		Example: "  dtally bench show last\n  dtally bench show last --criterion cold-start --baseline mossgate/12/hearthside",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			id, err := s.benchID(cmd, c, a[0])
			if err != nil {
				return err
			}
			if criterion == "" {
				v, err := c.ShowBench(cmd.Context(), id)
				if err != nil {
					return err
				}
				return s.print(cmd, v.Value, benchSheets(&v.Value)...)
			}
			v, err := c.ShowSheet(cmd.Context(), id, criterion, contract.ShowSheetParams{Baseline: baseline})
			if err != nil {
				return err
			}
			return s.print(cmd, v.Value, lineSheet(&v.Value))
		},
	}
	cmd.Flags().StringVar(&criterion, "criterion", "", "one criterion of the plan")
	cmd.Flags().
		StringVar(&baseline, "baseline", "", "the contender that differences are taken against (default: the plan's first)")
	return cmd
}

func lineSheet(v *contract.BenchSheet) *sheet {
	t := &sheet{
		columns: []string{"Contender", "Read", ">Points", ">Difference", ""},
		heading: v.Criterion.Title + ", differences against " + v.Baseline,
	}
	for _, l := range v.Lines {
		var read []string
		for i := range l.Readings {
			read = append(read, answerText(&l.Readings[i].Answer)+" by "+l.Readings[i].Reviewer)
		}
		difference, verdict := "", ""
		switch {
		case l.Edition == v.Baseline:
			verdict = "baseline"
		case l.Row.Verdict == comparing.NotComparable:
			verdict = l.Row.Reason
		case l.Row.Percent != nil:
			difference, verdict = signed(l.Row.Percent)+" %", string(l.Row.Verdict)
		}
		t.add(l.Edition, strings.Join(read, "; "), numerals.Score(l.Points), difference, verdict)
	}
	return t
}

func (s *session) placeBench() *cobra.Command {
	var n contract.NewPlacing
	cmd := &cobra.Command{
		Use:     "place SESSION EDITION[=EDITION…]…",
		Short:   "Record the order in which contenders came out, best first; = joins those that tie",
		Example: "  dtally bench edit last --open\n  dtally bench place last mossgate/12/hearthside gullhaven/5.2/hearthside=ivybeck/6.0/hearthside --question 'Which feels quicker?'\n  dtally bench place last gullhaven/5.2/hearthside mossgate/12/hearthside --criterion cold-start",
		Args:    args(3, -1),
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
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
		},
	}
	cmd.Flags().StringVar(&n.Criterion, "criterion", "", "the criterion that the order is of")
	cmd.Flags().StringVar(&n.Question, "question", "", "or the question, in words")
	cmd.Flags().StringVar(&n.Note, "note", "", "a remark")
	cmd.Flags().StringVar(&n.Replaces, "replaces", "", "id of the placing that this one takes the place of")
	return cmd
}

func (s *session) editBench() *cobra.Command {
	var open bool
	cmd := &cobra.Command{
		Use:     "edit SESSION",
		Short:   "Close a session, or open it again",
		Long:    "Close a session, or open it again. " + idHelp,
		Example: "  dtally bench edit last --open\n  dtally bench edit last",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			id, err := s.benchID(cmd, c, a[0])
			if err != nil {
				return err
			}
			old, err := c.ShowBench(cmd.Context(), id)
			if err != nil {
				return err
			}
			v, err := c.CloseBench(
				cmd.Context(),
				id,
				contract.CloseBenchParams{IfMatch: old.ETag},
				contract.BenchClosing{Closed: !open},
			)
			if err != nil {
				return err
			}
			state := "goes on"
			if !v.Value.Session.Closed.IsZero() {
				state = "closed " + v.Value.Session.Closed.Format("2006-01-02 15:04 UTC")
			}
			t := &sheet{columns: []string{"Session", "Rig", "State"}}
			t.add(id, v.Value.Session.Rig, state)
			return s.print(cmd, v.Value, t)
		},
	}
	cmd.Flags().BoolVar(&open, "open", false, "open it again")
	return cmd
}
