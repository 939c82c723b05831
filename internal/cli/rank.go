package cli

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappertally/core/ranking"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
)

func (s *session) rankCommand() *cobra.Command {
	var v view
	var section, criterion, since string
	var winners bool
	cmd := &cobra.Command{
		Use:     "rank",
		Short:   "Rank reviewed editions, all or a group of them, also with weights of your own",
		Example: "  dtally rank --audience pensioner --newest --since 2026-06-01\n  dtally rank --family fenbase --section-weight performance=60 --output csv",
		Args:    args(0, 0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			from, err := momentOf("--since", since)
			if err != nil {
				return err
			}
			c, err := s.connect()
			if err != nil {
				return err
			}
			r, err := v.through(c).Ranking(
				cmd.Context(),
				contract.RankingParams{Section: section, Criterion: criterion, Since: from, Ranges: true})
			if err != nil {
				return err
			}
			if s.output == "json" || s.output == "yaml" {
				prose(cmd.ErrOrStderr(), r.Value.Nobody, widthOf(cmd.ErrOrStderr()))
			}
			if winners {
				return s.print(cmd, r.Value, winnersSheet(&r.Value))
			}
			return s.print(cmd, r.Value, rankingSheet(&r.Value))
		},
	}
	v.allFlags(cmd)
	v.groundFlag(cmd)
	cmd.Flags().StringVar(&section, "section", "", "order by this section's score")
	cmd.Flags().StringVar(&criterion, "criterion", "", "order by this criterion's points")
	cmd.Flags().StringVar(&since, "since", "", "tell places gained and lost since that day")
	cmd.Flags().BoolVar(&winners, "winners", false, "who wins each section and criterion, instead of the order")
	return cmd
}

func rankingSheet(r *contract.Ranking) *sheet {
	h := &r.Heading
	t := &sheet{
		columns: []string{">Rank", "Edition", ">Score", "~>Possible", "~>Ranks"},
		heading: "Ranking" + viewed(h),
	}
	gained := !r.Since.IsZero()
	if gained {
		t.columns = append(t.columns, ">Places")
	}
	for _, sec := range h.Sections {
		t.columns = append(t.columns, fmt.Sprintf("~>%s %s", sec.Title, numerals.Share(sec.Share)))
	}
	t.columns = append(t.columns, ">Coverage", "~>Measured", "~>Wins", "Remarks")
	for i := range r.Ranking {
		e := &r.Ranking[i]
		t.add(entry(e, fmt.Sprint(e.Rank), gained)...)
	}
	for i := range r.Provisional {
		t.add(entry(&r.Provisional[i], numerals.None, gained)...)
	}
	for i := range r.Barred {
		t.add(entry(&r.Barred[i], numerals.None, gained)...)
	}
	t.note = fmt.Sprintf(
		"Scores of 0–100. A dead heat (=) is within %v points of its first. Provisional: less than %s answered.\n"+
			"Possible: what the score can still become. Ranks: where it stays in 90 %% of 2,000 draws of other weights. Wins: criteria in which nobody has more points, shared ones after +.",
		h.Margin,
		numerals.Share(h.MinCoverage),
	)
	if gained {
		t.note += fmt.Sprintf(" Places: gained (+) or lost (-) since %s.", r.Since.Format(time.DateOnly))
	}
	if r.Nobody != "" {
		t.note = r.Nobody
	}
	if text := changing(&h.Changeover); text != "" {
		t.note += "\n" + text
	}
	if n := len(r.Elsewhere); n > 0 {
		t.note += fmt.Sprintf(
			"\n%d editions stand on other versions of the checklist alone and are not ranked here; --ground ranks them too.",
			n,
		)
	}
	return t
}

// changing says how far a newer version of the checklist has come; empty where there is
// none.
func changing(c *contract.Changeover) string {
	if c.Newer == "" {
		return ""
	}
	when := "a lead decides when it is shown"
	if c.Share > 0 {
		when = "it is shown once " + numerals.Share(c.Share) + " do"
	}
	return fmt.Sprintf(
		"%s is in force: %d of the %d editions ranked stand on it, and %s.",
		c.Newer,
		c.Moved,
		c.Ranked,
		when,
	)
}

// viewed says through whose eyes and among whom a result was computed.
func viewed(h *contract.Heading) string {
	var text string
	if h.Audience != "" {
		text += " for " + title(h.AudienceTitle, h.Audience)
	}
	text += fmt.Sprintf(" · %s, %s", h.Title, h.Checklist)
	if len(h.Ground) > 0 {
		text += fmt.Sprintf(
			" · on common ground: the %d of %d criteria that %s ask and score alike",
			h.GroundCriteria,
			h.GroundOf,
			strings.Join(h.Ground, " and "),
		)
	}
	if len(h.Weights) > 0 {
		text += " · own weights: " + list(h.Weights)
	}
	if len(h.Group) > 0 {
		text += " · only " + strings.Join(h.Group, ", ")
	}
	if len(h.Rigs) > 0 {
		text += " · measured on " + list(h.Rigs)
	}
	if h.OrderedBy != "" {
		text += " · ordered by " + h.OrderedBy
	}
	if !h.At.IsZero() {
		text += " · as of " + h.At.Format(time.RFC3339)
	}
	return text
}

func entry(e *contract.RankingEntry, rank string, gained bool) []string {
	if e.DeadHeat {
		rank = "=" + rank
	}
	row := []string{
		rank,
		name(e.Name),
		numerals.Score(e.Overall),
		numerals.Score(e.Low) + "–" + numerals.Score(e.High),
		between(e.RankLow, e.RankHigh),
	}
	if gained {
		row = append(row, moved(e))
	}
	for _, s := range e.Sections {
		row = append(row, numerals.Score(s.Score))
	}
	return append(
		row,
		numerals.Share(e.Coverage),
		numerals.Share(e.MeasuredShare),
		wins(e),
		strings.Join(remarks(e), "; "),
	)
}

// between writes a range of ranks.
func between(low, high int) string {
	switch {
	case low == 0:
		return numerals.None
	case low == high:
		return fmt.Sprint(low)
	}
	return fmt.Sprintf("%d–%d", low, high)
}

func moved(e *contract.RankingEntry) string {
	switch {
	case e.Rank == 0:
		return ""
	case e.Gained == nil:
		return "new"
	case *e.Gained == 0:
		return "same"
	}
	return fmt.Sprintf("%+d", *e.Gained)
}

func wins(e *contract.RankingEntry) string {
	if e.Rank == 0 {
		return numerals.None
	}
	if e.Wins.Shared == 0 {
		return fmt.Sprint(e.Wins.Alone)
	}
	return fmt.Sprintf("%d+%d", e.Wins.Alone, e.Wins.Shared)
}

func remarks(e *contract.RankingEntry) []string {
	var out []string
	if e.Rank == 0 && len(e.Barred) == 0 {
		out = append(out, "provisional")
	}
	for _, b := range e.Barred {
		out = append(
			out,
			fmt.Sprintf(
				"barred: %s has %s points, %s needed",
				b.Criterion,
				numerals.Rounded(b.Points, 0),
				numerals.Rounded(b.Needs, 0),
			),
		)
	}
	if e.DecidedBy != "" {
		out = append(out, "decided by "+e.DecidedBy)
	}
	if e.Checklist != "" {
		out = append(out, "stands on "+e.Checklist)
	}
	for _, f := range []struct {
		is   bool
		says string
	}{{e.PreRelease, "pre-release"}, {e.RigsDiffer, "rigs differ"}, {e.Alone, "accepted by its only reviewer"}} {
		if f.is {
			out = append(out, f.says)
		}
	}
	if len(e.Estimated) > 0 {
		out = append(out, "rigs estimated: "+list(e.Estimated))
	}
	if len(e.Unsteady) > 0 {
		out = append(out, "unsteady: "+list(e.Unsteady))
	}
	for _, g := range e.GatesOpen {
		out = append(out, "gate open: "+g)
	}
	return out
}

// winnersSheet tells who does best in each section and criterion.
func winnersSheet(r *contract.Ranking) *sheet {
	t := &sheet{
		columns: []string{"Section or criterion", ">Points", "Won by"},
		heading: "Winners" + viewed(&r.Heading),
		note:    "Of the ranked editions. Where all that answered are equal, nobody wins.",
	}
	names := map[string]string{}
	for i := range r.Ranking {
		names[r.Ranking[i].Edition] = name(r.Ranking[i].Name)
	}
	for _, all := range [][]ranking.Winner{r.Winners.Sections, r.Winners.Criteria} {
		for _, w := range all {
			by := make([]string, len(w.Editions))
			for i, e := range w.Editions {
				if by[i] = names[e]; slices.Contains(w.Estimated, e) {
					by[i] += " (rigs estimated)"
				}
			}
			t.add(w.Key, numerals.Score(w.Points), list(by))
		}
	}
	return t
}

func name(n contract.EditionName) string { return n.Distribution + " " + n.Release + " " + n.Edition }

func title(title, key string) string {
	if title == "" {
		return key
	}
	return title
}
