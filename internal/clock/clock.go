// Package clock times commands carefully: with warm-up runs, repetitions, pauses between runs, and in turns if there
// are several commands.
package clock

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"dappertally/core/measuring"
	"dappertally/core/reading"
	"dappertally/internal/numerals"
)

// Plan is what is timed and how.
type Plan struct {
	Commands   [][]string
	Discard    int           // warm-up runs of each command
	Runs       int           // runs of each command
	Most       int           // maximum of each, if runs continue until their median is precise
	Precision  float64       // relative half width of the median's 95 % interval; 0: stop after Runs
	Settle     time.Duration // pause before each run
	Drop       bool          // drop the kernel's file caches before each run
	BeforeEach []string      // runs before each run, untimed
	Limit      time.Duration // time limit of one run; 0: none
	Failures   int           // how many runs of one command can fail before it is given up
	Watch      Watch         // watches the machine during each run; nil: not watched
	Repeat     bool          // disturbed runs do not count and are repeated
	// Progress is called after each run that counts or fails, with all runs so far.
	Progress func(done *Timing, command int)
}

// Watch starts watching the machine. The returned function stops that, and returns why the run was disturbed; empty:
// it was not. Its argument is the processor time of the run itself, in seconds.
type Watch func() func(own float64) (disturbance string)

// Run is one run that counts.
type Run struct {
	Wall    float64 `json:"wall"`    // wall time in seconds
	User    float64 `json:"user"`    // user time in seconds
	System  float64 `json:"system"`  // system time in seconds
	PeakMiB float64 `json:"peakMiB"` // peak memory of it and its children
}

// Timing is the result for one command.
type Timing struct {
	Command []string `json:"command"`
	Runs    []Run    `json:"runs"`
	Failed  []string `json:"failed"` // errors of failed runs; these do not count
	// Disturbed is why runs were disturbed. They count, unless the plan repeats them.
	Disturbed []string `json:"disturbed,omitempty"`
	Median    float64  `json:"median"` // of wall, seconds
	Spread    *float64 `json:"spread"` // of wall, relative; nil for one run

	Interval *measuring.Interval `json:"interval,omitempty"` // of the median of wall; nil for fewer than six runs
}

// Ratio is how long a command took relative to the first, pair by pair, so that drift affects both.
type Ratio struct {
	Of     int     `json:"of"` // index of the command
	To     int     `json:"to"`
	Pairs  int     `json:"pairs"`
	Median float64 `json:"median"`
	Least  float64 `json:"least"`
	Most   float64 `json:"most"`
}

// Result is the results of all commands.
type Result struct {
	Overhead Overhead `json:"overhead"`
	Timings  []Timing `json:"timings"`
	Ratios   []Ratio  `json:"ratios,omitempty"`
	Precise  bool     `json:"precise"` // whether all reached the wanted precision
}

// Values returns the runs' figures of one name: wall, user, system or peak.
func (t *Timing) Values(figure string) []float64 {
	values := make([]float64, len(t.Runs))
	for i, r := range t.Runs {
		values[i] = map[string]float64{"wall": r.Wall, "user": r.User, "system": r.System, "peak": r.PeakMiB}[figure]
	}
	return values
}

// Figures are the names that Values accepts.
var Figures = []string{"wall", "user", "system", "peak"}

func (t *Timing) sum() {
	if len(t.Runs) == 0 {
		return
	}
	walls := t.Values("wall")
	if spread, ok := reading.Spread(slices.Clone(walls)); ok {
		t.Spread = &spread
	}
	if i, ok := measuring.MedianInterval(walls); ok {
		t.Interval = &i
	}
	t.Median = reading.Median(walls)
}

// Time executes a plan. A command that fails too often ends it with an error; the result then holds what was timed so
// far.
func Time(ctx context.Context, p Plan) (Result, error) {
	var result Result
	if err := p.check(); err != nil {
		return result, err
	}
	var err error
	if result.Overhead, err = MeasureOverhead(ctx); err != nil {
		return result, err
	}
	for _, c := range p.Commands {
		result.Timings = append(result.Timings, Timing{Command: c, Runs: []Run{}, Failed: []string{}})
	}
	for range p.Discard {
		for _, c := range p.Commands {
			if _, _, err := p.once(ctx, c); err != nil {
				return result, fmt.Errorf("in a discarded run, %s: %w", strings.Join(c, " "), err)
			}
		}
	}
	for n := 0; n < p.Runs || (p.Precision > 0 && n < p.Most && !result.precise(p.Precision)); n++ {
		if err := p.round(ctx, &result); err != nil {
			return result, err
		}
	}
	// A child starts with the memory that this program has at that moment.
	now, err := MeasureOverhead(ctx)
	if err != nil {
		return result, err
	}
	result.Overhead.PeakMiB = max(result.Overhead.PeakMiB, now.PeakMiB)
	result.Precise = p.Precision == 0 || result.precise(p.Precision)
	result.ratios()
	return result, nil
}

func (p *Plan) check() error {
	switch {
	case len(p.Commands) == 0:
		return errors.New("there is no command to time")
	case p.Runs < 1 || p.Discard < 0 || p.Settle < 0 || p.Precision < 0 || p.Limit < 0:
		return errors.New("at least one run is needed, and no number can be negative")
	case p.Precision > 0 && p.Most < p.Runs:
		return fmt.Errorf("at most %d runs are fewer than the minimum of %d", p.Most, p.Runs)
	}
	if p.Drop {
		return MayDrop()
	}
	return nil
}

// round runs every command once, and repeats one that fails, so that pairs stay complete.
func (p *Plan) round(ctx context.Context, result *Result) error {
	for i := range result.Timings {
		t := &result.Timings[i]
		for {
			run, disturbance, err := p.once(ctx, t.Command)
			if ctx.Err() != nil {
				return fmt.Errorf("stopped after %s", numerals.Count(len(t.Runs), "run"))
			}
			var failed *Failure
			if errors.As(err, &failed) {
				t.Failed = append(t.Failed, failed.Error())
				p.tell(t, i)
				if len(t.Failed) > p.Failures {
					return fmt.Errorf(
						"%s failed %d times, and failed runs are not counted: %w",
						strings.Join(t.Command, " "),
						len(t.Failed),
						failed,
					)
				}
				continue
			}
			if err != nil {
				return err
			}
			if disturbance != "" {
				t.Disturbed = append(t.Disturbed, disturbance)
				if p.Repeat {
					if len(t.Disturbed) > max(p.Runs, p.Most) {
						return fmt.Errorf(
							"%s was disturbed %d times, the last time because %s",
							strings.Join(t.Command, " "),
							len(t.Disturbed),
							disturbance,
						)
					}
					continue
				}
			}
			t.Runs = append(t.Runs, run)
			t.sum()
			p.tell(t, i)
			break
		}
	}
	return nil
}

func (p *Plan) tell(t *Timing, i int) {
	if p.Progress != nil {
		p.Progress(t, i)
	}
}

// once runs a command after its preparation.
func (p *Plan) once(ctx context.Context, command []string) (run Run, disturbance string, err error) {
	if len(p.BeforeEach) > 0 {
		if _, err := execute(ctx, p.BeforeEach, p.Limit); err != nil {
			return run, "", fmt.Errorf("preparing a run: %w", err)
		}
	}
	if p.Drop {
		if err := Drop(); err != nil {
			return run, "", err
		}
	}
	select {
	case <-ctx.Done():
		return run, "", ctx.Err()
	case <-time.After(p.Settle):
	}
	if p.Watch == nil {
		run, err = execute(ctx, command, p.Limit)
		return run, "", err
	}
	seen := p.Watch()
	run, err = execute(ctx, command, p.Limit)
	return run, seen(run.User + run.System), err
}

func (r *Result) precise(within float64) bool {
	return !slices.ContainsFunc(r.Timings, func(t Timing) bool {
		p, ok := measuring.Precision(t.Values("wall"))
		return !ok || p > within+reading.Slack
	})
}

// ratios compares every command with the first.
func (r *Result) ratios() {
	for i := range r.Timings[1:] {
		of, to := r.Timings[i+1].Values("wall"), r.Timings[0].Values("wall")
		all := make([]float64, min(len(of), len(to)))
		for j := range all {
			all[j] = of[j] / to[j]
		}
		least, most := slices.Min(all), slices.Max(all)
		r.Ratios = append(
			r.Ratios, Ratio{Of: i + 1, Pairs: len(all), Least: least, Most: most, Median: reading.Median(all)},
		)
	}
}
