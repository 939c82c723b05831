package cli

import (
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappertally/core/bundle"
	"dappertally/core/reporting"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/plainyaml"
	"dappertally/internal/tables"
)

func (s *session) reportCommand() *cobra.Command {
	return noun(
		"report",
		"Comparison reports: write, publish, correct, download",
		s.listReports(),
		s.showReport(),
		s.addReport(),
		s.editReport(),
		s.checkReport(),
		s.previewReport(),
		s.publishReport(),
		s.correctReport(),
		s.movedReport(),
		s.downloadReport(),
	)
}

func (s *session) listReports() *cobra.Command {
	var p contract.ListReportsParams
	cmd := &cobra.Command{
		Use:     "list",
		Short:   "List reports, newest first",
		Example: "  dtally report list --audience pensioner\n  dtally report list --edition gullhaven/5.2/hearthside --output json",
		Args:    args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			rs, err := all(func(cursor string) (client.Got[contract.ReportList], error) {
				p.Cursor = cursor
				return c.ListReports(cmd.Context(), p)
			}, func(l *contract.ReportList) ([]contract.Report, string) { return l.Reports, l.Next })
			if err != nil {
				return err
			}
			t := sheetOf(reportsTable)
			for i := range rs {
				t.Add(reportRow(&rs[i])...)
			}
			return s.print(cmd, map[string]any{"reports": rs}, t)
		}),
	}
	f := cmd.Flags()
	f.StringVar(&p.Audience, "audience", "", "only those weighted for this audience; - is everybody")
	f.StringVar(&p.Series, "series", "", "only those of this series")
	f.StringVar(&p.Edition, "edition", "", "only those about this edition")
	f.IntVar(&p.Year, "year", 0, "only those first published in that year")
	return cmd
}

var (
	reportsTable = tables.Define("reports", "a report",
		tables.Text("key", "Report", ""),
		tables.Text("title", "Title", ""),
		tables.Day("published", "Published", "the newest revision; empty: none yet"),
		tables.Integer("revision", "Revision", "the newest"),
		tables.List("audiences", "Audiences", "keys; - is everybody"),
		tables.Text("series", "Series", "and the number in it").YieldsFirst(),
		tables.Text("state", "State", ""),
	)
	revisionFilesTable = tables.Define("revisionFiles", "a file of a published report",
		tables.Integer("revision", "", ""),
		tables.Text("file", "File", "its name"),
		tables.Integer("bytes", "Bytes", "its size"),
		tables.Text("sha256", "SHA-256", "of its content"),
	)
	draftTable = tables.Define("draft", "a part of a draft report",
		tables.Text("part", "Part", "its id"),
		tables.Text("kind", "Kind", ""),
		tables.Integer("bytes", "Bytes of text", ""),
	)
	faultsTable = tables.Define("faults", "something to resolve before a report is published",
		tables.Text("part", "Part", "its id"),
		tables.Integer("line", "Line", "of its text"),
		tables.Integer("column", "Column", ""),
		tables.Text("text", "Text", ""),
		tables.Text("detail", "Open items", ""),
	)
	movedTable = tables.Define("moved", "a change since a report was published",
		tables.Text("audience", "Audience", "its key; empty: everybody"),
		tables.Text("what", "What would change", ""),
	)
)

func reportRow(r *contract.Report) []any {
	published, revision, series := tables.As{Text: numerals.None}, tables.As{Text: numerals.None}, ""
	state := "draft"
	audiences := tables.As{}
	if len(r.Revisions) > 0 {
		newest := &r.Revisions[0]
		day := newest.Published.Format(time.DateOnly)
		published = tables.As{Data: day, Text: day}
		revision = tables.As{Data: newest.Revision, Text: fmt.Sprint(newest.Revision)}
		audiences = tables.As{Data: audiencesAsked(newest.Audiences), Text: audienceNames(newest.Audiences)}
		state = "published"
		if newest.Revision > 1 {
			state = "corrected"
		}
		if r.Drafted {
			state += ", draft of a correction"
		}
	}
	if r.Series != "" {
		series = fmt.Sprintf("%s %d", r.Series, r.Number)
	}
	return []any{r.Key, r.Title, published, revision, audiences, series, state}
}

// audiencesAsked lists audiences by key; the audience without a key is written as it is requested.
func audiencesAsked(all []string) []string {
	keys := make([]string, len(all))
	for i, key := range all {
		keys[i] = title(key, "-")
	}
	return keys
}

func audienceNames(keys []string) string {
	named := make([]string, len(keys))
	for i, k := range keys {
		named[i] = k
		if k == "" {
			named[i] = "everybody"
		}
	}
	return list(named)
}

func (s *session) showReport() *cobra.Command {
	return &cobra.Command{
		Use:     "show REPORT",
		Short:   "Show a report: its revisions, their seals and files",
		Example: "  dtally report show spring-pensioners\n  dtally report show spring-pensioners --output json",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			return show(s, cmd, reportSheets)(c.ShowReport(cmd.Context(), a[0]))
		}),
	}
}

func reportSheets(r *contract.Report) []*sheet {
	head := sheetOf(reportsTable)
	head.Add(reportRow(r)...)
	sheets := []*sheet{head}
	data := revisionFilesTable.Table()
	for _, x := range r.Revisions {
		t := sheetOf(revisionFilesTable)
		t.data = data
		t.heading = fmt.Sprintf(
			"Revision %d, published %s by %s", x.Revision, x.Published.Format("2006-01-02 15:04 UTC"), list(x.Authors),
		)
		t.note = "Sealed by " + x.Seal
		if x.Erratum != nil {
			t.note = strings.TrimSpace("Corrected: "+x.Erratum.What+" "+x.Erratum.Why) + "\n" + t.note
		}
		for _, f := range x.Files {
			t.Add(x.Revision, f.Name, f.Size, f.Sha256)
			data.Add(x.Revision, f.Name, f.Size, f.Sha256)
		}
		sheets = append(sheets, t)
	}
	return sheets
}

// partKinds lists the kinds of part with what each fills in.
func partKinds() string {
	var out strings.Builder
	for _, k := range reporting.Kinds {
		fmt.Fprintf(&out, "\n  %-13s %s", k.Key, k.Says)
	}
	return out.String()
}

var reportForm = "The file is YAML or JSON:\n" +
	"  title: Which one for the old laptops?\n" +
	"  about: Four editions for eight-year-old laptops.\n" +
	"  audiences: [old-laptop, pensioner]\n" +
	"  editions: [gullhaven/5.2/hearthside, bramblewick/7.0/hearthside]   # or group: {newest: " +
	"true, attributes: {desktop: [Hearthside]}}\n" +
	"  parts:\n" +
	"    - id: summary\n" +
	"      kind: summary\n" +
	"      text: \"**{leader}** leads with {score gullhaven/5.2/hearthside} points.\"\n" +
	"    - {id: ranking, kind: ranking}\n" +
	"    - {id: caveats, kind: caveats}\n" +
	"Text is Markdown; figures are named in braces and filled in. Without parts a new report " +
	"starts with the usual ones. The kinds of part, and what each fills in below its text:" + partKinds() + "\n" +
	"The service has the JSON Schema of the file at /api/report.schema.json. An editor can " +
	"complete and check the file if its first line names the schema: # yaml-language-server: " +
	"$schema=ADDRESS"

// readReport reads a report in YAML or JSON as strictly as a bundle.
func readReport(file string) (reporting.Spec, error) {
	var spec struct {
		reporting.Spec
		Parts []reporting.Part `json:"parts,omitempty"`
	}
	text, err := os.ReadFile(file)
	if err != nil {
		return spec.Spec, err
	}
	data, err := plainyaml.ToJSON(text)
	if err != nil {
		return spec.Spec, fmt.Errorf("%s: %w", file, err)
	}
	if err := bundle.Decode(data, &spec).Err(); err != nil {
		return spec.Spec, fmt.Errorf("%s:\n%w", file, err)
	}
	spec.Spec.Parts = spec.Parts
	if spec.Spec.Parts == nil {
		spec.Spec.Parts = []reporting.Part{}
	}
	return spec.Spec, nil
}

func (s *session) addReport() *cobra.Command {
	var file, series, seriesTitle string
	cmd := &cobra.Command{
		Use:     "add REPORT --file FILE",
		Short:   "Start a report with a key that is part of its address",
		Long:    "Begin a report. " + reportForm,
		Example: "  dtally report add school-2026 --file winter.yaml\n  dtally report add school-2027 --file winter.yaml --series bench-notes --series-title \"Notes from the bench\"",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			spec, err := readReport(file)
			if err != nil {
				return err
			}
			return show(s, cmd, reportSheets)(c.AddReport(
				cmd.Context(), contract.NewReport{Key: a[0], Series: series, SeriesTitle: seriesTitle, Spec: spec},
			))
		}),
	}
	f := cmd.Flags()
	f.StringVar(&file, "file", "", "the report")
	f.StringVar(&series, "series", "", "key of the series that it belongs to")
	f.StringVar(&seriesTitle, "series-title", "", "title of a new series")
	_ = cmd.MarkFlagRequired("file") // the flag exists
	return cmd
}

func (s *session) editReport() *cobra.Command {
	var file string
	cmd := &cobra.Command{
		Use:     "edit REPORT --file FILE",
		Short:   "Replace a report's draft with a file; the draft before is saved among its versions",
		Long:    "Write a draft report. " + reportForm,
		Example: "  dtally report edit radio-winter --file winter.yaml\n  dtally report show radio-winter --output yaml",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			spec, err := readReport(file)
			if err != nil {
				return err
			}
			return s.onDraft(cmd, a[0], func(c *client.Client, d client.Got[contract.ReportDraft]) error {
				w, err := c.WriteReportDraft(
					cmd.Context(),
					a[0],
					contract.WriteReportDraftParams{IfMatch: d.ETag},
					contract.ReportWritten{Spec: spec, Erratum: d.Value.Erratum},
				)
				if err != nil {
					return err
				}
				fmt.Fprintf(
					cmd.ErrOrStderr(),
					"%s is saved; dtally report check %s shows the open items\n",
					a[0],
					a[0],
				)
				return s.print(cmd, w.Value, draftSheet(&w.Value))
			})
		},
	}
	cmd.Flags().StringVar(&file, "file", "", "the report")
	_ = cmd.MarkFlagRequired("file") // the flag exists
	return cmd
}

// onDraft reads a draft and calls do with it.
func (s *session) onDraft(
	cmd *cobra.Command,
	key string,
	do func(*client.Client, client.Got[contract.ReportDraft]) error,
) error {
	c, err := s.connect()
	if err != nil {
		return err
	}
	d, err := c.ShowReportDraft(cmd.Context(), key)
	if err != nil {
		return err
	}
	return do(c, d)
}

func draftSheet(d *contract.ReportDraft) *sheet {
	t := sheetOf(draftTable)
	t.heading = d.Spec.Title
	t.note = "Last written by " + d.Person + ", " + d.Written.Format("2006-01-02 15:04 UTC")
	for _, p := range d.Spec.Parts {
		t.Add(p.ID, p.Kind, len(p.Text))
	}
	return t
}

func (s *session) checkReport() *cobra.Command {
	return &cobra.Command{
		Use:     "check REPORT",
		Short:   "Show the open items of a draft report; the exit code is 1 if there are any",
		Example: "  dtally report check radio-winter\n  dtally report check radio-winter --output json",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			x, err := c.CheckReport(cmd.Context(), a[0])
			if err != nil {
				return err
			}
			t := sheetOf(faultsTable)
			for _, f := range append(x.Value.Unfilled, x.Value.Typed...) {
				t.Add(f.Part, f.Line, f.Column, f.Text, f.Detail)
			}
			for _, e := range x.Value.Missing {
				t.Add("", tables.As{}, tables.As{}, e, "no accepted review on the report's checklist version")
			}
			if len(t.Rows) == 0 {
				t.note = "The report can be published."
			}
			if err := s.print(cmd, x.Value, t); err != nil || len(t.Rows) == 0 {
				return err
			}
			return fmt.Errorf("%s found in %s", numerals.Count(len(t.Rows), "fault"), a[0])
		}),
	}
}

func (s *session) publishReport() *cobra.Command {
	var yes bool
	cmd := &cobra.Command{
		Use:     "publish REPORT",
		Short:   "Publish a draft as the report's next revision, which never changes",
		Example: "  dtally report edit radio-winter --file winter.yaml\n  dtally report publish radio-winter --yes",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			return s.onDraft(cmd, a[0], func(c *client.Client, d client.Got[contract.ReportDraft]) error {
				if !yes {
					if err := ask(cmd, fmt.Sprintf("Publish %q? What is published is kept forever; mistakes are corrected in a new revision.", d.Value.Spec.Title)); err != nil {
						return err
					}
				}
				return show(s, cmd, reportSheets)(
					c.PublishReport(cmd.Context(), a[0], contract.PublishReportParams{IfMatch: d.ETag}),
				)
			})
		},
	}
	cmd.Flags().BoolVar(&yes, "yes", false, "publish without asking")
	return cmd
}

func (s *session) correctReport() *cobra.Command {
	var e contract.ReportErratum
	cmd := &cobra.Command{
		Use:   "correct REPORT --what TEXT --why TEXT",
		Short: "Start a correction of a published report",
		Long: "Start a correction: a draft with the text published last. Change it, check it, and publish " +
			"it as a new revision; the old revision is kept and marked.",
		Example: "  dtally report correct old-laptops-autumn --what \"The start-up times stand without the boot menu.\" --why \"They held four seconds that the menu waits.\"\n  dtally report correct classroom-2026 --what \"A rig's memory.\" --why \"It was given as 8 GB.\" --suggestion last --reader \"A. Reader\"",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			if e.Suggestion != "" {
				x, err := s.suggestion(cmd, c, e.Suggestion)
				if err != nil {
					return err
				}
				e.Suggestion = x.Id
			}
			return show(s, cmd, alone(draftSheet))(c.CorrectReport(cmd.Context(), a[0], e))
		}),
	}
	f := cmd.Flags()
	f.StringVar(&e.What, "what", "", "what the correction changes, shown to readers")
	f.StringVar(&e.Why, "why", "", "why")
	f.StringVar(&e.Suggestion, "suggestion", "", "id of the reader's correction that led to it")
	f.StringVar(&e.Reader, "reader", "", "how that reader wants to be named")
	_ = cmd.MarkFlagRequired("what") // the flags exist
	_ = cmd.MarkFlagRequired("why")
	return cmd
}

func (s *session) movedReport() *cobra.Command {
	return &cobra.Command{
		Use:     "moved REPORT",
		Short:   "Show how the data changed since a report was published",
		Example: "  dtally report moved spring-pensioners\n  dtally report moved spring-pensioners --output json",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			m, err := c.ReportMoved(cmd.Context(), a[0])
			if err != nil {
				return err
			}
			t := sheetOf(movedTable)
			t.heading = fmt.Sprintf("Since revision %d", m.Value.Revision)
			for _, v := range m.Value.Views {
				for _, says := range v.Says {
					t.Add(tables.As{Data: v.Audience, Text: audienceNames([]string{v.Audience})}, says)
				}
			}
			for _, e := range m.Value.Gone {
				t.Add("", e+" no longer has an accepted review")
			}
			switch {
			case m.Value.Failed != "":
				t.note = "It cannot be computed from the current records: " + m.Value.Failed
			case len(t.Rows) == 0:
				t.note = "The data has not changed: the figures would be the same today."
			}
			return s.print(cmd, m.Value, t)
		}),
	}
}
