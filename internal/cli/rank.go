package cli

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappertally/core/ranking"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/results"
	"dappertally/internal/tables"
)

func (s *session) rankCommand() *cobra.Command {
	var v view
	var section, criterion, since string
	var winners bool
	cmd := &cobra.Command{
		Use:     "rank",
		Short:   "Rank reviewed editions, all or a group, also with custom weights",
		Example: "  dtally rank --audience pensioner --newest --since 2026-06-01\n  dtally rank --family fenbase --section-weight performance=60 --output csv",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			from, err := momentOf("--since", since)
			if err != nil {
				return err
			}
			r, err := wholeRanking(cmd.Context(), v.through(c),
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
		}),
	}
	v.allFlags(cmd)
	v.groundFlag(cmd)
	cmd.Flags().StringVar(&section, "section", "", "order by this section's score")
	cmd.Flags().StringVar(&criterion, "criterion", "", "order by this criterion's points")
	cmd.Flags().StringVar(&since, "since", "", "show rank changes since that day")
	cmd.Flags().BoolVar(&winners, "winners", false, "show who wins each section and criterion, instead of the order")
	return cmd
}

// rankingPage is how many entries of each list of a ranking are requested after the first page.
const rankingPage = 1000

// wholeRanking requests a ranking until it is complete.
func wholeRanking(
	ctx context.Context, c *client.Client, p contract.RankingParams,
) (client.Got[contract.Ranking], error) {
	all, err := c.Ranking(ctx, p)
	if err != nil {
		return all, err
	}
	v := &all.Value
	p.Limit = rankingPage
	n := &v.Counts
	longest := max(n.Ranked, n.Provisional, n.Barred, n.Elsewhere)
	for p.Offset = rankingPage; p.Offset < longest; p.Offset += rankingPage {
		more, err := c.Ranking(ctx, p)
		if err != nil {
			return all, err
		}
		if more.Value.Heading.Change != v.Heading.Change {
			return all, fmt.Errorf("the records changed while the ranking was read; try again")
		}
		v.Ranking = append(v.Ranking, more.Value.Ranking...)
		v.Provisional = append(v.Provisional, more.Value.Provisional...)
		v.Barred = append(v.Barred, more.Value.Barred...)
		v.Elsewhere = append(v.Elsewhere, more.Value.Elsewhere...)
		maps.Copy(v.Names, more.Value.Names)
	}
	return all, nil
}

func rankingSheet(r *contract.Ranking) *sheet {
	h := &r.Heading
	gained := !r.Since.IsZero()
	var rows []results.Standing
	for _, some := range [][]contract.RankingEntry{r.Ranking, r.Provisional, r.Barred} {
		for i := range some {
			rows = append(rows, standingOf(&some[i], h))
		}
	}
	sections := make([]results.Section, len(h.Sections))
	for i := range h.Sections {
		sections[i] = results.Section{Key: h.Sections[i].Key, Title: h.Sections[i].Title, Share: &h.Sections[i].Share}
	}
	t := &sheet{heading: "Ranking" + viewed(h), Table: results.Ranking(rows, sections)}
	if !gained {
		t.without("Places")
	}
	t.note = fmt.Sprintf(
		"Scores of 0–100. A dead heat (=) is within %v points of its first. Provisional: less than "+
			"%s answered.\n"+
			"Possible: what the score can still become. Ranks: the ranks in 90 %% of 2,000 draws with "+
			"other weights. Wins: criteria in which no edition has more points, shared wins after +.",
		h.Margin,
		numerals.Share(h.MinCoverage),
	)
	if gained {
		t.note += fmt.Sprintf(" Change: ranks gained (+) or lost (-) since %s.", r.Since.Format(time.DateOnly))
	}
	if r.Nobody != "" {
		t.note = r.Nobody
	}
	if text := changing(&h.Changeover); text != "" {
		t.note += "\n" + text
	}
	if n := len(r.Elsewhere); n > 0 {
		t.note += "\nReviewed only on other versions of the checklist and not ranked here: " +
			numerals.Count(n, "edition") + "; --ground ranks them too."
	}
	return t
}

// changing describes the progress of a newer checklist version; empty if there is none.
func changing(c *contract.Changeover) string {
	if c.Newer == "" {
		return ""
	}
	when := "a lead decides when it is shown"
	if c.Share > 0 {
		when = "it is shown when " + numerals.Share(c.Share) + " have one"
	}
	return fmt.Sprintf(
		"%s is in force: %d of the %d ranked editions have a review on it, and %s.", c.Newer, c.Moved, c.Ranked, when,
	)
}

// viewed describes the audience and the filter of a result.
func viewed(h *contract.Heading) string {
	var text string
	if h.Audience != "" {
		text += " for " + title(h.AudienceTitle, h.Audience)
	}
	text += fmt.Sprintf(" · %s, %s", h.Title, h.Checklist)
	if len(h.Ground) > 0 {
		text += fmt.Sprintf(
			" · on common ground: the %d of %d criteria that %s ask and score the same way",
			h.GroundCriteria,
			h.GroundOf,
			strings.Join(h.Ground, " and "),
		)
	}
	if len(h.Weights) > 0 {
		text += " · custom weights: " + list(h.Weights)
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

// standingOf is an entry of a ranking in a table.
func standingOf(e *contract.RankingEntry, h *contract.Heading) results.Standing {
	return results.Standing{
		Checklist:     title(e.Checklist, h.Checklist),
		Audience:      h.Audience,
		Edition:       e.Edition,
		Rank:          e.Rank,
		DeadHeat:      e.DeadHeat,
		DecidedBy:     e.DecidedBy,
		Score:         e.Overall,
		Low:           e.Low,
		High:          e.High,
		Coverage:      e.Coverage,
		MeasuredShare: e.MeasuredShare,
		RigsDiffer:    e.RigsDiffer,
		Estimated:     e.Estimated,
		GatesOpen:     e.GatesOpen,
		Barred:        e.Barred,
		Sections:      e.Sections,
		Wins:          ranking.Wins(e.Wins),
		Name:          name(e.Name),
		Ranks:         between(e.RankLow, e.RankHigh),
		Places:        moved(e),
		Remarks:       strings.Join(remarks(e), "; "),
	}
}

// between formats a range of ranks.
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
		out = append(out, "reviewed on "+e.Checklist)
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
		out = append(out, "required, not tested: "+g)
	}
	return out
}

var winnersTable = tables.Define("winners", "who has the most points in a section or criterion",
	tables.Text("of", "", "section or criterion"),
	tables.Text("key", "Section or criterion", ""),
	tables.Points("points", "Points", "0 to 100"),
	tables.List("editions", "Won by", "keys; several where they are equal"),
)

// winnersSheet shows which edition is best in each section and criterion.
func winnersSheet(r *contract.Ranking) *sheet {
	t := sheetOf(winnersTable)
	t.heading = "Winners" + viewed(&r.Heading)
	t.note = "Of the ranked editions. If all that answered are equal, no edition wins."
	names := map[string]string{}
	for i := range r.Ranking {
		names[r.Ranking[i].Edition] = name(r.Ranking[i].Name)
	}
	for kind, all := range [][]contract.Winner{r.Winners.Sections, r.Winners.Criteria} {
		for _, w := range all {
			by := make([]string, len(w.Editions))
			for i, e := range w.Editions {
				if by[i] = names[e]; slices.Contains(w.Estimated, e) {
					by[i] += " (rigs estimated)"
				}
			}
			t.Add([]string{"section", "criterion"}[kind], w.Key, w.Points, tables.As{Data: w.Editions, Text: list(by)})
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
