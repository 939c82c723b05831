// Package clock times commands the way a careful person would: warmed up, several
// times, settled between, in turns where there are several.
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
)

// Plan is what is timed and how.
type Plan struct {
	Commands   [][]string
	Discard    int           // runs of each before those that count
	Runs       int           // of each
	Most       int           // of each, where the runs go on until their median is precise
	Precision  float64       // to reach: half the width of the median's 95 % interval, relative; 0: after Runs it ends
	Settle     time.Duration // before each run
	Drop       bool          // the kernel's file caches are dropped before each run
	BeforeEach []string      // run before each run, untimed
	Limit      time.Duration // for one run; 0: none
	Failures   int           // runs of one command that may fail before it is given up
	Watch      Watch         // looks at the machine during each run; nil: nobody does
	Repeat     bool          // disturbed runs do not count and are made again
	// Progress is told after each run that counts or fails, with all so far.
	Progress func(done *Timing, command int)
}

// Watch begins to look at the machine. What it returns ends that, and says why the run was disturbed; empty: it was not.
// It is given the processor time of the run itself, in seconds.
type Watch func() func(own float64) (disturbance string)

// Run is one run that counts.
type Run struct {
	Wall    float64 `json:"wall"`    // seconds, by the clock on the wall
	User    float64 `json:"user"`    // seconds of processor time outside the kernel
	System  float64 `json:"system"`  // seconds inside it
	PeakMiB float64 `json:"peakMiB"` // the most memory that it or a child of it held
}

// Timing is what the runs of one command came to.
type Timing struct {
	Command []string `json:"command"`
	Runs    []Run    `json:"runs"`
	Failed  []string `json:"failed"` // how runs failed; they do not count
	// Disturbed says why runs were disturbed. They count, unless the plan repeats them.
	Disturbed []string `json:"disturbed,omitempty"`
	Median    float64  `json:"median"` // of wall, seconds
	Spread    *float64 `json:"spread"` // of wall, relative; none for one run

	Interval *measuring.Interval `json:"interval,omitempty"` // of the median of wall; none for fewer than six runs
}

// Ratio is how long a command took against the first, pair by pair, so that what
// drifts meanwhile is in both.
type Ratio struct {
	Of     int     `json:"of"` // index of the command
	To     int     `json:"to"`
	Pairs  int     `json:"pairs"`
	Median float64 `json:"median"`
	Least  float64 `json:"least"`
	Most   float64 `json:"most"`
}

// Result is all that was timed.
type Result struct {
	Overhead Overhead `json:"overhead"`
	Timings  []Timing `json:"timings"`
	Ratios   []Ratio  `json:"ratios,omitempty"`
	Precise  bool     `json:"precise"` // whether all reached the precision that was asked for
}

// Values is the runs' figures of one name: wall, user, system or peak.
func (t *Timing) Values(figure string) []float64 {
	values := make([]float64, len(t.Runs))
	for i, r := range t.Runs {
		values[i] = map[string]float64{"wall": r.Wall, "user": r.User, "system": r.System, "peak": r.PeakMiB}[figure]
	}
	return values
}

// Figures are the names that Values knows.
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

// Time carries a plan out. A command that fails too often ends it with an error; the
// result holds what was timed until then.
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
	// A child begins with the memory that this program has by then.
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

// round runs every command once, and one that fails again, so that the pairs stay
// pairs.
func (p *Plan) round(ctx context.Context, result *Result) error {
	for i := range result.Timings {
		t := &result.Timings[i]
		for {
			run, disturbance, err := p.once(ctx, t.Command)
			if ctx.Err() != nil {
				return fmt.Errorf("stopped after %d runs", len(t.Runs))
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

// once runs a command after what has to be done before it.
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
