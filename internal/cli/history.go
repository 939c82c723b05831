package cli

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappertally/core/comparing"
	"dappertally/core/reading"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/results"
	"dappertally/internal/tables"
)

func (s *session) historyCommand() *cobra.Command {
	var v view
	cmd := &cobra.Command{
		Use:   "history [LINE]",
		Short: "Show how an edition line changed from release to release",
		Long: "Show, for an edition line named distribution/line, the score over its releases, and what " +
			"improved, got worse, is new or was fixed from each release to the next, with the advice " +
			"that follows. Without a name, list the lines. Scores on different versions of the checklist " +
			"are compared on what both ask and score the same way.",
		Example: "  dtally history gullhaven/hearthside\n  dtally history bramblewick/hearthside --audience pensioner --output json",
		Args:    args(0, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
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
					"%q is not an edition line; write distribution/line, as listed by dtally history", a[0],
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
		}),
	}
	v.flags(cmd)
	return cmd
}

var linesTable = tables.Define("lines", "an edition line over its releases",
	tables.Text("line", "Line", "distribution/line"),
	tables.Integer("releases", "Releases", ""),
	tables.Integer("reviewed", "Reviewed", "releases with an accepted review"),
	tables.Text("newest", "Newest reviewed", "its version"),
)

func linesSheet(lines []contract.LineView) *sheet {
	t := sheetOf(linesTable)
	t.heading = "Edition lines, alphabetically"
	for _, l := range lines {
		reviewed, newest := 0, ""
		for _, r := range l.Releases {
			if len(r.Checklists) > 0 {
				reviewed++
				newest = r.Release
			}
		}
		t.Add(l.Distribution+"/"+l.Line, len(l.Releases), reviewed, newest)
	}
	return t
}

var historyTable = tables.Define("history", "a release on an edition line",
	tables.Text("edition", "Release", "key of the edition"),
	tables.Day("date", "Released", ""),
	tables.Text("checklist", "Checklist", "the version that its score is on"),
	tables.Points("score", "Score", "0 to 100; scores on different checklists do not compare"),
	tables.Points("ground", "On common ground", "on what its checklist and the newest ask the same way"),
	tables.Integer("criteria", "Criteria", "of the common ground").Yields(),
)

func pointsSheet(h *contract.HistoryView) *sheet {
	t := sheetOf(historyTable)
	t.heading = fmt.Sprintf("%s/%s over its releases, oldest first", h.Distribution, h.Line)
	if h.Audience != "" {
		t.heading += " · for " + h.Audience
	}
	for _, p := range h.Points {
		t.Add(
			tables.As{Data: p.Edition, Text: called(h.Names)(p.Edition)},
			p.Date,
			p.Checklist,
			p.Overall,
			p.Ground,
			p.Common,
		)
	}
	t.note = fmt.Sprintf(
		"Scores on different checklists do not compare. On common ground: on the criteria that the "+
			"release's checklist and %s ask and score the same way, weighted by the newer.",
		h.Checklist,
	)
	return t
}

// successionSheets compares one release with the one before.
func successionSheets(x *comparing.Succession, names func(string) string) []*sheet {
	var shown []results.Development
	for _, wanted := range shownDevelopments {
		for i := range x.Criteria {
			if d := &x.Criteria[i]; d.Development == wanted {
				shown = append(shown, results.Development{
					Edition:   x.Newer.Edition,
					Developed: d,
					Was:       either(d.Older, d.Was),
					Is:        either(d.Newer, d.Is),
					Detail:    developedDetail(d),
				})
			}
		}
	}
	t := &sheet{Table: results.Developments(shown)}
	t.heading = fmt.Sprintf("%s → %s", names(x.Older.Edition), names(x.Newer.Edition))
	t.heading += fmt.Sprintf(
		"\n"+
			"Suggested to users of the earlier release: %s, because %s.", x.Advice.Advice, strings.Join(x.Advice.Reasons, "; "),
	)
	if x.Given != nil {
		t.heading += fmt.Sprintf(
			"\n"+
				"Advice of the team: %s, because %s.", x.Given.Advice, strings.TrimSuffix(x.Given.Reason, "."),
		)
	}
	left := x.Counts[string(comparing.Same)] + x.Counts[string(comparing.FactSame)]
	t.note = fmt.Sprintf("Criteria and facts that are the same or too close to call: %d.", left)
	entries := entriesAfter(x)
	if len(entries.Rows) == 0 {
		return []*sheet{t}
	}
	return []*sheet{t, entries}
}

var afterTable = tables.Define("after", "what happened to a finding or a component in the next release",
	tables.Text("edition", "", "key of the newer release's edition"),
	tables.Text("what", "Finding or change", ""),
	tables.Text("became", "What happened to it", ""),
	tables.Text("detail", "Detail", ""),
)

// entriesAfter returns what the reviewers wrote about findings and changes.
func entriesAfter(x *comparing.Succession) *sheet {
	t := sheetOf(afterTable)
	for _, f := range []struct {
		says string
		all  []reading.Finding
	}{
		{"new", x.Findings.New},
		{"fixed", x.Findings.Fixed},
		{"still present", x.Findings.StillThere},
		{"changed", x.Findings.Changed},
		{"not checked yet", x.Findings.Open},
	} {
		for _, one := range f.all {
			t.Add(x.Newer.Edition, one.Title, f.says, strings.TrimSpace(one.Severity+" "+one.Sort))
		}
	}
	for _, c := range x.Changes {
		says := "changed, " + c.Source
		if c.Removal {
			says = "removed, " + c.Source
		}
		detail := fmt.Sprintf("%s; was: %s, is: %s", c.Effect, title(c.Was, "not present"), title(c.Is, "gone"))
		t.Add(x.Newer.Edition, c.Component, says, strings.TrimSpace(detail))
	}
	return t
}

// shownDevelopments lists the developments that are shown, in order.
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
				strings.TrimPrefix(fmt.Sprintf("%s: %s %% (%s)", r.Rig, numerals.Signed(r.Percent), r.Verdict), ": "),
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
		Use:   "records",
		Short: "Show the records: the best values ever measured",
		Long: "Show the record of each measure on each rig in each context. --before also lists earlier " +
			"records. A reading that is disturbed, replaced or only a bound sets no record.",
		Example: "  dtally records --criterion cold-start --before\n  dtally records --at 2026-01-01 --output csv",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			moment, err := momentOf("--at", at)
			if err != nil {
				return err
			}
			r, err := c.ListRecords(cmd.Context(), contract.ListRecordsParams{At: moment, Criterion: criterion})
			if err != nil {
				return err
			}
			return s.print(cmd, r.Value, recordsSheet(r.Value.Records, before, called(r.Value.Names)))
		}),
	}
	f := cmd.Flags()
	f.StringVar(&at, "at", "", "as of that time, such as 2026-06-01")
	f.StringVar(&criterion, "criterion", "", "only this criterion")
	f.BoolVar(&before, "before", false, "also show earlier records")
	return cmd
}

var recordsTable = tables.Define("records", "a record of a measure on a rig in a context",
	tables.Text("criterion", "Criterion", "its key"),
	tables.Text("rig", "Rig", "its key"),
	tables.Number("value", "Record", "in the unit"),
	tables.Text("unit", "Unit", ""),
	tables.Text("better", "Better", "higher or lower"),
	tables.Text("edition", "Edition", "its key"),
	tables.Day("measured", "Measured", ""),
	tables.Truth("stands", "", "empty: still the record"),
	tables.Text("method", "", ""),
	tables.Text("setup", "", ""),
	tables.Text("phase", "", ""),
	tables.Beside("Method, setup, phase").Yields(),
)

// recordsSheet shows the current records, with the earlier ones if asked.
func recordsSheet(records []comparing.Records, before bool, names func(string) string) *sheet {
	t := sheetOf(recordsTable)
	t.heading = "Records"
	for i := range records {
		r := &records[i]
		for n := len(r.Records) - 1; n >= 0; n-- {
			x := r.Records[n]
			stands := n == len(r.Records)-1
			criterion, rig, context := r.Criterion, r.Rig, contextText(r)
			if !stands {
				if !before {
					break
				}
				criterion, rig, context = "  before", "", ""
			}
			t.Add(
				tables.As{Data: r.Criterion, Text: criterion},
				tables.As{Data: r.Rig, Text: rig},
				x.Value,
				r.Unit,
				r.Better,
				tables.As{Data: x.Edition, Text: names(x.Edition)},
				x.At.Format(time.DateOnly),
				stands,
				r.Method,
				r.Setup,
				r.Phase,
				context,
			)
		}
	}
	return t
}

// contextText formats the context of a record for one cell.
func contextText(r *comparing.Records) string {
	return list(slices.DeleteFunc([]string{r.Method, r.Setup, r.Phase}, func(part string) bool { return part == "" }))
}

var leadersTable = tables.Define("leaders", "who led the ranking from when to when",
	tables.Day("from", "From", ""),
	tables.Day("to", "To", "empty: still leads"),
	tables.Text("edition", "Leader", "its key; empty: no edition"),
	tables.Points("score", "Score", "0 to 100"),
	tables.List("shared", "Shared with", "keys of the others in the dead heat"),
	tables.Text("checklist", "Checklist", "the version that the ranking was on"),
)

func (s *session) leadersCommand() *cobra.Command {
	var v view
	cmd := &cobra.Command{
		Use:     "leaders",
		Short:   "Show who led the ranking of an audience, and when",
		Example: "  dtally leaders --audience pensioner\n  dtally leaders --output csv",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			r, err := v.through(c).ListLeaders(cmd.Context(), contract.ListLeadersParams{})
			if err != nil {
				return err
			}
			t := sheetOf(leadersTable)
			t.heading = "Leaders, latest first"
			if v.audience != "" {
				t.heading += " · for " + v.audience
			}
			names := called(r.Value.Names)
			for _, x := range r.Value.Reigns {
				to := tables.As{Text: "still"}
				if !x.To.IsZero() {
					day := x.To.Format(time.DateOnly)
					to = tables.As{Data: day, Text: day}
				}
				var shared []string
				for _, e := range x.Shared {
					shared = append(shared, names(e))
				}
				t.Add(
					x.From.Format(time.DateOnly),
					to,
					tables.As{Data: x.Edition, Text: title(names(x.Edition), "nobody")},
					x.Score,
					tables.As{Data: x.Shared, Text: list(shared)},
					x.Checklist,
				)
			}
			return s.print(cmd, r.Value, t)
		}),
	}
	v.flags(cmd)
	return cmd
}
