package cli

import (
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/core/bundle"
	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/core/quality"
	"dappertally/core/ranking"
	"dappertally/core/scoring"
	"dappertally/internal/contract"
	"dappertally/internal/results"
	"dappertally/internal/tables"
)

// whats lists what compute can print.
var whats = []string{
	"scorecards",
	"ranking",
	"comparison",
	"head-to-head",
	"records",
	"explain",
	"tipping",
	"steadiness",
	"quality",
	"common-ground",
	"effect",
}

// largestBundle is the largest bundle that compute reads.
const largestBundle = 1 << 30

func (s *session) computeCommand() *cobra.Command {
	var v view
	var o computing
	cmd := &cobra.Command{
		Use:   "compute FILE",
		Short: "Compute any result from a bundle",
		Long: "Compute a result from a bundle file, or from standard input if FILE is -, without a service " +
			"or network. --output json gives full precision.",
		Example: "  dtally export bundle --file second-wind.json\n  dtally compute second-wind.json --what ranking --audience pensioner\n  dtally compute - --what scorecards --output json < second-wind.json",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			if !slices.Contains(whats, o.what) {
				return wrongUsage("--what must be one of %s, not %q", list(whats), o.what)
			}
			opts, err := v.options()
			if err != nil {
				return err
			}
			b, err := readBundle(cmd, a[0])
			if err != nil {
				return err
			}
			list, err := scoring.Newest(b.Checklists, v.checklist)
			if err != nil {
				return fmt.Errorf("%w: %w", errNotFound, err)
			}
			if err := o.narrow(b, &opts); err != nil {
				return err
			}
			o.bundle, o.list, o.options = b, list, opts
			var ok bool
			if o.audience, ok = list.Audience(opts.Audience); !ok {
				return fmt.Errorf("%w: checklist %s has no audience %q", errNotFound, list.Name(), opts.Audience)
			}
			return s.compute(cmd, &o)
		},
	}
	v.flags(cmd)
	f := cmd.Flags()
	f.Lookup("checklist").Usage = "KEY@VERSION (default: the newest in force)" // a bundle does not say which version is shown
	choiceVar(f, &o.what, "what", "ranking", "", whats)
	f.StringVar(&o.baseline, "baseline", "", "for a comparison (default: the alphabetically first edition)")
	f.StringVar(&o.between, "between", "", "for explain: EDITION,EDITION; for the common ground: CHECKLIST@V,CHECKLIST@V")
	f.IntVar(&o.variation.Draws, "draws", 0, "for steadiness: number of draws (default 10000)")
	f.Uint64Var(&o.variation.Seed, "seed", 0, "for steadiness: the same seed gives the same result")
	f.Float64Var(
		&o.variation.Kappa, "kappa", 0, "for steadiness: how close drawn weights are to the real ones (default 60)",
	)
	choiceVar(f, &o.variation.Vary, "shake", "", "what steadiness varies (default: weights)", ranking.Variables)
	f.StringArrayVar(&o.only, "only", nil, "only this edition; repeatable")
	f.StringArrayVar(&o.rigs, "rig", nil, "measures count only on this rig; repeatable")
	f.StringVar(&o.proposed, "proposed", "", "for an effect: a file with the proposed checklist")
	return cmd
}

func readBundle(cmd *cobra.Command, file string) (*bundle.Bundle, error) {
	var in io.Reader = cmd.InOrStdin()
	if file != "-" {
		f, err := os.Open(file)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		in = f
	}
	b, err := bundle.Parse(in, largestBundle)
	if err != nil {
		return nil, fmt.Errorf("%s is not a valid bundle:\n%w", file, err)
	}
	return b, nil
}

// computing is what compute was asked for.
type computing struct {
	what, baseline, between, proposed string
	variation                         ranking.Variation
	only, rigs                        []string

	bundle   *bundle.Bundle
	list     *checklist.Checklist
	audience checklist.Audience
	options  scoring.Options
}

// narrow adds the named editions and rigs to the options, if the bundle has them.
func (o *computing) narrow(b *bundle.Bundle, opts *scoring.Options) error {
	if len(o.only) > 0 {
		opts.Only = map[string]bool{}
	}
	places := catalogue.Places(b.Distributions)
	for _, e := range o.only {
		if !slices.ContainsFunc(places, func(p catalogue.Place) bool { return p.Key() == e }) {
			return fmt.Errorf("%w: the bundle has no edition %q", errNotFound, e)
		}
		opts.Only[e] = true
	}
	for _, r := range o.rigs {
		if !slices.ContainsFunc(b.Rigs, func(x catalogue.Rig) bool { return x.Key == r }) {
			return fmt.Errorf("%w: the bundle has no rig %q", errNotFound, r)
		}
	}
	opts.Rigs = o.rigs
	return nil
}

func (s *session) compute(cmd *cobra.Command, o *computing) error {
	in := o.bundle.Input(o.list)
	switch o.what {
	case "common-ground":
		return s.computeGround(cmd, o, in)
	case "effect":
		return s.computeEffect(cmd, o, in)
	case "records":
		records := comparing.RecordsOf(o.bundle.Checklists, o.bundle.Input(o.list), o.options.At)
		return s.print(cmd, map[string]any{"records": records}, recordsSheet(records, false, itself))
	}
	table := scoring.Tabulate(in, o.options)
	switch o.what {
	case "scorecards":
		cards := table.Scorecards(o.audience)
		return s.print(cmd, map[string]any{"scorecards": cards}, cardsSheet(cards, o.list, o.audience.Key))
	case "quality":
		q := quality.Of(
			table,
			quality.LinesOf(o.bundle.Distributions),
			scoring.Others(in, o.bundle.Checklists, o.options)...)
		return s.print(cmd, q, qualitySheets(&q, contract.QualityCounts{})...)
	case "comparison":
		if o.baseline == "" && len(table.Editions) > 0 {
			o.baseline = table.Editions[0]
		}
		c, err := comparing.Compare(table, o.baseline, nil)
		if err != nil {
			return fmt.Errorf("%w: %w", errNotFound, err)
		}
		t := rowsSheet(c.Rows, table.Checklist, itself)
		t.heading = "Measures against " + o.baseline
		return s.print(cmd, c, t)
	case "head-to-head":
		h := comparing.MatchUp(table, nil, nil)
		return s.print(cmd, h, matchSheet(&h, itself))
	}
	r, err := ranking.Rank(table.Columns(), o.audience, ranking.By{})
	if err != nil {
		return err
	}
	switch o.what {
	case "explain":
		return s.computeExplanation(cmd, o, table, &r)
	case "tipping":
		t, err := ranking.TippingPoints(table.Columns(), o.audience, &r)
		if err != nil {
			return err
		}
		return s.print(cmd, t, tippingSheets(&t, itself)...)
	case "steadiness":
		st, err := ranking.Vary(cmd.Context(), table, o.audience, &r, o.variation)
		if err != nil {
			return wrongUsage("%w", err)
		}
		sparse := st.Sparse()
		return s.print(cmd, st, steadinessSheet(&sparse, o.audience.Key, itself))
	}
	return s.print(cmd, r, placesSheet(&r, table.Scorecards(o.audience), o.list, o.audience.Key))
}

// itself returns the key as the name of an edition.
func itself(key string) string { return key }

// computeExplanation explains two editions, by default the first two of the ranking.
func (s *session) computeExplanation(cmd *cobra.Command, o *computing, table *scoring.Table, r *ranking.Ranking) error {
	first, second, ok := strings.Cut(o.between, ",")
	switch {
	case o.between != "" && !ok:
		return wrongUsage("name two editions with --between EDITION,EDITION")
	case o.between == "" && len(r.Ranking) < 2:
		return fmt.Errorf("%w: fewer than two editions are ranked; name two with --between EDITION,EDITION", errNotFound)
	case o.between == "":
		first, second = r.Ranking[0].Edition, r.Ranking[1].Edition
	}
	var pair [2]scoring.Scorecard
	for i, name := range []string{first, second} {
		name = strings.TrimSpace(name)
		at := table.Row(name)
		if at < 0 {
			return fmt.Errorf("%w: %s has no accepted review on %s", errNotFound, name, o.list.Name())
		}
		pair[i] = table.Scorecard(at, o.audience)
	}
	e, err := ranking.Explain(o.list, &pair[0], &pair[1], r)
	if err != nil {
		return err
	}
	return s.print(cmd, e, explainSheets(&e, o.list, itself)...)
}

var groundTable = tables.Define("ground", "an edition's score on the criteria that two checklist versions share",
	tables.Text("checklist", "Checklist", "the version that the edition was reviewed on"),
	tables.Text("edition", "Edition", "its key"),
	tables.Points("score", "Score", "0 to 100"),
)

func (s *session) computeGround(cmd *cobra.Command, o *computing, in scoring.Input) error {
	first, second, ok := strings.Cut(o.between, ",")
	if !ok {
		return wrongUsage("name two versions with --between CHECKLIST@V,CHECKLIST@V")
	}
	var versions []*checklist.Checklist
	for _, name := range []string{first, second} {
		v, err := scoring.Newest(o.bundle.Checklists, strings.TrimSpace(name))
		if err != nil {
			return fmt.Errorf("%w: %w", errNotFound, err)
		}
		versions = append(versions, v)
	}
	older, newer := versions[0], versions[1]
	if older.Key == newer.Key && older.Version > newer.Version {
		older, newer = newer, older
	}
	g, err := comparing.CommonGround(in, older, newer, o.options)
	if err != nil {
		return fmt.Errorf("%w: %w", errNotFound, err)
	}
	t := sheetOf(groundTable)
	t.heading = fmt.Sprintf(
		"On the %d criteria that %s and %s share, weighted by the newer", len(g.Criteria), g.Older, g.Newer,
	)
	for _, x := range g.Scores {
		t.Add(x.Checklist, x.Edition, x.Score)
	}
	return s.print(cmd, g, t)
}

func (s *session) computeEffect(cmd *cobra.Command, o *computing, in scoring.Input) error {
	if o.proposed == "" {
		return wrongUsage("name the file with the proposed checklist with --proposed FILE")
	}
	proposed, err := readChecklist(cmd, o.proposed)
	if err != nil {
		return err
	}
	if err := validateDocument(proposed); err != nil {
		return fmt.Errorf("%s:\n%w", o.proposed, err)
	}
	e, err := ranking.EffectOf(in, proposed, o.options)
	if err != nil {
		return fmt.Errorf("%w: %w", errNotFound, err)
	}
	return s.print(cmd, e, effectSheet(&e))
}

func cardsSheet(cards []scoring.Scorecard, list *checklist.Checklist, audience string) *sheet {
	t := &sheet{Table: results.Scorecards(cards, list, audience)}
	for i := range cards {
		if c := &cards[i]; len(c.Estimated) > 0 {
			t.note += fmt.Sprintf("%s: rigs estimated in %s.\n", c.Edition, strings.Join(c.Estimated, ", "))
		}
	}
	t.note = strings.TrimSuffix(t.note, "\n")
	return t
}

func placesSheet(r *ranking.Ranking, cards []scoring.Scorecard, list *checklist.Checklist, audience string) *sheet {
	card := func(edition string) *scoring.Scorecard {
		return &cards[slices.IndexFunc(cards, func(c scoring.Scorecard) bool { return c.Edition == edition })]
	}
	rows := results.Standings(r, card, audience, nil)
	for i := range rows {
		x := &rows[i]
		var remarks []string
		if is := x.Is(); is != "ranked" {
			remarks = append(remarks, is)
		}
		if x.DecidedBy != "" {
			remarks = append(remarks, "decided by "+x.DecidedBy)
		}
		if len(x.Estimated) > 0 {
			remarks = append(remarks, "rigs estimated: "+strings.Join(x.Estimated, ", "))
		}
		x.Remarks = strings.Join(remarks, "; ")
	}
	t := &sheet{Table: results.Ranking(rows, results.SectionsOf(list))}
	t.without("Ranks", "Places", "Wins")
	return t
}
