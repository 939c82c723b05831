package cli

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"dappertally/core/bundle"
	"dappertally/core/planning"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/plainyaml"
	"dappertally/internal/tables"
)

func (s *session) planCommand() *cobra.Command {
	return noun(
		"plan",
		"Comparison plans: the question, the contenders, what is kept equal",
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
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			ps, err := c.ListPlans(cmd.Context())
			if err != nil {
				return err
			}
			t := sheetOf(plansTable)
			for _, p := range ps.Value.Plans {
				t.Add(p.Title, p.Question, p.Contenders, string(p.State), p.Person, p.Id)
			}
			return s.print(cmd, ps.Value, t)
		}),
	}
}

var (
	plansTable = tables.Define("plans", "a comparison plan",
		tables.Text("title", "Title", ""),
		tables.Text("question", "Question", ""),
		tables.Integer("contenders", "Contenders", ""),
		tables.Text("state", "State", ""),
		tables.Text("by", "Made by", "name of the person"),
		tables.Text("id", "Plan", ""),
	)
	sessionsTable = tables.Define("sessions", "a bench session of a plan",
		tables.Text("id", "Session", ""),
		tables.Text("rig", "Rig", "its key"),
		tables.Integer("seed", "Seed", "of the drawn order"),
		tables.Text("by", "By", "name of the person"),
		tables.Moment("started", "Started", ""),
	)
	contendersTable = tables.Define("contenders", "an edition in a plan",
		tables.Text("edition", "Contender", "its key"),
		tables.Text("why", "Why", ""),
	)
	warningsTable = tables.Define("warnings", "something to resolve before a plan starts",
		tables.Text("says", "To resolve first", ""),
	)
	matrixTable = tables.Define("matrix", "progress of a measure of a plan",
		tables.Text("criterion", "", "its key"),
		tables.Text("rig", "", "its key"),
		tables.Text("edition", "", "its key"),
		tables.Text("state", "", ""),
		tables.Integer("runs", "", "runs made"),
		tables.Integer("wanted", "", "runs"),
	)
)

func planSheets(v *contract.PlanView) []*sheet {
	contenders := sheetOf(contendersTable)
	contenders.heading = v.Plan.Title + ": " + v.Plan.Question
	for _, c := range v.Plan.Contenders {
		contenders.Add(c.Edition, c.Why)
	}
	warnings := sheetOf(warningsTable)
	for _, w := range v.Warnings {
		warnings.Add(w.Says)
	}
	sheets := []*sheet{contenders, matrixSheet(v)}
	if len(v.Warnings) > 0 {
		sheets = []*sheet{contenders, warnings, matrixSheet(v)}
	}
	return sheets
}

// matrixSheet shows the progress of every measure, with a column per contender.
func matrixSheet(v *contract.PlanView) *sheet {
	t := &sheet{
		Table: &tables.Table{Columns: []tables.Column{tables.Beside("Criterion"), tables.Beside("Rig")}},
		data:  matrixTable.Table(),
	}
	for _, edition := range editionsOf(&v.Plan) {
		t.Columns = append(t.Columns, tables.Beside(edition))
	}
	for _, key := range v.Plan.Criteria {
		for _, rig := range v.Plan.Rigs {
			row := []any{key, rig}
			for _, c := range v.Plan.Contenders {
				row = append(row, cellText(v, c.Edition, key, rig))
			}
			t.Add(row...)
		}
	}
	for _, d := range v.Matrix {
		t.data.Add(d.Criterion, d.Rig, d.Edition, d.State, d.Runs, d.Wanted)
	}
	return t
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
		Short:   "Show a plan, what to resolve first, its progress and its sessions",
		Long:    "Show a plan. " + idHelp,
		Example: "  dtally plan show last\n  dtally plan show last --output yaml",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			id, err := s.planID(cmd, c, a[0])
			if err != nil {
				return err
			}
			v, err := c.ShowPlan(cmd.Context(), id)
			if err != nil {
				return err
			}
			sessions := sheetOf(sessionsTable)
			for _, b := range v.Value.Sessions {
				sessions.Add(b.Id, b.Rig, b.Seed, b.Person, b.Started)
			}
			return s.print(cmd, v.Value, append(planSheets(&v.Value), sessions)...)
		}),
	}
}

// readPlan reads a plan in YAML or JSON as strictly as a bundle.
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
	"  title: Old laptops for the school\n" +
	"  question: Which base starts fastest on the old laptop?\n" +
	"  asks: base            # or desktop, model, tier, architecture, profile, purpose\n" +
	"  contenders:\n" +
	"    - {edition: mossgate/12/hearthside, why: requested most}\n" +
	"    - {edition: gullhaven/5.2/hearthside}\n" +
	"  equal: [desktop]      # attributes that have to be equal\n" +
	"  held: [full install, updated the same day]\n" +
	"  leftOut: [games]\n" +
	"  criteria: [cold-start, memory-idle]\n" +
	"  rigs: [bench-old]\n" +
	"  runs: 5               # left out: as many as each criterion expects"

func (s *session) addPlan() *cobra.Command {
	var trial bool
	cmd := &cobra.Command{
		Use: "add FILE", Short: "Add a plan", Long: "Add a plan. " + planForm,
		Example: "  dtally plan add school.yaml --dry-run\n  dtally plan add school.yaml",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			p, err := readPlan(a[0])
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
		}),
	}
	cmd.Flags().BoolVar(&trial, "dry-run", false, "only show what to resolve first and the progress so far")
	return cmd
}

func (s *session) editPlan() *cobra.Command {
	var state string
	cmd := &cobra.Command{
		Use:     "edit PLAN [FILE]",
		Short:   "Change a plan or its state",
		Long:    "Change a plan or its state. " + idHelp,
		Example: "  dtally plan edit last school.yaml\n  dtally plan edit last --state done",
		Args:    args(1, 2),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
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
			return show(s, cmd, planSheets)(c.EditPlan(
				cmd.Context(), id, contract.EditPlanParams{IfMatch: old.ETag, State: contract.PlanState(state)}, p,
			))
		}),
	}
	choiceVar(cmd.Flags(), &state, "state", "", "", []string{"open", "done", "dropped"})
	return cmd
}
