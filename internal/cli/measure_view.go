package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/core/measuring"
	"dappertally/core/reading"
	"dappertally/internal/measure"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
	"dappertally/internal/wholefile"
)

// plannedMeasure is a procedure as --list shows it.
type plannedMeasure struct {
	Criterion string   `json:"criterion"`
	Commands  []string `json:"commands"`
	Figure    string   `json:"figure"`
	Runs      string   `json:"runs"`
	Boots     int      `json:"boots,omitempty"`
	LeftOut   string   `json:"leftOut,omitempty"`
	Reference bool     `json:"reference,omitempty"` // it shows whether the rig has changed
}

var plannedTable = tables.Define("procedures", "a procedure that dtally measure runs",
	tables.Text("criterion", "Criterion", "its key"),
	tables.Text("commands", "Commands", "that are measured"),
	tables.Text("figure", "Reads", "what is read after a run"),
	tables.Text("runs", "Runs", "at least and at most"),
	tables.Text("needs", "Needs", "test files, and what the machine needs"),
	tables.Text("leftOut", "Skipped", "why it does not run here"),
)

func planned(able []*checklist.Criterion, not []lacking, reference *checklist.Criterion) []plannedMeasure {
	out := []plannedMeasure{}
	if reference != nil && len(able) > 0 {
		first := plannedOf(reference, "")
		first.Reference = true
		out = append(out, first)
	}
	for _, c := range able {
		out = append(out, plannedOf(c, ""))
	}
	for _, x := range not {
		out = append(out, plannedOf(x.criterion, x.why))
	}
	return out
}

func plannedOf(c *checklist.Criterion, why string) plannedMeasure {
	return plannedMeasure{
		Criterion: c.Key, Commands: commandsOf(c.Procedure), Figure: c.Procedure.Read.String(),
		Boots: c.Procedure.Sampling.Boots,
		Runs:  fmt.Sprintf("%d to %d", c.LeastRuns(), c.MostRuns()), LeftOut: why,
	}
}

func commandsOf(p *checklist.Procedure) []string {
	var out []string
	for _, s := range p.Steps {
		out = append(out, s.String())
	}
	return out
}

func planSheet(
	sheet *measure.Sheet, rig string, able []*checklist.Criterion, not []lacking, reference *checklist.Criterion,
) *sheet {
	t := sheetOf(plannedTable)
	t.heading = fmt.Sprintf("What dtally measure runs for %s, by %s", sheet.Edition, sheet.List.Name())
	rest, runs, boots, untold := 0.0, 0.0, 0, 0
	add := func(c *checklist.Criterion, why string) {
		p := c.Procedure
		needs := append(slices.Clone(p.Kit), texts(p.Needs)...)
		if p.Sampling.Caches == checklist.CachesDropped {
			needs = append(needs, "dropped caches")
		}
		row := plannedOf(c, why)
		often := row.Runs
		if row.Boots > 1 {
			often += fmt.Sprintf(" in %d starts", row.Boots)
		}
		t.Add(row.Criterion, strings.Join(row.Commands, "; "), row.Figure, often, list(needs), row.LeftOut)
		if why == "" {
			n := float64(c.LeastRuns() + p.Sampling.Discard)
			rest += n * p.SettleTime()
			if seconds, known := sheet.Takes(c.Key, rig); known {
				runs += n * seconds
			} else if p.Read.Figure != checklist.FromSurvey {
				untold++
			}
			boots = max(boots, p.Sampling.Boots)
		}
	}
	for _, c := range withReference(able, reference) {
		if len(able) > 0 {
			add(c, "")
		}
	}
	for _, x := range not {
		add(x.criterion, x.why)
	}
	if len(able) == 0 {
		t.heading += "\n" +
			"Nothing can run here"
		return t
	}
	if reference != nil {
		t.heading += fmt.Sprintf("\n%s runs first, to show whether the machine changed", reference.Key)
	}
	t.heading += fmt.Sprintf("\n"+
		"Minimum time: %s", roughly(rest+runs))
	if runs > 0 {
		t.heading += fmt.Sprintf(", %s of them for runs as fast as the records on %s", roughly(runs), rig)
	}
	if untold > 0 {
		t.heading += fmt.Sprintf(", plus the runs of %s, whose time is not known", numerals.Count(untold, "procedure"))
	}
	if boots > 1 {
		t.heading += fmt.Sprintf(", in %d starts of the machine", boots)
	}
	return t
}

// roughly formats a long time for planning.
func roughly(seconds float64) string {
	switch {
	case seconds < 90:
		return numerals.Rounded(seconds, 0) + " s"
	case seconds < 90*60:
		return numerals.Rounded(seconds/60, 0) + " min"
	}
	return numerals.Rounded(seconds/3600, 1) + " h"
}

func texts[T ~string](all []T) []string {
	out := make([]string, len(all))
	for i, x := range all {
		out[i] = string(x)
	}
	return out
}

// agree shows every command and asks once; consent is stored by the content of the procedures.
func (f *measureFlags) agree(
	cmd *cobra.Command,
	sheet *measure.Sheet,
	able []*checklist.Criterion,
	not []lacking,
	reference *checklist.Criterion,
) error {
	hash := measure.Hash(&sheet.List, withReference(able, reference))
	file, agreed, err := agreements()
	if err != nil {
		return err
	}
	if f.yes || agreed[hash] != "" {
		return nil
	}
	planSheet(sheet, f.rig, able, not, reference).render(cmd.ErrOrStderr())
	for _, c := range withReference(able, reference) {
		for _, s := range c.Procedure.Before {
			fmt.Fprintf(cmd.ErrOrStderr(), "%s, before each run: %s\n", c.Key, s)
		}
	}
	if err := ask(cmd, "Run these commands on this machine?"); err != nil {
		return err
	}
	agreed[hash] = time.Now().UTC().Format(time.RFC3339)
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	return wholefile.WriteSecret(file, func(w io.Writer) error { return json.NewEncoder(w).Encode(agreed) })
}

// agreements are when somebody consented to which procedures here, by their hash.
func agreements() (file string, agreed map[string]string, err error) {
	dir, err := os.UserConfigDir()
	if err != nil {
		return "", nil, fmt.Errorf("there is no folder to save the confirmation in: %w", err)
	}
	file, agreed = filepath.Join(dir, "dtally", "agreed.json"), map[string]string{}
	data, err := os.ReadFile(file)
	if os.IsNotExist(err) {
		return file, agreed, nil
	}
	if err == nil {
		err = json.Unmarshal(data, &agreed)
	}
	if err != nil {
		return "", nil, fmt.Errorf("%s: %w", file, err)
	}
	return file, agreed, nil
}

// benchView shows the progress of a bench: a table that is redrawn on a terminal, otherwise a line for each run.
type benchView struct {
	out   io.Writer
	bench *measure.Bench
	lines int // lines drawn; -1: not a terminal
}

// display shows the progress of a bench.
type display interface{ end() }

func (f *measureFlags) watch(cmd *cobra.Command, b *measure.Bench) display {
	if f.stream {
		return stream(cmd.OutOrStdout(), b)
	}
	return watch(cmd, b)
}

// stream writes every run as a line of JSON.
func stream(out io.Writer, b *measure.Bench) display {
	b.Streamed = true
	lines := json.NewEncoder(out)
	b.Progress = func(_ *measure.Task, e *measure.Entry) { _ = lines.Encode(measure.Told{Run: e}) } // it is in the journal
	b.Waiting = func(why string) { _ = lines.Encode(measure.Told{Waiting: why}) }
	return streamed{}
}

type streamed struct{}

func (streamed) end() {}

func watch(cmd *cobra.Command, b *measure.Bench) *benchView {
	v := &benchView{out: bare(cmd.ErrOrStderr()), bench: b}
	if !isTerminal(v.out) {
		v.out, v.lines = cmd.ErrOrStderr(), -1
	}
	b.Progress = v.ran
	b.Waiting = func(why string) { v.say("waiting: " + why) }
	return v
}

func (v *benchView) ran(t *measure.Task, e *measure.Entry) {
	if v.lines >= 0 {
		doing := ""
		if e.Session != "" {
			doing = "first the reference of the rig, " + t.Criterion.Key
		}
		v.draw(doing)
		return
	}
	says := valueOf(t, e.Value)
	switch {
	case e.Failed != "":
		says = "failed: " + e.Failed
	case e.Discarded:
		says += ", discarded"
	case e.Disturbance != "":
		says += ", not counted: " + e.Disturbance
	}
	if e.Session != "" {
		fmt.Fprintf(v.out, "%s, which shows whether the machine changed: %s\n", t.Criterion.Key, says)
		return
	}
	fmt.Fprintf(v.out, "%s: run %d: %s; %s\n", t.Criterion.Key, len(t.Values), says, t.State())
}

func (v *benchView) say(text string) {
	if v.lines < 0 {
		fmt.Fprintln(v.out, text)
		return
	}
	v.draw(text)
}

// draw replaces the table on the terminal.
func (v *benchView) draw(says string) {
	var text strings.Builder
	if v.lines > 0 {
		fmt.Fprintf(&text, "\x1b[%dA", v.lines)
	}
	wide, left, n := widthOf(v.out), 0.0, 0
	line := func(format string, args ...any) {
		row := []rune(fmt.Sprintf(format, args...))
		text.WriteString(string(row[:min(len(row), max(20, wide-1))]) + "\x1b[K\n")
		n++
	}
	line("%-26s %5s  %-14s %-9s %s", "Criterion", "Runs", "Median", "±", "State")
	for _, t := range v.bench.Tasks {
		median, within := "", ""
		if len(t.Values) > 0 {
			median = valueOf(t, reading.Median(slices.Clone(t.Values)))
		}
		if p, ok := measuring.Precision(t.Values); ok {
			within = numerals.Rounded(100*p, 1) + " %"
		}
		state := t.State()
		if k := len(t.Disturbed); k > 0 {
			state += fmt.Sprintf(", %d disturbed", k)
		}
		line("%-26s %5d  %-14s %-9s %s", t.Criterion.Key, len(t.Values), median, within, state)
		left += t.Left()
	}
	if left > 0 {
		line("about %s left%s", roughly(left), comma(says))
	} else {
		line("nothing left here%s", comma(says))
	}
	v.lines = n
	fmt.Fprint(v.out, text.String())
}

func comma(says string) string {
	if says == "" {
		return ""
	}
	return ", " + says
}

func (v *benchView) end() {
	if v.lines > 0 {
		v.draw("")
	}
}

// valueOf formats a figure of a task for people.
func valueOf(t *measure.Task, x float64) string {
	if unit := t.Unit(); unit != "s" {
		return strings.TrimSpace(numerals.Rounded(x, 2) + " " + unit)
	}
	return span(x)
}

// measuredResult is a criterion that was measured.
type measuredResult struct {
	Criterion string              `json:"criterion"`
	State     string              `json:"state"`
	Unit      string              `json:"unit,omitempty"`
	Runs      []float64           `json:"runs"`
	Median    *float64            `json:"median,omitempty"`
	Interval  *measuring.Interval `json:"interval,omitempty"`
	Boots     int                 `json:"boots"`
	Worth     *measuring.Design   `json:"worth,omitempty"` // the best number of starts for the runs
	Disturbed []string            `json:"disturbed,omitempty"`
	Failures  []string            `json:"failures,omitempty"`
	Remark    string              `json:"remark"`
}

func measuredOf(b *measure.Bench) []measuredResult {
	out := []measuredResult{}
	for _, t := range b.Tasks {
		r := measuredResult{
			Criterion: t.Criterion.Key, State: t.State(), Unit: t.Unit(),
			Runs: append(
				[]float64{},
				t.Values...), Boots: t.Starts(), Disturbed: t.Disturbed, Failures: t.Failures, Remark: remark(t),
		}
		if len(t.Values) > 0 {
			r.Median = new(reading.Median(slices.Clone(t.Values)))
		}
		if i, ok := measuring.MedianInterval(t.Values); ok {
			r.Interval = &i
		}
		if d, ok := b.Worth(t); ok {
			r.Worth = &d
			r.Remark += "; worth " + worth(d)
		}
		out = append(out, r)
	}
	return out
}

// worth describes a design.
func worth(d measuring.Design) string {
	return fmt.Sprintf(
		"%s of the machine with %s each",
		numerals.Count(d.Starts, "start"),
		numerals.Count(d.Runs, "run"),
	)
}

func remark(t *measure.Task) string {
	if t.GivenUp != "" {
		return t.GivenUp
	}
	if len(t.Values) == 0 {
		return ""
	}
	return t.Says()
}

var measuredTable = tables.Define("measured", "a criterion measured by dtally measure",
	tables.Text("criterion", "Criterion", "its key"),
	tables.Integer("runs", "Runs", "counted runs"),
	tables.Number("median", "Median", "in the unit"),
	tables.Number("low", "Low", "of the median's 95 % interval"),
	tables.Number("high", "High", "of the median's 95 % interval"),
	tables.Text("unit", "Unit", ""),
	tables.Text("state", "State", "precise, at its maximum of runs, or given up"),
	tables.Text("remark", "Remark", "how the runs were made"),
)

func resultSheet(edition, rig string, results []measuredResult) *sheet {
	t := sheetOf(measuredTable)
	t.heading = fmt.Sprintf("Measured for %s on %s", edition, rig)
	number := func(x *float64) any {
		if x == nil {
			return nil
		}
		return tables.As{Data: *x, Text: numerals.Rounded(*x, 4)}
	}
	for _, r := range results {
		var low, high *float64
		if r.Interval != nil {
			low, high = &r.Interval.Low, &r.Interval.High
		}
		t.Add(r.Criterion, len(r.Runs), number(r.Median), number(low), number(high), r.Unit, r.State, r.Remark)
	}
	return t
}
