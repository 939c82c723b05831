package cli

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"dappertally/core/advice"
	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/scoring"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/survey"
	"dappertally/internal/tables"
	"dappertally/internal/wholefile"
)

func mark(set bool, word string) string {
	if set {
		return word
	}
	return ""
}

// fetchChecklist reads a version from the service.
func (s *session) fetchChecklist(
	cmd *cobra.Command,
	c *client.Client,
	name string,
) (client.Got[contract.Checklist], error) {
	key, version, err := splitChecklist(name)
	if err != nil {
		return client.Got[contract.Checklist]{}, err
	}
	return c.ShowChecklist(cmd.Context(), key, version)
}

// onChecklist connects, reads a version from the service and calls do with both.
func (s *session) onChecklist(
	cmd *cobra.Command,
	name string,
	do func(*client.Client, client.Got[contract.Checklist]) error,
) error {
	c, err := s.connect()
	if err != nil {
		return err
	}
	x, err := s.fetchChecklist(cmd, c, name)
	if err != nil {
		return err
	}
	return do(c, x)
}

func (s *session) exportChecklist() *cobra.Command {
	return &cobra.Command{
		Use:   "export KEY@VERSION [FILE]",
		Short: "Write a checklist version as a YAML document, to a file or standard output",
		Long: "Write a checklist version as a YAML document. It is complete: dtally checklist import reads " +
			"it back unchanged. --output json writes JSON instead.",
		Example: "  dtally checklist export workshop@2 checklist.yaml\n  dtally checklist export workshop@1 --output json",
		Args:    args(1, 2),
		RunE: func(cmd *cobra.Command, a []string) error {
			return s.onChecklist(cmd, a[0], func(_ *client.Client, x client.Got[contract.Checklist]) error {
				if s.output != "json" {
					s.output = "yaml"
				}
				write := func(w io.Writer) error {
					cmd.SetOut(w)
					if s.output == "yaml" {
						line, err := s.schemaLine()
						if err != nil {
							return err
						}
						if _, err := io.WriteString(w, line); err != nil {
							return err
						}
					}
					return s.print(cmd, x.Value, nil)
				}
				if len(a) == 1 {
					return write(cmd.OutOrStdout())
				}
				return wholefile.Write(a[1], write)
			})
		},
	}
}

func (s *session) importChecklist() *cobra.Command {
	var dryRun bool
	cmd := &cobra.Command{
		Use:   "import FILE",
		Short: "Import a YAML or JSON document, or - for standard input, as the draft of the next version",
		Long: "Import a document as the draft of its checklist's next version. An existing draft is " +
			"changed; otherwise a draft is added. The version and state in the document are ignored. The " +
			"differences are shown; --dry-run shows them and changes nothing.",
		Example: "  dtally checklist export workshop@2 | sed 's/weight: 30/weight: 35/' > checklist.yaml\n  dtally checklist import checklist.yaml --dry-run\n  dtally checklist import - < checklist.yaml",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			x, err := readChecklist(cmd, a[0])
			if err != nil {
				return err
			}
			base, draft, err := s.versions(cmd, c, x.Key)
			if err != nil {
				return err
			}
			x.State, x.Version = checklist.Draft, 1
			if base != nil {
				x.Version = base.Version + 1
			}
			if err := validateDocument(x); err != nil {
				return fmt.Errorf("%s:\n%w", a[0], err)
			}
			switch {
			case dryRun:
			case draft != nil:
				x.Version = draft.Value.Version
				_, err = c.EditChecklist(
					cmd.Context(), x.Key, x.Version, contract.EditChecklistParams{IfMatch: draft.ETag}, *x,
				)
			default:
				_, err = c.AddChecklist(cmd.Context(), *x)
			}
			if err != nil {
				return err
			}
			if base == nil {
				return s.print(cmd, x, checklistSheet(x))
			}
			d := checklist.Differ(base, x)
			return s.print(cmd, d, differenceSheets(&d)...)
		}),
	}
	cmd.Flags().BoolVar(&dryRun, "dry-run", false, "show the differences and change nothing")
	return cmd
}

func validateDocument(x *checklist.Checklist) error {
	var book fault.Book
	checklist.Validate(x, &book)
	return book.List().Err()
}

// versions returns a checklist's newest version that is not a draft, and its draft.
func (s *session) versions(
	cmd *cobra.Command,
	c *client.Client,
	key string,
) (base *checklist.Checklist, draft *client.Got[contract.Checklist], err error) {
	all, err := s.checklists(cmd, c)
	if err != nil {
		return nil, nil, err
	}
	for _, x := range all {
		if x.Key != key {
			continue
		}
		got, err := c.ShowChecklist(cmd.Context(), key, x.Version)
		if err != nil {
			return nil, nil, err
		}
		if x.State == contract.ChecklistSummaryState(checklist.Draft) {
			draft = &got
		} else {
			base = &got.Value
		}
	}
	return base, draft, nil
}

func (s *session) checkChecklist() *cobra.Command {
	var bundleFile string
	cmd := &cobra.Command{
		Use:   "check FILE|KEY@VERSION",
		Short: "Check a checklist for errors and give advice",
		Long: "Check a checklist, in a file or on the service, against the current readings: weights, " +
			"guidance, methods, gates that bar every edition, criteria that do not separate editions. " +
			"With --bundle the readings come from a file and no service is needed. Errors make the " +
			"command fail; advice does not.",
		Example: "  dtally checklist check workshop@2\n  dtally checklist export workshop@2 checklist.yaml\n  dtally export bundle --file second-wind.json\n  dtally checklist check checklist.yaml --bundle second-wind.json",
		Args:    args(1, 1),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			if bundleFile != "" {
				return s.checkOffline(cmd, a[0], bundleFile)
			}
			var x *checklist.Checklist
			if _, _, bad := splitChecklist(a[0]); bad == nil {
				got, err := s.fetchChecklist(cmd, c, a[0])
				if err != nil {
					return err
				}
				x = &got.Value
			} else if x, bad = readChecklist(cmd, a[0]); bad != nil {
				return bad
			}
			found, err := c.AdviseChecklist(cmd.Context(), *x)
			if err != nil {
				return err
			}
			return s.print(cmd, found.Value, adviceSheet(x, found.Value.Advice))
		}),
	}
	cmd.Flags().StringVar(&bundleFile, "bundle", "", "a bundle file with the current readings")
	return cmd
}

func (s *session) checkOffline(cmd *cobra.Command, file, bundleFile string) error {
	b, err := readBundle(cmd, bundleFile)
	if err != nil {
		return err
	}
	var x *checklist.Checklist
	if _, _, bad := splitChecklist(file); bad == nil {
		if x, err = scoring.Newest(b.Checklists, file); err != nil {
			return fmt.Errorf("%w: %w", errNotFound, err)
		}
	} else if x, err = readChecklist(cmd, file); err != nil {
		return err
	}
	if err := validateDocument(x); err != nil {
		return fmt.Errorf("%s:\n%w", file, err)
	}
	var points *scoring.Columns
	if base, err := scoring.Newest(b.Checklists, x.Key); err == nil {
		points = scoring.Tabulate(b.Input(base).Project(x), scoring.Options{}).Columns()
	}
	found := append(advice.Of(x, b.Rigs, points), survey.Advise(x)...)
	return s.print(cmd, contract.AdviceList{Advice: found}, adviceSheet(x, found))
}

var adviceTable = tables.Define("advice", "advice on a checklist",
	tables.Text("about", "About", "subject"),
	tables.Text("advice", "Advice", ""),
	tables.Text("pointer", "Where", "place in the document, as a JSON pointer"),
)

func adviceSheet(x *checklist.Checklist, found []advice.Advice) *sheet {
	t := sheetOf(adviceTable)
	t.heading = fmt.Sprintf("%s: %d remarks", x.Name(), len(found))
	for _, a := range found {
		t.Add(a.Sort, a.Text, a.Pointer)
	}
	return t
}

func (s *session) differChecklists() *cobra.Command {
	return &cobra.Command{
		Use:     "diff KEY@OLDER KEY@NEWER",
		Short:   "Show the differences between two versions of a checklist",
		Example: "  dtally checklist diff workshop@1 workshop@2\n  dtally checklist diff workshop@1 workshop@2 --output json",
		Args:    args(2, 2),
		RunE: s.asking(func(cmd *cobra.Command, a []string, c *client.Client) error {
			older, from, err := splitChecklist(a[0])
			if err != nil {
				return err
			}
			newer, to, err := splitChecklist(a[1])
			if err != nil {
				return err
			}
			if older != newer {
				return wrongUsage("%s and %s are different checklists, not versions of one", older, newer)
			}
			return show(s, cmd, differenceSheets)(c.DifferChecklists(cmd.Context(), newer, to, from))
		}),
	}
}

var changesTable = tables.Define("changes", "a difference between two checklist versions",
	tables.Text("what", "What", "section, criterion or audience, and what happened to it"),
	tables.Text("key", "Key", ""),
	tables.Text("title", "Title", ""),
	tables.Share("shareWas", "Share before", "of the overall score").To(1),
	tables.Share("shareIs", "Share now", "of the overall score").To(1),
	tables.Text("details", "Details", ""),
)

var shiftedTable = tables.Define("shifted", "an unchanged criterion whose share changed",
	tables.Text("key", "Key", ""),
	tables.Text("title", "Title", ""),
	tables.Share("shareWas", "Share before", "of the overall score").To(1),
	tables.Share("shareIs", "Share now", "of the overall score").To(1),
)

// differenceSheets lays out a difference: first the changes, then the shares that moved because of them.
func differenceSheets(d *checklist.Difference) []*sheet {
	share := func(x float64, gone bool) any {
		if gone {
			return nil
		}
		return x
	}
	changes := sheetOf(changesTable)
	changes.heading = fmt.Sprintf("From %s to %s", d.Older, d.Newer)
	none := tables.As{}
	for _, x := range d.Sections {
		changes.Add(
			"section "+list(x.Sorts),
			x.Key,
			x.Title,
			share(x.OldShare, x.Sorts[0] == checklist.Added),
			share(x.NewShare, x.Sorts[0] == checklist.Dropped),
			"",
		)
	}
	for _, x := range d.Criteria {
		changes.Add(
			list(x.Sorts),
			x.Key,
			x.Title,
			share(x.OldShare, x.Sorts[0] == checklist.Added),
			share(x.NewShare, x.Sorts[0] == checklist.Dropped),
			list(x.Details),
		)
	}
	for _, x := range d.Audiences {
		changes.Add("audience "+list(x.Sorts), x.Key, x.Title, none, none, list(x.Details))
	}
	for _, x := range d.Rest {
		changes.Add("checklist", "", "", none, none, x)
	}
	if len(changes.Rows) == 0 {
		changes.note = "There are no differences."
	}
	if len(d.Shifted) == 0 {
		return []*sheet{changes}
	}
	shifted := sheetOf(shiftedTable)
	shifted.heading = "Unchanged, but with another share because others changed"
	for _, x := range d.Shifted {
		shifted.Add(x.Key, x.Title, x.OldShare, x.NewShare)
	}
	return []*sheet{changes, shifted}
}

func (s *session) editChecklist() *cobra.Command {
	var state string
	var shown bool
	var showAt float64
	cmd := &cobra.Command{
		Use:   "edit KEY@VERSION",
		Short: "Put a draft in force, retire a version, or show one to readers",
		Long: "Put a draft in force, retire a version, or choose the version that readers see. A version " +
			"in force is not shown at once: readers keep the version that has results. --shown shows " +
			"this version. --show-at 80, on the shown version, shows the newest version in force " +
			"automatically when 80 % of the ranked editions have an accepted review on it.",
		Example: "  dtally checklist export workshop@2 | sed 's/weight: 30/weight: 35/' | dtally checklist import -\n  dtally checklist edit workshop@3 --state in-force\n  dtally checklist edit workshop@2 --shown --show-at 80",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			if !(showAt >= 0 && showAt <= 100) {
				return wrongUsage("--show-at must be a percentage between 0 and 100, not %v", showAt)
			}
			shown = shown || cmd.Flags().Changed("show-at")
			if state == "" && !shown {
				return wrongUsage(
					"name a change: --state in-force, --state retired or --shown; dtally checklist import " +
						"changes a draft",
				)
			}
			return s.onChecklist(cmd, a[0], func(c *client.Client, x client.Got[contract.Checklist]) error {
				list := x.Value
				var err error
				if state != "" {
					list.State = checklist.State(state)
					if x, err = c.EditChecklist(cmd.Context(), list.Key, list.Version, contract.EditChecklistParams{IfMatch: x.ETag}, list); err != nil {
						return err
					}
				}
				if shown {
					if _, err := c.ShowVersion(cmd.Context(), list.Key, contract.ShownVersion{Version: list.Version, Share: showAt / 100}); err != nil {
						return err
					}
				}
				return s.print(cmd, x.Value, checklistSheet(&x.Value))
			})
		},
	}
	choiceVar(cmd.Flags(), &state, "state", "", "", []string{string(checklist.InForce), string(checklist.Retired)})
	cmd.Flags().BoolVar(&shown, "shown", false, "show this version to readers who choose none")
	cmd.Flags().
		Float64Var(&showAt, "show-at", 0, "show the newest version in force when this percentage of the ranked editions has a review "+
			"on it (default: when a lead decides)")
	return cmd
}
