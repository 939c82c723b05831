package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/internal/contract"
	"dappertally/internal/numerals"
)

func (s *session) fitsCommand() *cobra.Command {
	var v view
	var p contract.ShowFitsParams
	cmd := &cobra.Command{
		Use:   "fits",
		Short: "Find the editions that would run on your machine, and their ranking on the rig most like it",
		Long: "Say what your machine has; what is left out rules nothing out. An edition fits where it has as much as the makers ask for and as was measured in use. " +
			"The ranking counts measures on the rig most like the machine alone.",
		Example: "  dtally fits --memory 4096 --disk 64 --cores 2\n  dtally fits --memory 2048 --machine-architecture amd64 --audience old-laptop --newest",
		Args:    args(0, 0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			r, err := v.through(c).ShowFits(cmd.Context(), p)
			if err != nil {
				return err
			}
			ranked := rankingSheet(&r.Value.Ranking)
			ranked.heading = nearest(&r.Value)
			return s.print(cmd, r.Value, ranked, fitsSheet(&r.Value))
		},
	}
	v.allFlags(cmd)
	f := cmd.Flags()
	f.Int64Var(&p.MemoryMiB, "memory", 0, "memory in MiB")
	f.Int64Var(&p.DiskGiB, "disk", 0, "disk in GiB")
	f.IntVar(&p.Cores, "cores", 0, "processor cores")
	f.StringVar(&p.Processor, "processor", "", "in words")
	f.StringVar(&p.Graphics, "graphics", "", "in words")
	f.StringVar(&p.MachineArchitecture, "machine-architecture", "", "such as amd64")
	f.BoolVar(&p.Virtual, "virtual", false, "it is a virtual machine")
	return cmd
}

func nearest(v *contract.FitsView) string {
	if v.Nearest.Rig == "" {
		return "There is no rig to rank on: measures of all count" + viewed(&v.Ranking.Heading)
	}
	alike := "alike in all that you said"
	if len(v.Nearest.Differs) > 0 {
		alike = strings.Join(v.Nearest.Differs, "; ")
	}
	return fmt.Sprintf(
		"What fits, ranked on %s, the rig most like yours (%s)",
		v.Nearest.Rig,
		alike,
	) + viewed(
		&v.Ranking.Heading,
	)
}

// fitsSheet tells why what does not fit does not, and what fits tightly.
func fitsSheet(v *contract.FitsView) *sheet {
	t := &sheet{columns: []string{"Edition", "Fits", "Why"}, heading: "What does not fit, or only just, alphabetically"}
	fit := 0
	for _, f := range v.Fits {
		says := "yes"
		switch {
		case !f.Fits:
			says = "no"
		case f.Tight:
			says = "only just"
		}
		if f.Fits {
			fit++
		}
		if !f.Fits || f.Tight {
			t.add(called(v.Names)(f.Edition), says, strings.Join(f.Reasons, "; "))
		}
	}
	t.note = fmt.Sprintf(
		"%d of %d editions fit (%s).",
		fit,
		len(v.Fits),
		numerals.Share(float64(fit)/float64(max(1, len(v.Fits)))),
	)
	return t
}

func (s *session) groupsCommand() *cobra.Command {
	var v view
	var p contract.CompareGroupsParams
	cmd := &cobra.Command{
		Use:   "groups ATTRIBUTE A B",
		Short: "Compare one group of editions with another, over pairs that are equal otherwise",
		Long: "Compare one desktop, base, release model or the like with another: over all pairs of one edition each that are equal in the other attributes. " +
			"--equal says in which alone they must be equal: desktop, base, model, tier, architecture, profile, purpose, distribution or release.",
		Example: "  dtally groups desktop Hearthside Pebbledash --equal release\n  dtally groups model fixed rolling --equal desktop --output json",
		Args:    args(3, 3),
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			p.Attribute, p.A, p.B = a[0], a[1], a[2]
			r, err := v.through(c).CompareGroups(cmd.Context(), p)
			if err != nil {
				return err
			}
			return s.print(cmd, r.Value, groupsSheets(&r.Value)...)
		},
	}
	v.allFlags(cmd)
	cmd.Flags().
		StringArrayVar(&p.Equal, "equal", nil, "attribute in which a pair is equal; repeatable (default: all others)")
	return cmd
}

func groupsSheets(v *contract.GroupsView) []*sheet {
	g := &v.Groups
	names := called(v.Names)
	pairs := &sheet{
		columns: []string{g.A, g.B, ">Difference"},
		heading: fmt.Sprintf(
			"%s against %s over %d pairs, equal in %s",
			g.A,
			g.B,
			len(g.Pairs),
			title(list(g.Equal), "nothing else"),
		) + viewed(
			&v.Heading,
		),
	}
	for _, p := range g.Pairs {
		pairs.add(names(p.A), names(p.B), points(p.Difference))
	}
	t := &sheet{
		columns: []string{"What", ">Mean", ">Spread", ">Least", ">Most", ">Pairs", ">Ahead", ">Behind"},
		heading: fmt.Sprintf("%s less %s, in points", g.A, g.B),
	}
	row := func(what string, d contract.Differences) {
		if d.Pairs > 0 {
			t.add(
				what,
				points(d.Mean),
				numerals.Score(d.Spread),
				points(d.Least),
				points(d.Most),
				fmt.Sprint(d.Pairs),
				fmt.Sprint(d.Better),
				fmt.Sprint(d.Worse),
			)
		}
	}
	row("score", g.Overall)
	for _, d := range g.Sections {
		row(strings.ToUpper(d.Key), d)
	}
	for _, d := range g.Criteria {
		row("  "+d.Key, d)
	}
	t.note = "Spread: standard deviation over the pairs. An edition may stand in several pairs."
	return []*sheet{pairs, t}
}

func points(x *float64) string {
	if x == nil {
		return numerals.None
	}
	return plus(*x)
}
