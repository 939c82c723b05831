package cli

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"dappertally/core/bundle"
	"dappertally/core/planning"
	"dappertally/internal/contract"
	"dappertally/internal/plainyaml"
)

func (s *session) planCommand() *cobra.Command {
	return noun(
		"plan",
		"Comparison plans: the question, the contenders, what is held equal",
		s.listPlans(),
		s.showPlan(),
		s.addPlan(),
		s.editPlan(),
	)
}

func (s *session) listPlans() *cobra.Command {
	return &cobra.Command{
		Use:     "list",
		Short:   "List plans, newest first",
		Example: "  dtally plan list\n  dtally plan list --output json",
		Args:    args(0, 0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			ps, err := c.ListPlans(cmd.Context())
			if err != nil {
				return err
			}
			t := &sheet{columns: []string{"Title", "Question", ">Contenders", "State", "Made by", "Plan"}}
			for _, p := range ps.Value.Plans {
				t.add(p.Title, p.Question, fmt.Sprint(p.Contenders), string(p.State), p.Person, p.Id)
			}
			return s.print(cmd, ps.Value, t)
		},
	}
}

// planSheets tells what a plan says, what to settle first, and how far it is.
func planSheets(v *contract.PlanView) []*sheet {
	contenders := &sheet{columns: []string{"Contender", "Why"}, heading: v.Plan.Title + ": " + v.Plan.Question}
	for _, c := range v.Plan.Contenders {
		contenders.add(c.Edition, c.Why)
	}
	warnings := &sheet{columns: []string{"To settle first"}}
	for _, w := range v.Warnings {
		warnings.add(w.Says)
	}
	matrix := &sheet{columns: append([]string{"Criterion", "Rig"}, editionsOf(&v.Plan)...)}
	for _, key := range v.Plan.Criteria {
		for _, rig := range v.Plan.Rigs {
			row := []string{key, rig}
			for _, c := range v.Plan.Contenders {
				row = append(row, cellText(v, c.Edition, key, rig))
			}
			matrix.add(row...)
		}
	}
	sheets := []*sheet{contenders, matrix}
	if len(v.Warnings) > 0 {
		sheets = []*sheet{contenders, warnings, matrix}
	}
	return sheets
}

func editionsOf(p *planning.Plan) []string {
	var out []string
	for _, c := range p.Contenders {
		out = append(out, c.Edition)
	}
	return out
}

func cellText(v *contract.PlanView, edition, criterion, rig string) string {
	for _, d := range v.Matrix {
		if d.Edition == edition && d.Criterion == criterion && d.Rig == rig {
			if d.Wanted > 0 && d.State != "open" {
				return fmt.Sprintf("%s, %d of %d runs", d.State, d.Runs, d.Wanted)
			}
			return d.State
		}
	}
	return ""
}

func (s *session) showPlan() *cobra.Command {
	return &cobra.Command{
		Use:     "show PLAN",
		Short:   "Show a plan, what to settle first, what has been done, and its sessions",
		Long:    "Show a plan. " + idHelp,
		Example: "  dtally plan show last\n  dtally plan show last --output yaml",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			id, err := s.planID(cmd, c, a[0])
			if err != nil {
				return err
			}
			v, err := c.ShowPlan(cmd.Context(), id)
			if err != nil {
				return err
			}
			sessions := &sheet{columns: []string{"Session", "Rig", ">Seed", "By", "Started"}}
			for _, b := range v.Value.Sessions {
				sessions.add(b.Id, b.Rig, fmt.Sprint(b.Seed), b.Person, b.Started.Format("2006-01-02 15:04 UTC"))
			}
			return s.print(cmd, v.Value, append(planSheets(&v.Value), sessions)...)
		},
	}
}

// readPlan reads a plan in YAML or JSON as strictly as a bundle is read.
func readPlan(file string) (planning.Plan, error) {
	var p planning.Plan
	text, err := os.ReadFile(file)
	if err != nil {
		return p, err
	}
	data, err := plainyaml.ToJSON(text)
	if err != nil {
		return p, fmt.Errorf("%s: %w", file, err)
	}
	return p, bundle.Decode(data, &p).Err()
}

const planForm = "The file is YAML or JSON:\n" +
	"  title: Old laptops for the school\n  question: Which base starts fastest on the old laptop?\n  asks: base            # or desktop, model, tier, architecture, profile, purpose\n" +
	"  contenders:\n    - {edition: mossgate/12/hearthside, why: most asked for}\n    - {edition: gullhaven/5.2/hearthside}\n" +
	"  equal: [desktop]      # attributes that are to be the same\n  held: [full install, updated the same day]\n  leftOut: [games]\n  criteria: [cold-start, memory-idle]\n  rigs: [bench-old]\n  runs: 5               # left out: as many as each criterion expects"

func (s *session) addPlan() *cobra.Command {
	var trial bool
	cmd := &cobra.Command{
		Use: "add FILE", Short: "Add a plan", Long: "Add a plan. " + planForm,
		Example: "  dtally plan add school.yaml --dry-run\n  dtally plan add school.yaml",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			p, err := readPlan(a[0])
			if err != nil {
				return err
			}
			c, err := s.connect()
			if err != nil {
				return err
			}
			send := c.AddPlan
			if trial {
				send = c.TryPlan
			}
			v, err := send(cmd.Context(), p)
			if err != nil {
				return err
			}
			if !trial {
				fmt.Fprintln(cmd.ErrOrStderr(), "plan "+v.Value.Id)
			}
			return s.print(cmd, v.Value, planSheets(&v.Value)...)
		},
	}
	cmd.Flags().BoolVar(&trial, "dry-run", false, "only say what to settle first and what has been done already")
	return cmd
}

func (s *session) editPlan() *cobra.Command {
	var state string
	cmd := &cobra.Command{
		Use:     "edit PLAN [FILE]",
		Short:   "Change a plan, or its state",
		Long:    "Change a plan, or its state. " + idHelp,
		Example: "  dtally plan edit last school.yaml\n  dtally plan edit last --state done",
		Args:    args(1, 2),
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			id, err := s.planID(cmd, c, a[0])
			if err != nil {
				return err
			}
			old, err := c.ShowPlan(cmd.Context(), id)
			if err != nil {
				return err
			}
			p := old.Value.Plan
			if len(a) > 1 {
				if p, err = readPlan(a[1]); err != nil {
					return err
				}
			}
			if state == "" {
				state = string(old.Value.State)
			}
			v, err := c.EditPlan(
				cmd.Context(),
				id,
				contract.EditPlanParams{IfMatch: old.ETag, State: contract.PlanState(state)},
				p,
			)
			if err != nil {
				return err
			}
			return s.print(cmd, v.Value, planSheets(&v.Value)...)
		},
	}
	choiceVar(cmd.Flags(), &state, "state", "", "", []string{"open", "done", "dropped"})
	return cmd
}
