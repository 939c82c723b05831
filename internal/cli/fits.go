package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
)

func (s *session) fitsCommand() *cobra.Command {
	var v view
	var p contract.ShowFitsParams
	cmd := &cobra.Command{
		Use:   "fits",
		Short: "Find the editions that fit your machine, ranked on the most similar rig",
		Long: "Describe your machine; what you leave out excludes nothing. An edition fits if the machine " +
			"has what its makers require and what was measured in use. In the ranking, measures count " +
			"only on the rig most similar to the machine.",
		Example: "  dtally fits --memory 4096 --disk 64 --cores 2\n  dtally fits --memory 2048 --machine-architecture amd64 --audience old-laptop --newest",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			r, err := v.through(c).ShowFits(cmd.Context(), p)
			if err != nil {
				return err
			}
			ranked := rankingSheet(&r.Value.Ranking)
			ranked.heading = nearest(&r.Value)
			return s.print(cmd, r.Value, ranked, fitsSheet(&r.Value))
		}),
	}
	v.allFlags(cmd)
	f := cmd.Flags()
	f.Int64Var(&p.MemoryMiB, "memory", 0, "memory in MiB")
	f.Int64Var(&p.DiskGiB, "disk", 0, "disk in GiB")
	f.IntVar(&p.Cores, "cores", 0, "processor cores")
	f.StringVar(&p.Processor, "processor", "", "description")
	f.StringVar(&p.Graphics, "graphics", "", "description")
	f.StringVar(&p.MachineArchitecture, "machine-architecture", "", "such as amd64")
	f.BoolVar(&p.Virtual, "virtual", false, "it is a virtual machine")
	return cmd
}

func nearest(v *contract.FitsView) string {
	if v.Nearest.Rig == "" {
		return "There is no rig to rank on: measures of all rigs count" + viewed(&v.Ranking.Heading)
	}
	alike := "it matches everything you entered"
	if len(v.Nearest.Differs) > 0 {
		alike = strings.Join(v.Nearest.Differs, "; ")
	}
	return fmt.Sprintf("Editions that fit, ranked on %s, the rig most similar to yours (%s)", v.Nearest.Rig, alike) + viewed(
		&v.Ranking.Heading,
	)
}

var fitsTable = tables.Define("fits", "whether an edition fits a machine",
	tables.Text("edition", "Edition", "its key"),
	tables.Text("fits", "Fits", "yes, barely, or no"),
	tables.Text("why", "Why", ""),
)

// fitsSheet shows why editions do not fit, and which fit tightly.
func fitsSheet(v *contract.FitsView) *sheet {
	t := sheetOf(fitsTable)
	t.heading = "Editions that do not fit, or barely, alphabetically"
	t.data = fitsTable.Table()
	for _, f := range v.Fits {
		says := "yes"
		switch {
		case !f.Fits:
			says = "no"
		case f.Tight:
			says = "barely"
		}
		row := []any{
			tables.As{Data: f.Edition, Text: called(v.Names)(f.Edition)},
			says,
			strings.Join(f.Reasons, "; "),
		}
		t.data.Add(row...)
		if !f.Fits || f.Tight {
			t.Add(row...)
		}
	}
	n := &v.Counts
	share := numerals.Share(float64(n.Fit) / float64(max(1, n.Editions)))
	t.note = fmt.Sprintf("%d of %d editions fit (%s).", n.Fit, n.Editions, share)
	if len(v.Fits) < n.Editions {
		t.note += fmt.Sprintf(" The first %d were checked; filter the group to check others.", len(v.Fits))
	}
	return t
}

func (s *session) groupsCommand() *cobra.Command {
	var v view
	var p contract.CompareGroupsParams
	cmd := &cobra.Command{
		Use:   "groups ATTRIBUTE A B",
		Short: "Compare one group of editions with another, over pairs that are equal in everything else",
		Long: "Compare one desktop, base, release model or similar with another, over all pairs of " +
			"editions that are equal in the other attributes. --equal names the only attributes in which " +
			"they have to be equal: desktop, base, model, tier, architecture, profile, purpose, " +
			"distribution or release.",
		Example: "  dtally groups desktop Hearthside Pebbledash --equal release\n  dtally groups model fixed rolling --equal desktop --output json",
		Args:    args(3, 3),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			p.Attribute, p.A, p.B = a[0], a[1], a[2]
			return show(s, cmd, groupsSheets)(v.through(c).CompareGroups(cmd.Context(), p))
		}),
	}
	v.allFlags(cmd)
	cmd.Flags().
		StringArrayVar(&p.Equal, "equal", nil, "attribute in which a pair is equal; repeatable (default: all others)")
	return cmd
}

var pairsTable = tables.Define("pairs", "two editions that differ in the compared attribute and are equal in the rest",
	tables.Text("a", "A", "key of the first edition"),
	tables.Text("b", "B", "key of the second edition"),
	tables.Number("difference", "Difference", "points of a minus points of b"),
)

var differencesTable = tables.Define("differences", "mean difference between pairs of editions",
	tables.Text("of", "", "score, section or criterion"),
	tables.Text("key", "", "of the section or criterion"),
	tables.Beside("What"),
	tables.Number("mean", "Mean", "points of a minus points of b"),
	tables.Points("spread", "Spread", "standard deviation over the pairs"),
	tables.Number("least", "Least", ""),
	tables.Number("most", "Most", ""),
	tables.Integer("pairs", "Pairs", ""),
	tables.Integer("ahead", "Ahead", "pairs in which a is ahead"),
	tables.Integer("behind", "Behind", "pairs in which a is behind"),
)

func groupsSheets(v *contract.GroupsView) []*sheet {
	g := &v.Groups
	names := called(v.Names)
	pairs := sheetOf(pairsTable)
	pairs.Columns[0].Title, pairs.Columns[1].Title = g.A, g.B
	pairs.heading = fmt.Sprintf(
		"%s against %s over %d pairs, equal in %s", g.A, g.B, len(g.Pairs), title(list(g.Equal), "nothing else"),
	) + viewed(&v.Heading)
	for _, p := range g.Pairs {
		pairs.Add(tables.As{Data: p.A, Text: names(p.A)}, tables.As{Data: p.B, Text: names(p.B)}, plus(p.Difference))
	}
	t := sheetOf(differencesTable)
	t.heading = fmt.Sprintf("%s minus %s, in points", g.A, g.B)
	row := func(of, key, what string, d contract.Differences) {
		if d.Pairs > 0 {
			t.Add(of, key, what, plus(d.Mean), d.Spread, plus(d.Least), plus(d.Most), d.Pairs, d.Better, d.Worse)
		}
	}
	row("score", "", "score", g.Overall)
	for _, d := range g.Sections {
		row("section", d.Key, strings.ToUpper(d.Key), d)
	}
	for _, d := range g.Criteria {
		row("criterion", d.Key, "  "+d.Key, d)
	}
	t.note = "Spread: standard deviation over the pairs. An edition can be in several pairs."
	return []*sheet{pairs, t}
}

// plus formats points that may be missing, with a sign for people.
func plus(x *float64) any {
	if x == nil {
		return nil
	}
	return tables.As{Data: *x, Text: numerals.Plus(*x)}
}
