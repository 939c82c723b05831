package cli

import (
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"

	"dappertally/core/catalogue"
	"dappertally/internal/client"
	"dappertally/internal/imports"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
	"dappertally/internal/wholefile"
)

func (s *session) importCommand() *cobra.Command {
	return noun(
		"import",
		"Import a catalogue, readings, a bundle or a system from a file",
		s.importCatalogue(),
		s.importReadings(),
		s.importBundle(),
		s.importSystem(),
	)
}

// importFlags are the flags that every import has.
type importFlags struct {
	o   client.ImportOptions
	yes bool
}

func (f *importFlags) define(cmd *cobra.Command) {
	cmd.Flags().BoolVar(&f.o.Trial, "dry-run", false, "only show what would happen to each row")
	choiceVar(
		cmd.Flags(),
		&f.o.Rows,
		"rows",
		"",
		"rows to show (default: all with --dry-run, else rejected)",
		rowChoices,
	)
	cmd.Flags().BoolVar(&f.yes, "yes", false, "do not ask")
}

// rowChoices are the sets of rows that an import can show.
var rowChoices = []string{"all", "changed", "refused"}

// formsByEnding are the forms by file extension.
var formsByEnding = map[string]string{
	".csv":    "csv",
	".tsv":    "csv",
	".json":   "json",
	".jsonl":  "jsonl",
	".ndjson": "jsonl",
	".yaml":   "yaml",
	".yml":    "yaml",
	".xlsx":   "xlsx",
	".tap":    "tap",
}

func (s *session) importReadings() *cobra.Command {
	var f importFlags
	var inline string
	fields := map[string]*string{}
	cmd := &cobra.Command{
		Use:   "readings FILE",
		Short: "Import readings from CSV, JSON, JSON Lines, YAML, XLSX or TAP",
		Long: "Import readings: all rows of a file or none. Without --mapping the columns have the names " +
			"that dtally export readings uses; a saved mapping describes another table. TAP results " +
			"answer checks and counts with the names in a mapping.\n\n" +
			"A row is new, the same as an existing reading, replaces a reading of the same review, " +
			"context and time, or is refused with its line, column and reason. --dry-run shows all rows.",
		Example: "  dtally import readings old-sheet.csv --mapping old-sheet --dry-run\n  dtally import readings smoke.tap --mapping smoke --edition quaymark/22.1/latchwork --rig bench-old --yes",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			if f.o.Form == "" {
				f.o.Form = formsByEnding[strings.ToLower(filepath.Ext(a[0]))]
			}
			if inline != "" {
				m, err := readMapping(cmd, inline)
				if err != nil {
					return err
				}
				f.o.Inline = &m
			}
			if f.o.Form == "" && f.o.Mapping == "" && inline == "" {
				return wrongUsage("the name of %s does not show its format; name it with --form", a[0])
			}
			f.o.Fields = map[string]string{}
			for name, value := range fields {
				if *value != "" {
					f.o.Fields[name] = *value
				}
			}
			return s.importFile(cmd, "readings", a[0], &f)
		},
	}
	f.define(cmd)
	p := cmd.Flags()
	choiceVar(p, &f.o.Form, "form", "", "file format (default: by its name)", imports.Forms)
	p.StringVar(&f.o.Mapping, "mapping", "", "name of the saved mapping")
	p.StringVar(&inline, "mapping-file", "", "a mapping in a file, instead of a saved one")
	for name, usage := range map[string]string{
		"review": "the review of all rows", "edition": "the edition of all rows", "rig": "the rig of all rows", "phase": "the phase of all rows",
		"setup": "the setup of all rows", "method": "the method of all rows", "reviewer": "the reviewer of all rows (for leads)", "at": "when all rows were measured", "criterion": "the criterion of all rows",
	} {
		fields[name] = p.String(name, "", usage)
	}
	return cmd
}

func (s *session) importCatalogue() *cobra.Command {
	var f importFlags
	cmd := &cobra.Command{
		Use:   "catalogue FILE",
		Short: "Import distributions, releases, editions and rigs from YAML, CSV, XLSX, JSON or JSON Lines",
		Long: "Import distributions, releases, editions and rigs: all rows of a file or none. A row is " +
			"new, the same, changes an entry, or is refused with its line, column and reason. Fields " +
			"that the file does not have stay as they are; in a table an empty cell changes nothing.\n\n" +
			"A table has a row for each entry, with the columns kind and key and any of those below. " +
			"YAML and JSON can also nest releases in their distribution, and editions in their release:\n\n" + catalogueSample + "\n" + catalogueColumns(),
		Example: "  dtally import catalogue autumn.yaml --dry-run\n  dtally export catalogue --file catalogue.csv\n  dtally import catalogue catalogue.csv --dry-run --rows changed",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			if f.o.Form == "" {
				f.o.Form = formsByEnding[strings.ToLower(filepath.Ext(a[0]))]
			}
			if f.o.Form == "" {
				return wrongUsage("the name of %s does not show its format; name it with --form", a[0])
			}
			return s.importFile(cmd, "catalogue", a[0], &f)
		},
	}
	f.define(cmd)
	choiceVar(
		cmd.Flags(), &f.o.Form, "form", "", "file format (default: by its name)", imports.CatalogueForms,
	)
	return cmd
}

// catalogueSample is a catalogue as people write it by hand.
const catalogueSample = `  distributions:
    - key: mossgate
      name: Mossgate
      model: fixed
      family: [fenbase]
      releases:
        - version: 3.2
          date: 2026-10-20
          editions:
            - {key: latchwork, desktop: Latchwork, architecture: x86_64}
  rigs:
    - {key: bench-tiny, name: Small board, class: low-power, cores: 4, memoryMiB: 2048}
`

// catalogueColumns lists the columns of each kind, from the definitions.
func catalogueColumns() string {
	var lines strings.Builder
	for _, k := range imports.Kinds {
		fmt.Fprintf(&lines, "  %-14s%s\n", k, strings.Join(imports.ColumnsOf(k), ", "))
	}
	return strings.TrimRight(lines.String(), "\n")
}

func (s *session) importBundle() *cobra.Command {
	var f importFlags
	cmd := &cobra.Command{
		Use:   "bundle FILE",
		Short: "Import the records of a bundle that do not exist yet",
		Long: "Import a bundle: checklists, catalogue, rigs, reviews and readings that do not exist yet, " +
			"all of it or nothing. A record that exists with other content is refused. Reviewers without " +
			"an account get one that cannot sign in.",
		Example: "  dtally export bundle --file second-wind.json\n  dtally import bundle second-wind.json --dry-run\n  dtally import bundle second-wind.json --yes",
		Args:    args(1, 1),
		RunE:    func(cmd *cobra.Command, a []string) error { return s.importFile(cmd, "bundle", a[0], &f) },
	}
	f.define(cmd)
	return cmd
}

func (s *session) importSystem() *cobra.Command {
	var f importFlags
	cmd := &cobra.Command{
		Use:   "system FILE",
		Short: "Add a system to the catalogue, from its os-release file or a survey",
		Long: "Add a system to the catalogue: its distribution, release and edition, if they do not exist " +
			"yet. A survey (dtally survey --output json) also has the desktop and architecture. A system " +
			"does not report its release date: give it with --date if the release is new.",
		Example: "  dtally import system /etc/os-release --date 2026-10-01 --dry-run\n  dtally import system quaymark-22.1.json --yes",
		Args:    args(1, 1),
		RunE:    func(cmd *cobra.Command, a []string) error { return s.importFile(cmd, "system", a[0], &f) },
	}
	f.define(cmd)
	cmd.Flags().StringVar(&f.o.Date, "date", "", "release date, YYYY-MM-DD")
	choiceVar(cmd.Flags(), &f.o.Model, "model", "", "release model of a new distribution", catalogue.Models)
	return cmd
}

// importFile sends a file and shows the result. Without --yes it shows the rows before anything is written.
func (s *session) importFile(cmd *cobra.Command, what, name string, f *importFlags) error {
	switch f.o.Rows {
	case "":
		f.o.Rows = "refused"
		if f.o.Trial {
			f.o.Rows = "all"
		}
	default:
		if !slices.Contains(rowChoices, f.o.Rows) {
			return wrongUsage("--rows must be %s, not %q", orWords(rowChoices), f.o.Rows)
		}
	}
	c, err := s.connect()
	if err != nil {
		return err
	}
	if !f.o.Trial && !f.yes {
		tried, _, err := s.sendFile(cmd, c, what, name, f, true)
		if err != nil {
			return err
		}
		if tried.Refused == 0 && tried.New+tried.Replaces+tried.Changes > 0 {
			if err := ask(cmd, "Import "+fates(tried)+"?"); err != nil {
				return err
			}
		}
	}
	done, rows, err := s.sendFile(cmd, c, what, name, f, f.o.Trial)
	if err != nil {
		return err
	}
	if err := s.print(cmd, map[string]any{"rows": rows, "done": done}, importSheet(what, rows, done, f.o.Trial)); err != nil {
		return err
	}
	if done.Refused > 0 {
		return refused(fmt.Errorf("%s refused, so nothing was imported", numerals.Count(done.Refused, "row")))
	}
	return nil
}

func (s *session) sendFile(
	cmd *cobra.Command,
	c *client.Client,
	what, name string,
	f *importFlags,
	trial bool,
) (client.Imported, []client.ImportedRow, error) {
	file, err := os.Open(name)
	if err != nil {
		return client.Imported{}, nil, err
	}
	defer file.Close()
	info, err := file.Stat()
	if err != nil {
		return client.Imported{}, nil, err
	}
	rows := []client.ImportedRow{}
	var bar *progressbar.ProgressBar
	o := f.o
	o.Trial = trial
	done, err := client.Import(
		cmd.Context(),
		c,
		what,
		o,
		io.TeeReader(file, progress(cmd, info.Size(), "sending "+filepath.Base(name))),
		client.ImportWatch{
			Row: func(r client.ImportedRow) { rows = append(rows, r) },
			Progress: func(phase string, done, of int) {
				if !isTerminal(cmd.ErrOrStderr()) {
					return
				}
				if bar == nil || bar.State().Max != int64(of) || done < int(bar.State().CurrentNum) {
					bar = progressbar.NewOptions(
						of,
						progressbar.OptionSetWriter(cmd.ErrOrStderr()),
						progressbar.OptionSetDescription(phase),
						progressbar.OptionClearOnFinish(),
					)
				}
				_ = bar.Set(done) // a bar that cannot be drawn stops nothing
			},
		},
	)
	return done, rows, err
}

var importedTable = tables.Define("imported", "what an import does with a row",
	tables.Integer("line", "Line", "of the file"),
	tables.Text("fate", "Fate", "new, same, changes, replaces or refused"),
	tables.Text("about", "About", "the edition, or the entry of the catalogue"),
	tables.Text("criterion", "Criterion", "its key"),
	tables.Text("rig", "Rig", "its key"),
	tables.Text("answer", "Answer", ""),
	tables.Text("column", "Column", "of the file"),
	tables.Text("reason", "Reason", "why it is refused, or what it replaces"),
)

func importSheet(what string, rows []client.ImportedRow, done client.Imported, trial bool) *sheet {
	t := sheetOf(importedTable)
	if what != "readings" {
		t.without("Criterion", "Rig")
	}
	for _, r := range rows {
		line := tables.As{}
		if r.Line > 0 {
			line = tables.As{Data: r.Line, Text: fmt.Sprint(r.Line)}
		}
		answer := r.Answer
		if len([]rune(answer)) > 60 {
			answer = string([]rune(answer)[:60]) + "…"
		}
		t.Add(line, r.Fate, r.Subject, r.Criterion, r.Rig, tables.As{Data: r.Answer, Text: answer}, r.Column, r.Why)
	}
	verdict := "imported"
	switch {
	case trial:
		verdict = "dry run; nothing was written"
	case !done.Written:
		verdict = "nothing was written"
	}
	t.note = fates(done) + ": " + verdict + "."
	return t
}

// fates counts the rows by outcome. Changes and replacements are shown if there are any, or if there could be.
func fates(done client.Imported) string {
	words := []string{fmt.Sprintf("%d new", done.New), fmt.Sprintf("%d the same", done.Same)}
	for _, more := range []struct {
		n     int
		words string
	}{{done.Changes, "%d changed"}, {done.Replaces, "%d replace others"}, {done.Refused, "%d refused"}} {
		if more.n > 0 {
			words = append(words, fmt.Sprintf(more.words, more.n))
		}
	}
	return strings.Join(words, ", ")
}

func (s *session) exportCommand() *cobra.Command {
	forms := "csv, json, jsonl, yaml, xlsx or md"
	return noun(
		"export",
		"Export records and results to a file",
		s.exportVerb("catalogue", "Distributions, releases, editions and rigs, to edit and import again", forms, nil,
			"  dtally export catalogue --file catalogue.csv\n  dtally export catalogue --form yaml"),
		s.exportVerb(
			"readings",
			"Every reading that you may see",
			forms+"; tap for checks and counts",
			[]string{"review", "edition", "criterion", "rig", "checklist"},
			"  dtally export readings --file readings.csv\n  dtally export readings --edition quaymark/22.1/latchwork --form tap",
		),
		s.exportVerb(
			"reviews",
			"The reviews that you may see",
			forms,
			nil,
			"  dtally export reviews --form md\n  dtally export reviews --file reviews.xlsx",
		),
		s.exportVerb(
			"scorecards",
			"The scorecard of each accepted edition",
			forms,
			[]string{"checklist", "audience", "at"},
			"  dtally export scorecards --audience pensioner --file scorecards.xlsx\n  dtally export scorecards --form jsonl",
		),
		s.exportVerb(
			"points",
			"The points of each edition and criterion",
			forms,
			[]string{"checklist", "audience", "at"},
			"  dtally export points --file points.csv\n  dtally export points --audience radio --form yaml",
		),
		s.exportVerb(
			"ranking",
			"The ranking, with provisional and barred editions",
			forms+"; svg or png for the figure",
			[]string{"checklist", "audience", "at", "section", "criterion"},
			"  dtally export ranking --audience classroom --form md\n  dtally export ranking --file ranking.png",
		),
		s.exportVerb(
			"bundle",
			"Everything in one bundle, to recompute it or to move it to another service",
			"json",
			nil,
			"  dtally export bundle --file second-wind.json\n  dtally export bundle | dtally compute - --what ranking",
		),
	)
}

// exportVerb writes an export to a file, or to standard output.
func (s *session) exportVerb(what, short, forms string, filters []string, example string) *cobra.Command {
	var form, file string
	values := map[string]*string{}
	cmd := &cobra.Command{
		Use: what, Short: short, Example: example, Args: args(0, 0),
		RunE: s.asking(func(cmd *cobra.Command, _ []string, c *client.Client) error {
			ending := strings.TrimPrefix(strings.ToLower(filepath.Ext(file)), ".")
			if form == "" && ending != "" {
				form = ending
			}
			query := map[string][]string{}
			if form != "" {
				query["form"] = []string{form}
			}
			for _, name := range slices.Sorted(maps.Keys(values)) {
				value := *values[name]
				if name == "at" && value != "" {
					at, err := momentOf("--at", value)
					if err != nil {
						return err
					}
					value = at.Format(time.RFC3339)
				}
				if value != "" {
					query[name] = []string{value}
				}
			}
			body, note, err := client.Export(cmd.Context(), c, what, query)
			if err != nil {
				return err
			}
			defer body.Close()
			prose(cmd.ErrOrStderr(), note, widthOf(cmd.ErrOrStderr()))
			if file == "" {
				_, err := io.Copy(cmd.OutOrStdout(), body)
				return err
			}
			return wholefile.Write(file, func(w io.Writer) error {
				_, err := io.Copy(w, body)
				return err
			})
		}),
	}
	cmd.Flags().StringVar(&form, "form", "", forms+" (default: by the file's name, else csv)")
	cmd.Flags().StringVar(&file, "file", "", "output file (default: standard output)")
	for _, name := range filters {
		usage := "only of this " + name
		if name == "at" {
			usage = "as of this time, such as 2026-06-30 or 2026-06-30T00:00:00Z"
		}
		if what == "ranking" && (name == "section" || name == "criterion") {
			usage = "ordered by this " + name
		}
		values[name] = cmd.Flags().String(name, "", usage)
	}
	return cmd
}
