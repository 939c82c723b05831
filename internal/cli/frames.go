package cli

import (
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/frames"
	"dappertally/internal/numerals"
	"dappertally/internal/slip"
	"dappertally/internal/tables"
	"dappertally/internal/wholefile"
)

// framesFlags are how a log is written and where its figures go.
type framesFlags struct {
	column, unit, delimiter, decimal, picture string
	stamps, rate                              bool
}

// framesRun is the summary of one log.
type framesRun struct {
	File string `json:"file"`
	reading.Frames
	Column  string   `json:"column"`
	Unit    string   `json:"unit"` // unit in which the times were read
	Remarks []string `json:"remarks"`
}

func (s *session) framesCommand() *cobra.Command {
	var f framesFlags
	var to destination
	var into []string
	cmd := &cobra.Command{
		Use:   "frames FILE…",
		Short: "Summarize logs of frame times: average rate and lows",
		Long: "Summarize a log of frame times, one frame per line, from a file or standard input (-). The " +
			"tail mean and the percentile are two methods; their figures do not compare. Several files " +
			"are several runs.\n\n" +
			"The heading of the column gives its unit and meaning: frame times in s, ms, us or ns, or " +
			"time stamps. A rate is not a time and is refused, unless --rate declares that each line is " +
			"the rate of one frame. Warnings are written to standard error and to the note of the reading.\n\n" +
			"The figure is part of the recorded method: frame-log for the average, and for example " +
			"frame-log-low-1-tail for the others. The checklist registers the methods that it uses.\n\n" +
			"Tab, semicolon, bar, comma and space are detected as delimiters. If none of them is a " +
			"comma, a comma is the decimal point. Lines before the heading are skipped.",
		Example: "  dtally frames harbour-flight-1.csv --picture run.png\n  dtally frames harbour-flight-1.csv harbour-flight-2.csv harbour-flight-3.csv --into flight-average=average --into flight-low=low-1-tail --slip quaymark.slip",
		Args:    args(1, -1),
		RunE: func(cmd *cobra.Command, a []string) error {
			if err := checkInto(into, &to); err != nil {
				return err
			}
			runs, err := f.sum(cmd, a)
			if err != nil {
				return err
			}
			if to.wanted() || s.output == "json" || s.output == "yaml" {
				doubtRuns(cmd, runs)
			}
			if to.wanted() {
				return s.deliver(cmd, &to, to.framesSlip(runs, into))
			}
			if len(runs) == 1 {
				return s.print(cmd, runs[0], framesSheets(runs)...)
			}
			return s.print(cmd, map[string]any{"runs": runs}, framesSheets(runs)...)
		},
	}
	f.define(cmd)
	to.define(cmd)
	cmd.Flags().
		StringArrayVar(&into, "into", nil, "CRITERION=FIGURE: the figure that answers a criterion: "+list(checklist.FrameStatistics)+"; repeatable")
	return cmd
}

// doubtRuns reports on standard error what is doubtful about the logs.
func doubtRuns(cmd *cobra.Command, runs []framesRun) {
	for i := range runs {
		for _, remark := range runs[i].Remarks {
			prose(cmd.ErrOrStderr(), runs[i].File+": "+remark, widthOf(cmd.ErrOrStderr()))
		}
	}
}

// methodOf returns the method with which a figure is recorded: figures that cannot be compared have different
// methods.
func methodOf(figure string) string {
	if figure == "average" {
		return "frame-log"
	}
	return "frame-log-" + figure
}

// checkInto checks which figure answers which criterion.
func checkInto(into []string, to *destination) error {
	switch {
	case len(into) > 0 && !to.wanted():
		return wrongUsage("--into needs --slip or --review to save the reading")
	case len(into) == 0 && to.wanted():
		return wrongUsage("name the figure for each criterion, such as --into flight-average=average")
	}
	for _, pair := range into {
		if _, figure, _ := strings.Cut(pair, "="); !slices.Contains(checklist.FrameStatistics, figure) {
			return wrongUsage("--into %q is not CRITERION=FIGURE with a figure of %s", pair, list(checklist.FrameStatistics))
		}
	}
	return nil
}

// framesSlip makes a reading of each figure that answers a criterion, with one run per log.
func (d *destination) framesSlip(runs []framesRun, into []string) *slip.Slip {
	x := &slip.Slip{}
	for _, pair := range into {
		criterion, figure, _ := strings.Cut(pair, "=")
		r := newReading(time.Now())
		r.Criterion, r.Method, r.Unit = criterion, methodOf(figure), "frames/s"
		r.Rig, r.Phase, r.Setup, r.Note = d.rig, d.phase, d.setup, d.note
		var values []float64
		for i := range runs {
			values = append(values, math.Round(1000*runs[i].Statistic(figure))/1000)
			for _, remark := range runs[i].Remarks {
				r.Note = strings.TrimPrefix(r.Note+"; "+filepath.Base(runs[i].File)+": "+remark, "; ")
			}
		}
		r.Answer = words(values)
		x.Readings = append(x.Readings, r)
	}
	return x
}

func (f *framesFlags) define(cmd *cobra.Command) {
	p := cmd.Flags()
	p.StringVar(
		&f.column, "column", "", "name of the column, or its number from 1 (default: the column named like frame times)",
	)
	choiceVar(
		p,
		&f.unit,
		"unit",
		"",
		"unit of a frame time (default: as in the heading, else ms)",
		[]string{"s", "ms", "us", "ns"},
	)
	p.StringVar(&f.delimiter, "delimiter", "", "separator between columns, if it is not detected")
	choiceVar(
		p,
		&f.decimal,
		"decimal",
		"point",
		"decimal separator in a log with one column",
		[]string{"point", "comma"},
	)
	p.BoolVar(&f.stamps, "timestamps", false, "the column has the time at which each frame appeared")
	p.BoolVar(&f.rate, "rate", false, "each line is the rate of one frame, in frames/s")
	p.StringVar(&f.picture, "picture", "", "draw the run to a file, .png or .svg")
}

func (f *framesFlags) form() (frames.Form, error) {
	form := frames.Form{Column: f.column, Unit: f.unit, Stamps: f.stamps, Rate: f.rate}
	if _, ok := frames.Units[f.unit]; !ok && f.unit != "" {
		return form, wrongUsage("--unit must be s, ms, us or ns, not %q", f.unit)
	}
	switch f.decimal {
	case "point":
	case "comma", ",":
		form.Comma = true
	default:
		return form, wrongUsage("--decimal must be comma or point, not %q", f.decimal)
	}
	switch d := []rune(strings.ReplaceAll(f.delimiter, `\t`, "\t")); {
	case f.delimiter == "tab":
		form.Delimiter = '\t'
	case f.delimiter == "space":
		form.Delimiter = ' '
	case len(d) == 1:
		form.Delimiter = d[0]
	case len(d) > 1:
		return form, wrongUsage("--delimiter must be one character, tab or space, not %q", f.delimiter)
	}
	return form, nil
}

// sum reads each log and, if asked, draws it.
func (f *framesFlags) sum(cmd *cobra.Command, files []string) ([]framesRun, error) {
	form, err := f.form()
	if err != nil {
		return nil, err
	}
	if f.picture != "" && !slices.Contains([]string{".png", ".svg"}, strings.ToLower(filepath.Ext(f.picture))) {
		return nil, wrongUsage("--picture must end in .png or .svg, not %q", f.picture)
	}
	if f.picture != "" && len(files) > 1 {
		return nil, wrongUsage("--picture draws one run; name one file")
	}
	var runs []framesRun
	for _, name := range files {
		run, err := f.sumOne(cmd, name, form)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		runs = append(runs, run)
	}
	return runs, nil
}

func (f *framesFlags) sumOne(cmd *cobra.Command, name string, form frames.Form) (framesRun, error) {
	run := framesRun{File: name, Remarks: []string{}}
	in := cmd.InOrStdin()
	if name != "-" {
		file, err := os.Open(name)
		if err != nil {
			return run, err
		}
		defer file.Close()
		info, err := file.Stat()
		if err != nil {
			return run, err
		}
		in = io.TeeReader(file, progress(cmd, info.Size(), filepath.Base(name)))
	}
	log, err := frames.Read(in, form)
	if err != nil {
		return run, err
	}
	defer log.Close()
	if run.Frames, err = reading.SumFrames(log.Times()); err != nil {
		return run, err
	}
	run.Column, run.Unit = log.Column, log.Unit
	run.Remarks = append(append(run.Remarks, log.Remarks...), reading.DoubtFrames(log.Times(), &run.Frames)...)
	if f.picture != "" {
		course := reading.Course(log.Times(), run.Duration, frames.Slots)
		title := fmt.Sprintf("%s: %d frames in %s s", filepath.Base(name), run.Count, numerals.Rounded(run.Duration, 1))
		if err := wholefile.Write(f.picture, func(w io.Writer) error { return frames.Draw(w, f.picture, title, course, &run.Frames) }); err != nil {
			return run, err
		}
	}
	return run, log.Err()
}

var framesTable = tables.Define("frames", "a figure of a frame log",
	tables.Text("file", "", "the log"),
	tables.Text("figure", "Figure", ""),
	tables.Text("method", "Method", "method"),
	tables.Number("rate", "Frames/s", "").In("frames/s"),
)

// framesSheets returns one sheet per run.
func framesSheets(runs []framesRun) []*sheet {
	sheets := make([]*sheet, len(runs))
	data := framesTable.Table()
	for i := range runs {
		r := &runs[i]
		t := sheetOf(framesTable)
		t.data = data
		t.heading = fmt.Sprintf(
			"%s, column %s: %d frames in %s s, the longest %s ms",
			r.File,
			r.Column,
			r.Count,
			numerals.Rounded(r.Duration, 1),
			numerals.Rounded(r.Longest, 1),
		)
		add := func(figure, method string, rate float64) {
			row := []any{r.File, figure, method, tables.As{Data: rate, Text: numerals.Rounded(rate, 1)}}
			t.Add(row...)
			data.Add(row...)
		}
		add("average", "", r.Average)
		for _, l := range r.Lows {
			name := strconv.FormatFloat(l.Percent, 'f', -1, 64) + " % low"
			add(name, "tail mean", l.TailMean)
			add(name, "percentile", l.Percentile)
		}
		for _, remark := range r.Remarks {
			t.note += "Note: " + remark + ".\n"
		}
		t.note = strings.TrimSuffix(t.note, "\n")
		sheets[i] = t
	}
	return sheets
}
