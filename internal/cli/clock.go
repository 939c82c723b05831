package cli

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappertally/core/measuring"
	"dappertally/core/reading"
	"dappertally/internal/clock"
	"dappertally/internal/measure"
	"dappertally/internal/numerals"
	"dappertally/internal/slip"
	"dappertally/internal/tables"
)

// clockFlags are how commands are timed and where the figures go.
type clockFlags struct {
	plan               clock.Plan
	precision          float64
	caches, beforeEach string
	criterion, figure  string
	method             string
	disturbed          string
	watcher            measure.Watcher
}

func (s *session) clockCommand() *cobra.Command {
	var f clockFlags
	var to destination
	cmd := &cobra.Command{
		Use:   "clock [flags] -- COMMAND [ARGUMENT…] [-- COMMAND…]",
		Short: "Time a command, or compare several",
		Long: "Time a command: run it several times, discard the first run, and let the machine settle " +
			"before each run. Its output is discarded. A run that fails is reported and not counted. " +
			"User time, system time and peak memory are reported too, including child processes. A " +
			"disturbed run is marked; --disturbed repeat runs it again.\n\n" +
			"Several commands, separated by --, run in turns (A B A B), so that drift affects all of " +
			"them, and are compared pair by pair. Commands run without a shell; to use shell syntax, " +
			"write sh -c '…'.",
		Example: "  dtally clock --runs 5 -- gzip -kf harbour-flight-1.csv\n" +
			"  dtally clock --caches dropped --criterion copy-folder --rig bench-old --phase updated --slip quaymark.slip " +
			"-- cp -r pictures copies",
		Args: cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, a []string) error {
			if err := f.run(cmd, a, &to); err != nil {
				return err
			}
			result, err := f.time(cmd)
			if err != nil {
				return err
			}
			if !to.wanted() {
				return s.print(cmd, result, f.sheets(&result)...)
			}
			for _, t := range f.sheets(&result) {
				t.render(cmd.ErrOrStderr())
			}
			return s.deliver(cmd, &to, f.slip(&result, &to))
		},
	}
	f.define(cmd)
	to.define(cmd)
	return cmd
}

func (f *clockFlags) define(cmd *cobra.Command) {
	p := cmd.Flags()
	p.IntVar(&f.plan.Discard, "discard", 1, "discarded runs of each command")
	p.IntVar(&f.plan.Runs, "runs", 5, "counted runs of each command")
	p.Float64Var(
		&f.precision, "precision", 0, "continue until the median is known to this many percent, with 95 % confidence")
	p.IntVar(&f.plan.Most, "most", 50, "with --precision, at most this many runs of each command")
	p.DurationVar(&f.plan.Settle, "settle", time.Second, "time to settle before each run")
	choiceVar(
		p,
		&f.caches,
		"caches",
		"kept",
		"kernel file caches before each run (dropping them needs root)",
		[]string{"kept", "dropped"},
	)
	p.StringVar(&f.beforeEach, "before-each", "", "a shell line to run before each run, not timed")
	p.DurationVar(&f.plan.Limit, "limit", 0, "abort a run after this time (default: never)")
	p.IntVar(&f.plan.Failures, "failures", 2, "failed runs of one command before it is given up")
	p.StringVar(&f.criterion, "criterion", "", "the criterion that the runs answer, with --slip or --review")
	choiceVar(p, &f.figure, "figure", "wall", "the figure that answers it", []string{"wall", "user", "system", "peak"})
	choiceVar(p, &f.disturbed, "disturbed", "note",
		"what to do with a run disturbed by other programs, heat, a recorder or similar", []string{"note", "repeat"})
	p.StringVar(&f.method, "method", "clock", "the method's key in the vocabulary")
}

// run checks the flags and splits the commands.
func (f *clockFlags) run(cmd *cobra.Command, a []string, to *destination) error {
	if cmd.ArgsLenAtDash() != 0 || len(a) == 0 {
		return wrongUsage("write the command after --, such as: dtally clock -- true")
	}
	if err := f.part(a); err != nil {
		return err
	}
	switch f.caches {
	case "kept":
	case "dropped":
		f.plan.Drop = true
	default:
		return wrongUsage("--caches must be kept or dropped, not %q", f.caches)
	}
	switch f.disturbed {
	case "note", "repeat":
		f.plan.Repeat = f.disturbed == "repeat"
	default:
		return wrongUsage("--disturbed must be note or repeat, not %q", f.disturbed)
	}
	f.watcher.Machine = measure.Machine{Root: "/"}
	f.plan.Watch = f.watcher.Watch
	if f.beforeEach != "" {
		f.plan.BeforeEach = []string{"sh", "-c", f.beforeEach}
	}
	f.plan.Precision = f.precision / 100
	if err := f.countable(); err != nil {
		return err
	}
	return f.answers(to)
}

// part splits the words into commands at each --.
func (f *clockFlags) part(words []string) error {
	for word := range slices.Values(append([]string{"--"}, words...)) {
		if word == "--" {
			f.plan.Commands = append(f.plan.Commands, nil)
			continue
		}
		last := len(f.plan.Commands) - 1
		f.plan.Commands[last] = append(f.plan.Commands[last], word)
	}
	if slices.ContainsFunc(f.plan.Commands, func(c []string) bool { return len(c) == 0 }) {
		return wrongUsage("there is no command between two --")
	}
	return nil
}

// countable checks the numbers of the plan.
func (f *clockFlags) countable() error {
	switch {
	case f.plan.Runs < 1 || f.plan.Discard < 0 || f.plan.Settle < 0 || f.plan.Failures < 0 || f.plan.Limit < 0 || !(f.precision >= 0):
		return wrongUsage("--runs must be at least 1, and no number can be negative")
	case f.plan.Precision > 0 && f.plan.Most < f.plan.Runs:
		return wrongUsage("--most %d is less than --runs %d", f.plan.Most, f.plan.Runs)
	}
	return nil
}

// answers checks which criterion the runs answer, and where the reading goes.
func (f *clockFlags) answers(to *destination) error {
	switch {
	case !slices.Contains(clock.Figures, f.figure):
		return wrongUsage("--figure must be one of %s, not %q", list(clock.Figures), f.figure)
	case to.wanted() && f.criterion == "":
		return wrongUsage("name the criterion that the runs answer with --criterion")
	case !to.wanted() && f.criterion != "":
		return wrongUsage("--criterion needs --slip or --review to save the reading")
	case to.wanted() && len(f.plan.Commands) > 1:
		return wrongUsage(
			"one reading answers a criterion with one command; use %d commands without --criterion",
			len(f.plan.Commands),
		)
	}
	return nil
}

// time executes the plan and shows the progress on a terminal.
func (f *clockFlags) time(cmd *cobra.Command) (clock.Result, error) {
	out := bare(cmd.ErrOrStderr())
	watched := isTerminal(out)
	if watched {
		f.plan.Progress = func(t *clock.Timing, i int) {
			if n := len(t.Failed); n > 0 && len(t.Runs) == 0 {
				fmt.Fprintf(out, "\r\x1b[K%s: failed, %s", f.name(i), t.Failed[n-1])
				return
			}
			last := t.Runs[len(t.Runs)-1].Wall
			fmt.Fprintf(
				out,
				"\r\x1b[K%s: run %d of %d took %s, median %s",
				f.name(i),
				len(t.Runs),
				f.plan.Runs,
				span(last),
				span(t.Median),
			)
		}
		fmt.Fprintf(out, "the first runs are not counted")
	}
	result, err := clock.Time(cmd.Context(), f.plan)
	if watched {
		fmt.Fprint(out, "\r\x1b[K")
	}
	if err != nil && cmd.Context().Err() == context.Canceled {
		return result, fmt.Errorf("%w; nothing was saved", err)
	}
	return result, err
}

// name identifies commands: A, B, … and, if there is only one, the command itself.
func (f *clockFlags) name(i int) string {
	if len(f.plan.Commands) == 1 {
		return strings.Join(f.plan.Commands[0], " ")
	}
	return letter(i)
}

func letter(i int) string {
	if i < 26 {
		return string(rune('A' + i))
	}
	return fmt.Sprint(i + 1)
}

// span formats a time for people.
func span(seconds float64) string {
	switch {
	case seconds < 0.001:
		return numerals.Rounded(1e6*seconds, 0) + " µs"
	case seconds < 1:
		return numerals.Rounded(1000*seconds, 1) + " ms"
	}
	return numerals.Rounded(seconds, 2) + " s"
}

var timingsTable = tables.Define("timings", "how long a command took",
	tables.Text("letter", "", "letter that the ratios use"),
	tables.Text("command", "Command", "its words"),
	tables.Integer("runs", "Runs", "counted runs"),
	tables.Number("median", "Median", "wall time").In("s"),
	tables.Number("least", "Least", "").In("s"),
	tables.Number("most", "Most", "").In("s"),
	tables.Share("spread", "Scatter", "of the runs about their median").To(1),
	tables.Share("precision", "±", "half the width of the median's 95 % interval").To(1),
	tables.Number("user", "User", "median processor time of the program").In("s"),
	tables.Number("system", "System", "median processor time of the kernel for it").In("s"),
	tables.Number("peakMiB", "Peak MiB", "most memory in use").In("MiB"),
	tables.Text("remarks", "Remarks", ""),
)

var ratiosTable = tables.Define("ratios", "time of a command relative to the first command in the same turn",
	tables.Text("letter", "Against A", "of the command"),
	tables.Number("median", "Median ratio", ""),
	tables.Number("least", "Least", ""),
	tables.Number("most", "Most", ""),
	tables.Integer("pairs", "Pairs", ""),
	tables.Text("says", "Says", "result"),
)

func (f *clockFlags) sheets(r *clock.Result) []*sheet {
	t := sheetOf(timingsTable)
	t.Columns[0].Title, t.Columns[0].Key = "", "" // next to the command, without a heading
	t.heading = f.conditions(r)
	for i := range r.Timings {
		x := &r.Timings[i]
		walls := x.Values("wall")
		median := func(of string) any { return seconds(reading.Median(x.Values(of))) }
		top := slices.Max(x.Values("peak"))
		t.Add(
			letter(i),
			strings.Join(x.Command, " "),
			len(x.Runs),
			seconds(x.Median),
			seconds(slices.Min(walls)),
			seconds(slices.Max(walls)),
			x.Spread,
			precisionOf(walls),
			median("user"),
			median("system"),
			tables.As{Data: top, Text: peak(top, r.Overhead.PeakMiB)},
			list(f.remarks(r, x)),
		)
	}
	if len(r.Ratios) == 0 {
		return []*sheet{t}
	}
	ratios := sheetOf(ratiosTable)
	ratios.heading = "Pair by pair: time of each command relative to A in the same turn"
	for i := range r.Ratios {
		x := &r.Ratios[i]
		ratio := func(v float64) any { return tables.As{Data: v, Text: numerals.Rounded(v, 3)} }
		ratios.Add(letter(x.Of), ratio(x.Median), ratio(x.Least), ratio(x.Most), x.Pairs, saysRatio(x))
	}
	return []*sheet{t, ratios}
}

// precisionOf returns the relative precision of the median of values; nil for fewer than six.
func precisionOf(values []float64) any {
	if p, ok := measuring.Precision(values); ok {
		return p
	}
	return nil
}

// seconds is a time as a number for programs, and formatted for people.
func seconds(x float64) any { return tables.As{Data: x, Text: span(x)} }

func (f *clockFlags) remarks(r *clock.Result, x *clock.Timing) []string {
	var out []string
	if len(x.Failed) > 0 {
		out = append(
			out,
			fmt.Sprintf("%s failed and are not counted: %s", numerals.Count(len(x.Failed), "run"), x.Failed[len(x.Failed)-1]),
		)
	}
	if n := len(x.Disturbed); n > 0 {
		says := numerals.Count(n, "run") + " disturbed: "
		if f.plan.Repeat {
			says = numerals.Count(n, "run") + " disturbed and repeated: "
		}
		out = append(out, says+x.Disturbed[n-1])
	}
	if f.plan.Precision > 0 && !r.Precise {
		out = append(out, "not precise enough after "+numerals.Count(len(x.Runs), "run"))
	}
	if r.Overhead.Wall > 0.05*x.Median {
		out = append(out, fmt.Sprintf("starting it takes %s of it", span(r.Overhead.Wall)))
	}
	return out
}

func saysRatio(x *clock.Ratio) string {
	switch {
	case x.Least > 1:
		return fmt.Sprintf(
			"%s is slower in every pair, by %s %%", letter(x.Of), numerals.Rounded(100*(x.Median-1), 1),
		)
	case x.Most < 1:
		return fmt.Sprintf(
			"%s is faster in every pair, by %s %% of A", letter(x.Of), numerals.Rounded(100*(1-x.Median), 1),
		)
	}
	return "too close to call: slower in some pairs, faster in others"
}

// conditions describes how it was timed, and the overhead of timing.
func (f *clockFlags) conditions(r *clock.Result) string {
	discarded := numerals.Count(f.plan.Discard, "run")
	says := fmt.Sprintf("%s discarded, caches %s, %s to settle", discarded, f.caches, f.plan.Settle)
	if r.Overhead.Program == "" {
		return says + "; the cost of timing could not be measured: there is no program that does nothing"
	}
	return says + fmt.Sprintf(
		"; starting %s and waiting for it takes %s, which every run includes", r.Overhead.Program, span(r.Overhead.Wall),
	)
}

func peak(mib, floor float64) string {
	if mib <= 1.15*floor { // a child starts with the memory of the clock, which grows a little
		return "below " + numerals.Rounded(math.Ceil(mib), 0)
	}
	return numerals.Rounded(mib, 1)
}

// slip returns the runs of a single command as a reading.
func (f *clockFlags) slip(r *clock.Result, to *destination) *slip.Slip {
	x := newReading(time.Now())
	x.Criterion, x.Method, x.Setup, x.Phase, x.Rig = f.criterion, f.method, to.setup, to.phase, to.rig
	x.Unit = map[bool]string{true: "MiB", false: "s"}[f.figure == "peak"]
	var runs []float64
	for _, v := range r.Timings[0].Values(f.figure) {
		runs = append(runs, math.Round(1e6*v)/1e6)
	}
	x.Answer = words(runs)
	x.Boots = slipBoots(slices.Repeat([]string{measure.Machine{Root: "/"}.Boot()}, len(runs)))
	x.Note = strings.TrimPrefix(
		to.note+"; "+f.figure+" time of: "+strings.Join(r.Timings[0].Command, " ")+"; "+f.conditions(r), "; ",
	)
	if f.figure == "peak" {
		x.Note = strings.Replace(x.Note, "peak time of", "most memory held by", 1)
	}
	for _, says := range []string{measure.Says(f.watcher.Seen), strings.Join(f.remarks(r, &r.Timings[0]), "; ")} {
		if says != "" {
			x.Note += "; " + says
		}
	}
	return &slip.Slip{Readings: []slip.Reading{x}}
}
