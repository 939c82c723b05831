package cli

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappertally/core/comparing"
	"dappertally/core/reading"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
)

func (s *session) historyCommand() *cobra.Command {
	var v view
	cmd := &cobra.Command{
		Use:   "history [LINE]",
		Short: "Tell what became of an edition line from release to release",
		Long: "Tell, for an edition line named distribution/line, the score over its releases and what improved, worsened, is new or was fixed from each to the next, with the advice that follows from it. " +
			"Without a name, list the lines. Scores on other versions of the checklist are compared on what both ask and score alike.",
		Example: "  dtally history gullhaven/hearthside\n  dtally history bramblewick/hearthside --audience pensioner --output json",
		Args:    args(0, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			if len(a) == 0 {
				lines, err := c.ListLines(cmd.Context())
				if err != nil {
					return err
				}
				return s.print(cmd, lines.Value, linesSheet(lines.Value.Lines))
			}
			distribution, line, ok := strings.Cut(a[0], "/")
			if !ok || strings.Contains(line, "/") {
				return wrongUsage(
					"%q is no edition line; name it distribution/line, as dtally history lists them",
					a[0],
				)
			}
			r, err := v.through(c).ShowLine(cmd.Context(), distribution, line, contract.ShowLineParams{})
			if err != nil {
				return err
			}
			sheets := []*sheet{pointsSheet(&r.Value)}
			for i := range r.Value.Successions {
				sheets = append(sheets, successionSheets(&r.Value.Successions[i], called(r.Value.Names))...)
			}
			return s.print(cmd, r.Value, sheets...)
		},
	}
	v.flags(cmd)
	return cmd
}

func linesSheet(lines []contract.LineView) *sheet {
	t := &sheet{
		columns: []string{"Line", ">Releases", ">Reviewed", "Newest reviewed"},
		heading: "Edition lines, alphabetically",
	}
	for _, l := range lines {
		reviewed, newest := 0, ""
		for _, r := range l.Releases {
			if len(r.Checklists) > 0 {
				reviewed++
				newest = r.Release
			}
		}
		t.add(l.Distribution+"/"+l.Line, fmt.Sprint(len(l.Releases)), fmt.Sprint(reviewed), newest)
	}
	return t
}

func pointsSheet(h *contract.HistoryView) *sheet {
	t := &sheet{
		columns: []string{"Release", "Out since", "Checklist", ">Score", ">On common ground", "~>Criteria"},
		heading: fmt.Sprintf("%s/%s over its releases, oldest first", h.Distribution, h.Line),
	}
	if h.Audience != "" {
		t.heading += " · for " + h.Audience
	}
	for _, p := range h.Points {
		t.add(
			called(h.Names)(p.Edition),
			p.Date,
			p.Checklist,
			numerals.Score(p.Overall),
			numerals.Score(p.Ground),
			fmt.Sprint(p.Common),
		)
	}
	t.note = fmt.Sprintf(
		"Scores on different checklists do not compare. On common ground: on the criteria that the release's list and %s ask and score alike, weighted by the newer.",
		h.Checklist,
	)
	return t
}

// successionSheets tells one release against the one before.
func successionSheets(x *comparing.Succession, names func(string) string) []*sheet {
	t := &sheet{columns: []string{"What became of it", "Criterion", ">Was", ">Is", "Detail"}}
	t.heading = fmt.Sprintf("%s → %s", names(x.Older.Edition), names(x.Newer.Edition))
	t.heading += fmt.Sprintf(
		"\nProposed to users of the earlier one: %s, since %s.",
		x.Advice.Advice,
		strings.Join(x.Advice.Reasons, "; "),
	)
	if x.Given != nil {
		t.heading += fmt.Sprintf(
			"\nAdvised by the team: %s, since %s.",
			x.Given.Advice,
			strings.TrimSuffix(x.Given.Reason, "."),
		)
	}
	for _, wanted := range shownDevelopments {
		for _, d := range x.Criteria {
			if d.Development == wanted {
				t.add(
					string(d.Development),
					d.Criterion,
					either(d.Older, d.Was),
					either(d.Newer, d.Is),
					developedDetail(&d),
				)
			}
		}
	}
	left := x.Counts[string(comparing.Same)] + x.Counts[string(comparing.FactSame)]
	t.note = fmt.Sprintf("%d criteria and facts are the same or too close to call.", left)
	entries := &sheet{columns: []string{"Finding or change", "What became of it", "Detail"}}
	for _, f := range []struct {
		says string
		all  []reading.Finding
	}{{"new", x.Findings.New}, {"fixed", x.Findings.Fixed}, {"still there", x.Findings.StillThere}, {"changed", x.Findings.Changed}, {"nobody has looked after it", x.Findings.Open}} {
		for _, one := range f.all {
			entries.add(one.Title, f.says, strings.TrimSpace(one.Severity+" "+one.Sort))
		}
	}
	for _, c := range x.Changes {
		says := "changed, " + c.Source
		if c.Removal {
			says = "removed, " + c.Source
		}
		entries.add(
			c.Component,
			says,
			strings.TrimSpace(
				fmt.Sprintf("%s; was: %s, is: %s", c.Effect, title(c.Was, "not there"), title(c.Is, "gone")),
			),
		)
	}
	if len(entries.rows) == 0 {
		return []*sheet{t}
	}
	return []*sheet{t, entries}
}

// shownDevelopments is what is worth a line, in this order.
var shownDevelopments = []comparing.Development{
	comparing.Worsened, comparing.Improved, comparing.SplitByRig, comparing.FactChanged, comparing.Newly, comparing.NoLonger, comparing.Otherwise, comparing.Unlike,
}

func either(points *float64, fact string) string {
	if points != nil {
		return numerals.Score(points)
	}
	if len(fact) > 24 {
		return "…"
	}
	return title(fact, numerals.None)
}

func developedDetail(d *comparing.Developed) string {
	var out []string
	if len(d.Gained) > 0 {
		out = append(out, "gained "+list(d.Gained))
	}
	if len(d.Lost) > 0 {
		out = append(out, "lost "+list(d.Lost))
	}
	for _, r := range d.Rows {
		if r.Percent != nil {
			out = append(
				out,
				strings.TrimPrefix(fmt.Sprintf("%s: %s %% (%s)", r.Rig, signed(r.Percent), r.Verdict), ": "),
			)
		}
	}
	if d.Reason != "" {
		out = append(out, d.Reason)
	}
	return strings.Join(out, "; ")
}

func (s *session) recordsCommand() *cobra.Command {
	var at, criterion string
	var before bool
	cmd := &cobra.Command{
		Use:     "records",
		Short:   "Show the record book: the best ever measured, place by place",
		Long:    "Show the record of each measure on each rig in each context. --before lists the records before it too. A reading that is disturbed, replaced or only a bound makes no record.",
		Example: "  dtally records --criterion cold-start --before\n  dtally records --at 2026-01-01 --output csv",
		Args:    args(0, 0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			moment, err := momentOf("--at", at)
			if err != nil {
				return err
			}
			c, err := s.connect()
			if err != nil {
				return err
			}
			r, err := c.ListRecords(cmd.Context(), contract.ListRecordsParams{At: moment, Criterion: criterion})
			if err != nil {
				return err
			}
			return s.print(cmd, r.Value, recordsSheet(r.Value.Records, before, called(r.Value.Names)))
		},
	}
	f := cmd.Flags()
	f.StringVar(&at, "at", "", "as the book stood at that time, such as 2026-06-01")
	f.StringVar(&criterion, "criterion", "", "of this criterion alone")
	f.BoolVar(&before, "before", false, "the records before too")
	return cmd
}

// recordsSheet is the records that stand, with those before where they are asked for.
func recordsSheet(records []comparing.Records, before bool, names func(string) string) *sheet {
	t := &sheet{
		columns: []string{
			"Criterion",
			"Rig",
			">Record",
			"Unit",
			"Better",
			"Edition",
			"Measured",
			"~Method, setup, phase",
		},
		heading: "The record book",
	}
	for i := range records {
		r := &records[i]
		for n := len(r.Records) - 1; n >= 0; n-- {
			x := r.Records[n]
			criterion, rig, context := r.Criterion, r.Rig, contextText(r)
			if n < len(r.Records)-1 {
				if !before {
					break
				}
				criterion, rig, context = "  before", "", ""
			}
			t.add(
				criterion,
				rig,
				numerals.Value(&x.Value),
				r.Unit,
				r.Better,
				names(x.Edition),
				x.At.Format(time.DateOnly),
				context,
			)
		}
	}
	return t
}

// contextText is the context of a record in one cell.
func contextText(r *comparing.Records) string {
	return list(slices.DeleteFunc([]string{r.Method, r.Setup, r.Phase}, func(part string) bool { return part == "" }))
}

func (s *session) leadersCommand() *cobra.Command {
	var v view
	cmd := &cobra.Command{
		Use:     "leaders",
		Short:   "Tell who led the ranking of an audience from when to when",
		Example: "  dtally leaders --audience pensioner\n  dtally leaders --output csv",
		Args:    args(0, 0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			r, err := v.through(c).ListLeaders(cmd.Context(), contract.ListLeadersParams{})
			if err != nil {
				return err
			}
			t := &sheet{
				columns: []string{"From", "To", "Leader", ">Score", "Shared with", "Checklist"},
				heading: "Leaders, the latest first",
			}
			if v.audience != "" {
				t.heading += " · for " + v.audience
			}
			names := called(r.Value.Names)
			for _, x := range r.Value.Reigns {
				to := "still"
				if !x.To.IsZero() {
					to = x.To.Format(time.DateOnly)
				}
				var shared []string
				for _, e := range x.Shared {
					shared = append(shared, names(e))
				}
				t.add(
					x.From.Format(time.DateOnly),
					to,
					title(names(x.Edition), "nobody"),
					numerals.Score(&x.Score),
					list(shared),
					x.Checklist,
				)
			}
			return s.print(cmd, r.Value, t)
		},
	}
	v.flags(cmd)
	return cmd
}
