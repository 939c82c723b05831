package cli

import (
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappertally/internal/numerals"
	"dappertally/internal/survey"
	"dappertally/internal/tables"
)

// surveyFlags are how a survey is taken.
type surveyFlags struct {
	how      bool
	root     string
	repeat   int
	every    time.Duration
	patience time.Duration
}

func (s *session) surveyCommand() *cobra.Command {
	var f surveyFlags
	var to destination
	var keys bool
	cmd := &cobra.Command{
		Use:   "survey",
		Short: "Read the facts of this system",
		Long: "Read the facts of this system: without a service, without root, and without changing " +
			"anything. Each fact shows its method and its source; an unknown fact shows why.\n\n" +
			"--repeat reads changing values (memory, swap, tasks) several times and uses the median. " +
			"--slip adds the survey to a file that dtally submit sends later; --review sends it at " +
			"once, as a system state and as a reading of each criterion that names one of its facts.",
		Example: "  dtally survey\n  dtally survey --keys\n  dtally survey --repeat 3 --every 2s --slip quaymark.slip --rig " +
			"bench-old --phase updated",
		Args: args(0, 0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if keys {
				return s.print(cmd, survey.Known(), surveyKeys())
			}
			v, err := f.readSystem(cmd)
			if err != nil {
				return err
			}
			if to.wanted() {
				return s.deliver(cmd, &to, to.surveySlip(&v))
			}
			return s.print(cmd, v, surveySheet(&v, f.how))
		},
	}
	f.define(cmd)
	to.define(cmd)
	cmd.Flags().BoolVar(&keys, "keys", false, "list the facts that a criterion can name under survey, and read nothing")
	cmd.AddCommand(s.surveyDiff())
	return cmd
}

var surveyKeysTable = tables.Define("surveyKeys", "a fact that a survey reads",
	tables.Text("key", "Key", "by which a checklist names it"),
	tables.Text("title", "Fact", ""),
	tables.Text("unit", "Unit", ""),
	tables.Text("method", "Method", "of reading it"),
)

// surveyKeys returns the facts by the keys that a checklist uses.
func surveyKeys() *sheet {
	t := sheetOf(surveyKeysTable)
	for _, f := range survey.Known() {
		t.Add(f.Key, f.Title, f.Unit, f.Method)
	}
	t.note = "A criterion names a fact as survey: KEY. If its context has a method, it has to be the one " +
		"listed here."
	return t
}

func (f *surveyFlags) define(cmd *cobra.Command) {
	cmd.Flags().StringVar(&f.root, "root", "/", "folder with the files of another system; its commands run too")
	cmd.Flags().BoolVar(&f.how, "how", false, "also show where each fact was found in the table")
	cmd.Flags().IntVar(&f.repeat, "repeat", 1, "how often to read changing values")
	cmd.Flags().DurationVar(&f.patience, "patience", survey.Patience, "time limit for the system's own commands")
	cmd.Flags().DurationVar(&f.every, "every", 30*time.Second, "time between two such readings")
}

func (f *surveyFlags) readSystem(cmd *cobra.Command) (survey.Survey, error) {
	const often = 1000
	if f.repeat < 1 || f.repeat > often {
		return survey.Survey{}, wrongUsage("--repeat must be between 1 and %d", often)
	}
	if f.every < 0 || f.patience <= 0 {
		return survey.Survey{}, wrongUsage("--every and --patience must not be negative")
	}
	info, err := os.Stat(f.root)
	if err != nil {
		return survey.Survey{}, err
	}
	if !info.IsDir() {
		return survey.Survey{}, wrongUsage("--root %s is no folder", f.root)
	}
	system := survey.At(f.root)
	system.Patience = f.patience
	v := survey.Take(cmd.Context(), system, time.Now())
	for n := 1; n < f.repeat; n++ {
		if isTerminal(cmd.ErrOrStderr()) {
			fmt.Fprintf(bare(cmd.ErrOrStderr()), "\rread %d of %d times; the next in %s ", n, f.repeat, f.every)
		}
		select {
		case <-cmd.Context().Done():
			return v, fmt.Errorf("stopped after %d of %d readings; nothing was saved", n, f.repeat)
		case <-time.After(f.every):
		}
		v.Again(cmd.Context(), system)
	}
	if f.repeat > 1 && isTerminal(cmd.ErrOrStderr()) {
		fmt.Fprint(bare(cmd.ErrOrStderr()), "\r\x1b[K")
	}
	return v, nil
}

var surveyTable = tables.Define("survey", "a fact of the system",
	tables.Text("key", "", "by which a checklist names it"),
	tables.Beside("Fact"),
	tables.Text("value", "Value", "empty: not known"),
	tables.Text("unit", "", ""),
	tables.Text("unknown", "", "why it is not known"),
	tables.Text("method", "Method", "of reading it"),
	tables.Text("how", "Found", "where it was read"),
)

func surveySheet(v *survey.Survey, how bool) *sheet {
	t := sheetOf(surveyTable)
	t.heading = fmt.Sprintf("Surveyed %s, in %s s", v.At.Format("2006-01-02 15:04:05 UTC"), numerals.Rounded(v.Took, 2))
	if !how {
		t.without("Found")
	}
	for i := range v.Facts {
		f := &v.Facts[i]
		value := tables.As{Text: "not known: " + f.Unknown}
		if f.Value != nil {
			value = tables.As{Data: f.Value.String(), Text: factText(f)}
		}
		t.Add(f.Key, f.Title, value, f.Unit, f.Unknown, f.Method, f.How)
	}
	if d := v.Disturbance(); d != "" {
		t.note = "Disturbed: " + d + ". Its memory and tasks do not show the system at rest."
	}
	return t
}

// factText formats a fact's value with its unit, and its runs if there are several.
func factText(f *survey.Fact) string {
	value := f.Value.String()
	if len(f.Value.List) > 6 {
		value = fmt.Sprintf("%d: %s, …", len(f.Value.List), strings.Join(f.Value.List[:6], ", "))
	}
	if f.Value.List != nil && len(f.Value.List) == 0 {
		value = "none"
	}
	if f.Unit != "" {
		value += " " + f.Unit
	}
	if len(f.Runs) > 1 {
		runs := make([]string, len(f.Runs))
		for i, x := range f.Runs {
			runs[i] = numerals.Rounded(x, 1)
		}
		value += " (" + strings.Join(runs, ", ") + ")"
	}
	return value
}

var surveyDiffTable = tables.Define("surveyDiff", "a fact that differs between two surveys",
	tables.Text("key", "", "by which a checklist names it"),
	tables.Beside("Fact"),
	tables.Text("a", "A", ""),
	tables.Text("b", "B", ""),
	tables.Text("difference", "Difference", ""),
)

func (s *session) surveyDiff() *cobra.Command {
	var all bool
	cmd := &cobra.Command{
		Use:   "diff A B",
		Short: "Show the differences between two surveys",
		Long: "Show the differences between two surveys written with --output json: for lists what only " +
			"one has, for numbers by how much. Facts read by different methods are not compared.",
		Example: "  dtally survey diff quaymark-22.0.json quaymark-22.1.json\n  dtally survey diff --all quaymark-22.0.json " +
			"quaymark-22.1.json --output json",
		Args: args(2, 2),
		RunE: func(cmd *cobra.Command, a []string) error {
			older, err := readSurvey(a[0])
			if err != nil {
				return err
			}
			newer, err := readSurvey(a[1])
			if err != nil {
				return err
			}
			differences := survey.Differ(&older, &newer, all)
			t := sheetOf(surveyDiffTable)
			t.heading = fmt.Sprintf(
				"A: %s %s of %s · B: %s %s of %s",
				older.Text("os.name"),
				older.Text("os.version"),
				older.At.Format(time.DateOnly),
				newer.Text("os.name"),
				newer.Text("os.version"),
				newer.At.Format(time.DateOnly),
			)
			for _, d := range differences {
				t.Add(d.Key, d.Title, d.A, d.B, d.Says)
			}
			if len(differences) == 0 {
				t.note = "There are no differences."
			}
			return s.print(cmd, map[string]any{"differences": differences}, t)
		},
	}
	cmd.Flags().BoolVar(&all, "all", false, "also show what is the same")
	return cmd
}

// readSurvey reads a survey from a file, or - for standard input.
func readSurvey(name string) (survey.Survey, error) {
	var v survey.Survey
	data, err := os.ReadFile(name)
	if err != nil {
		return v, err
	}
	if err := json.Unmarshal(data, &v); err != nil || v.Format != survey.Format {
		return v, fmt.Errorf("%s is not a survey; dtally survey --output json > FILE writes one", name)
	}
	return v, nil
}
