package cli

import (
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappertally/core/scoring"
	"dappertally/internal/client"
	"dappertally/internal/numerals"
)

// view is through whose eyes and on which rigs a result is asked for.
type view struct {
	checklist, audience, at string
	rigWeights              []string
	commonRigs              bool
}

func (v *view) flags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringVar(&v.checklist, "checklist", "", "KEY@VERSION (default: the one shown)")
	f.StringVar(&v.audience, "audience", "", "look through this audience's weights and gates")
	f.StringVar(&v.at, "at", "", "as it stood at that time, such as 2026-06-01T00:00:00Z")
	f.StringArrayVar(&v.rigWeights, "rig-weight", nil, "KEY=N, repeatable: weigh this rig so")
	f.BoolVar(&v.commonRigs, "common-rigs", false, "only rigs that all editions have")
}

func (v *view) time() (time.Time, error) {
	if v.at == "" {
		return time.Time{}, nil
	}
	at, err := time.Parse(time.RFC3339, v.at)
	if err != nil {
		return at, wrongUsage("--at %q is not a time such as 2026-06-01T00:00:00Z", v.at)
	}
	return at, nil
}

func (s *session) rankCommand() *cobra.Command {
	var v view
	var section, criterion string
	cmd := &cobra.Command{
		Use:     "rank",
		Short:   "Rank all reviewed editions",
		Example: "  dtally rank --audience pensioner\n  dtally rank --audience old-laptop --rig-weight bench-old=3 --output csv",
		Args:    args(0, 0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			at, err := v.time()
			if err != nil {
				return err
			}
			c, err := s.connect()
			if err != nil {
				return err
			}
			r, err := client.Read[client.Ranking](c.Ranking(cmd.Context(), &client.RankingParams{
				Checklist: v.checklist, Audience: v.audience, At: at, RigWeight: v.rigWeights, CommonRigs: v.commonRigs, Section: section, Criterion: criterion,
			}))
			if err != nil {
				return err
			}
			return s.print(cmd, r.Value, rankingSheet(&r.Value))
		},
	}
	v.flags(cmd)
	cmd.Flags().StringVar(&section, "section", "", "order by this section's score")
	cmd.Flags().StringVar(&criterion, "criterion", "", "order by this criterion's points")
	return cmd
}

func rankingSheet(r *client.Ranking) *sheet {
	h := &r.Heading
	t := &sheet{columns: []string{">Rank", "Edition", ">Score", ">Possible"}, heading: "Ranking"}
	if h.Audience != "" {
		t.heading += " for " + title(h.AudienceTitle, h.Audience)
	}
	t.heading += fmt.Sprintf(" · %s, %s", h.Title, h.Checklist)
	if h.OrderedBy != "" {
		t.heading += " · ordered by " + h.OrderedBy
	}
	for _, sec := range h.Sections {
		t.columns = append(t.columns, fmt.Sprintf(">%s %s", sec.Title, numerals.Share(sec.Share)))
	}
	t.columns = append(t.columns, ">Coverage", "Remarks")
	for i := range r.Ranking {
		e := &r.Ranking[i]
		t.add(entry(e, fmt.Sprint(e.Rank))...)
	}
	for i := range r.Provisional {
		t.add(entry(&r.Provisional[i], "provisional")...)
	}
	for i := range r.Barred {
		t.add(entry(&r.Barred[i], "barred")...)
	}
	t.note = fmt.Sprintf("Scores of 0–100. A dead heat (=) is within %v points of its first. Provisional: less than %s answered.", h.Margin, numerals.Share(h.MinCoverage))
	return t
}

func entry(e *client.RankingEntry, rank string) []string {
	if e.DeadHeat {
		rank = "=" + rank
	}
	row := []string{rank, name(e.Name), numerals.Score(e.Overall), numerals.Score(e.Low) + "–" + numerals.Score(e.High)}
	for _, s := range e.Sections {
		row = append(row, numerals.Score(s.Score))
	}
	return append(row, numerals.Share(e.Coverage), strings.Join(remarks(e), "; "))
}

func remarks(e *client.RankingEntry) []string {
	var out []string
	for _, b := range e.Barred {
		out = append(out, fmt.Sprintf("%s has %s points, %s needed", b.Criterion, numerals.Rounded(b.Points, 0), numerals.Rounded(b.Needs, 0)))
	}
	if e.DecidedBy != "" {
		out = append(out, "decided by "+e.DecidedBy)
	}
	if e.RigsDiffer {
		out = append(out, "rigs differ")
	}
	for _, g := range e.GatesOpen {
		out = append(out, "gate open: "+g)
	}
	return out
}

func name(n client.EditionName) string { return n.Distribution + " " + n.Release + " " + n.Edition }

func title(title, key string) string {
	if title == "" {
		return key
	}
	return title
}

// options are a view's options for the core.
func (v *view) options() (scoring.Options, error) {
	o := scoring.Options{Audience: v.audience, CommonRigs: v.commonRigs}
	if at, err := v.time(); err != nil {
		return o, err
	} else if !at.IsZero() {
		o.At = &at
	}
	for _, pair := range v.rigWeights {
		rig, text, _ := strings.Cut(pair, "=")
		var w float64
		if n, err := fmt.Sscan(text, &w); n != 1 || err != nil || !(w >= 0 && w <= 1e6) {
			return o, wrongUsage("--rig-weight %q is not KEY=N with N between 0 and a million", pair)
		}
		if o.RigWeights == nil {
			o.RigWeights = map[string]float64{}
		}
		o.RigWeights[rig] = w
	}
	return o, nil
}
