package cli

import (
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/internal/client"
	"dappertally/internal/numerals"
)

func (s *session) compareCommand() *cobra.Command {
	var v view
	var baseline string
	cmd := &cobra.Command{
		Use:   "compare EDITION EDITION…",
		Short: "Compare two to twelve editions",
		Long: "Compare editions, named distribution/release/edition, section by section and measure by measure. Differences are taken against the baseline, the first edition " +
			"unless --baseline names another, and told as better or worse; what was not measured in the same way is not compared, and the table says why.",
		Example: "  dtally compare gullhaven/5.2/hearthside bramblewick/7.0/hearthside\n  dtally compare bramblewick/7.0/hearthside bramblewick/6.1/hearthside --audience pensioner --output json",
		Args:    args(2, 12),
		RunE: func(cmd *cobra.Command, a []string) error {
			at, err := v.time()
			if err != nil {
				return err
			}
			c, err := s.connect()
			if err != nil {
				return err
			}
			r, err := client.Read[client.Comparison](c.Compare(cmd.Context(), &client.CompareParams{
				Edition: a, Baseline: baseline, Checklist: v.checklist, Audience: v.audience, At: at, RigWeight: v.rigWeights, CommonRigs: v.commonRigs,
			}))
			if err != nil {
				return err
			}
			list, err := s.fetchChecklist(cmd, c, r.Value.Heading.Checklist)
			if err != nil {
				return err
			}
			measures := measuresSheet(&r.Value, &list.Value)
			if s.output == "csv" {
				return s.print(cmd, r.Value, measures)
			}
			sheets := []*sheet{scoresSheet(&r.Value), measures}
			if t := treatedSheet(r.Value.Systems); len(t.rows) > 0 {
				sheets = append(sheets, t)
			}
			return s.print(cmd, r.Value, sheets...)
		},
	}
	v.flags(cmd)
	cmd.Flags().StringVar(&baseline, "baseline", "", "the edition that differences are taken against")
	return cmd
}

// rowsSheet is measures against a baseline, each with its unit and direction.
// names are those of editions, by key; an edition without one goes by its key.
func rowsSheet(rows []comparing.Row, list *checklist.Checklist, names map[string]string) *sheet {
	t := &sheet{columns: []string{"Edition", "Measure", "Rig", ">Baseline", ">Value", "Unit", "Better", ">Difference", ">Percent", "Verdict"}}
	for _, r := range rows {
		c, _ := list.Criterion(r.Criterion)
		verdict := string(r.Verdict)
		if r.Verdict == comparing.NotComparable {
			verdict += ": " + r.Reason
		}
		t.add(title(names[r.Edition], r.Edition), r.Criterion, r.Rig, numerals.Value(r.BaselineValue), numerals.Value(r.Value), c.Unit, c.Better, signed(r.Difference), signed(r.Percent), verdict)
	}
	return t
}

// treatedSheet tells whose systems were treated otherwise than the baseline's.
func treatedSheet(systems []comparing.Treated) *sheet {
	t := &sheet{columns: []string{"Edition", "Only here", "Only at the baseline"}, heading: "The systems were not treated alike"}
	for _, x := range systems {
		if len(x.OnlyHere)+len(x.OnlyBaseline) > 0 {
			t.add(x.Edition, list(x.OnlyHere), list(x.OnlyBaseline))
		}
	}
	return t
}

func scoresSheet(c *client.Comparison) *sheet {
	t := &sheet{columns: []string{"Edition", ">Rank", ">Score"}, heading: "Scores · " + c.Heading.Checklist}
	if c.Heading.Audience != "" {
		t.heading += ", for " + title(c.Heading.AudienceTitle, c.Heading.Audience)
	}
	for _, sec := range c.Heading.Sections {
		t.columns = append(t.columns, ">"+sec.Title)
	}
	t.columns = append(t.columns, ">Coverage")
	for _, e := range c.Editions {
		rank := "–"
		if e.Rank > 0 {
			rank = fmt.Sprint(e.Rank)
		}
		row := []string{name(e.Name), rank, numerals.Score(e.Scorecard.Overall)}
		for _, sec := range e.Scorecard.Sections {
			row = append(row, numerals.Score(sec.Score))
		}
		t.add(append(row, numerals.Share(e.Scorecard.Coverage))...)
	}
	for _, m := range c.Missing {
		t.note += fmt.Sprintf("%s has no accepted review on %s.\n", m, c.Heading.Checklist)
	}
	return t
}

func measuresSheet(c *client.Comparison, list *checklist.Checklist) *sheet {
	names := map[string]string{}
	for _, e := range c.Editions {
		names[e.Scorecard.Edition] = name(e.Name)
	}
	t := rowsSheet(c.Rows, list, names)
	t.heading = "Measures against " + names[c.Baseline]
	for _, m := range c.GeometricMeans {
		if m.Ratio != nil && slices.ContainsFunc(c.Rows, func(r comparing.Row) bool { return r.Edition == m.Edition }) {
			t.note += fmt.Sprintf("%s is %s times as good as the baseline, the geometric mean over %d measures.\n", names[m.Edition], numerals.Rounded(*m.Ratio, 2), m.Over)
		}
	}
	return t
}
