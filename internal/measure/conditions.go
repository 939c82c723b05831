package measure

import (
	"fmt"
	"math"
	"runtime"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/internal/numerals"
)

// Conditions is the state of the machine during a run.
type Conditions struct {
	Battery    bool     `json:"battery,omitempty"`
	Governor   string   `json:"governor,omitempty"`
	Capped     float64  `json:"capped,omitempty"`    // the highest frequency allowed, as a share of the highest possible
	Celsius    float64  `json:"celsius,omitempty"`   // the hottest at the end
	Throttled  float64  `json:"throttled,omitempty"` // how often a core was throttled
	Load       float64  `json:"load,omitempty"`      // number of processors that other programs kept busy
	Stalled    float64  `json:"stalled,omitempty"`   // the share of the time in which a task waited for memory
	Swapped    float64  `json:"swapped,omitempty"`   // pages brought back from swap
	FreeMiB    float64  `json:"freeMiB,omitempty"`   // memory available at the end
	DiskMiB    float64  `json:"diskMiB,omitempty"`   // free at the end in the folder of the run
	Stepped    float64  `json:"stepped,omitempty"`   // seconds by which the wall clock was adjusted
	Screen     string   `json:"screen,omitempty"`    // size and refresh rate
	Recorders  []string `json:"recorders,omitempty"` // recorders of the screen that ran
	Installers []string `json:"installers,omitempty"`
	Changed    []string `json:"changed,omitempty"` // what of governor and screen changed during the run
	Noted      []string `json:"noted,omitempty"`   // remarks that do not make the run invalid
}

// between returns what happened from one look to the next, in which the run itself used so much processor time.
func between(a, b look, own float64) Conditions {
	elapsed := b.at.Sub(a.at).Seconds() // by the monotonic clock
	c := Conditions{
		Battery: a.battery || b.battery, Governor: b.governor, Celsius: b.celsius, FreeMiB: math.Round(b.free),
		DiskMiB: math.Round(b.disk), Screen: b.screen,
		Throttled: b.throttled - a.throttled, Swapped: b.swapped - a.swapped,
		Recorders: either(b.recorders, a.recorders), Installers: either(b.installers, a.installers),
		Stepped: rounded(b.at.Round(0).Sub(a.at.Round(0)).Seconds() - elapsed),
	}
	if b.capped > 0 && b.capped < 1 {
		c.Capped = rounded(b.capped)
	}
	for _, x := range []struct{ was, is string }{{a.governor, b.governor}, {a.screen, b.screen}} {
		if x.was != x.is {
			c.Changed = append(c.Changed, x.was+" → "+x.is)
		}
	}
	if elapsed > 0 {
		// The kernel counts in ticks: in a short run, two of them for each processor may belong to the run itself.
		slack := 2 * float64(runtime.NumCPU()) / ticks
		c.Load = rounded(max(0, b.busy-a.busy-own-slack) / elapsed)
		c.Stalled = rounded((b.stalled[1] - a.stalled[1]) / elapsed)
	}
	return c
}

func either(a, b []string) []string {
	if len(a) > 0 {
		return a
	}
	return b
}

func rounded(x float64) float64 { return math.Round(1000*x) / 1000 }

// breaks describes how a rule is broken; empty if it is not, or if the machine does not show the condition.
func (c *Conditions) breaks(r *checklist.Rule) string {
	bound := r.Bound()
	say := func(broken bool, format string, args ...any) string {
		if !broken {
			return ""
		}
		return fmt.Sprintf(format, args...)
	}
	switch r.When {
	case checklist.OnBattery:
		return say(c.Battery, "the machine ran on its battery")
	case checklist.HotMachine:
		return say(c.Celsius > bound, "it was %s °C hot", numerals.Rounded(c.Celsius, 0))
	case checklist.Throttled:
		return say(
			c.Throttled > bound,
			"the processor was slowed down by its heat, %s times",
			numerals.Rounded(c.Throttled, 0),
		)
	case checklist.Capped:
		return say(c.Capped > 0 && c.Capped < bound, "the processor was held at %s %% of its highest frequency",
			numerals.Rounded(100*c.Capped, 0))
	case checklist.Governed:
		return c.changed(c.Governor, "the governor of the frequency changed")
	case checklist.OthersLoad:
		return say(c.Load > bound, "other programs kept %s processors busy", numerals.Rounded(c.Load, 2))
	case checklist.Stalled:
		return say(
			c.Stalled > bound,
			"tasks waited for memory in %s %% of the time",
			numerals.Rounded(100*c.Stalled, 0),
		)
	case checklist.Swapped:
		return say(c.Swapped > bound, "%s pages came back from swap", numerals.Rounded(c.Swapped, 0))
	case checklist.LittleFree:
		return say(
			c.FreeMiB > 0 && c.FreeMiB < bound,
			"only %s MiB of memory were available",
			numerals.Rounded(c.FreeMiB, 0),
		)
	case checklist.LittleDisk:
		return say(
			c.DiskMiB > 0 && c.DiskMiB < bound,
			"only %s MiB of the disk were free",
			numerals.Rounded(c.DiskMiB, 0),
		)
	case checklist.Recorder:
		return say(len(c.Recorders) > 0, "%s ran", strings.Join(c.Recorders, " and "))
	case checklist.Installer:
		return say(len(c.Installers) > 0, "%s ran", strings.Join(c.Installers, " and "))
	case checklist.ClockStep:
		return say(math.Abs(c.Stepped) > bound, "the clock was set by %s s", numerals.Rounded(c.Stepped, 1))
	case checklist.ScreenOther:
		return c.changed(c.Screen, "the screen changed")
	}
	return ""
}

// changed records a value that differs from before.
func (c *Conditions) changed(now, what string) string {
	for _, x := range c.Changed {
		if now != "" && strings.HasSuffix(x, " → "+now) {
			return what + ": " + x
		}
	}
	return ""
}

// judge checks a run against rules: it returns why the run does not count, and why the bench stops, each empty if it
// does not apply. Conditions that are only recorded are added to the remarks.
func (c *Conditions) judge(rules []checklist.Rule) (disturbance, stop string) {
	var spoilt, ends []string
	for i := range rules {
		says := c.breaks(&rules[i])
		switch {
		case says == "":
		case rules[i].Do == checklist.Notice:
			c.Noted = append(c.Noted, says)
		default:
			spoilt = append(spoilt, says)
			if rules[i].Do == checklist.Stop {
				ends = append(ends, says)
			}
		}
	}
	return strings.Join(spoilt, "; "), strings.Join(ends, "; ")
}

// Says summarizes the conditions of several runs in one sentence; empty if nothing is known.
func Says(all []*Conditions) string {
	var parts []string
	low, high := math.Inf(1), 0.0
	load, disk := 0.0, math.Inf(1)
	texts := map[string][]string{} // in the order in which they occurred
	note := func(kind, text string) {
		if text != "" && !slices.Contains(texts[kind], text) {
			texts[kind] = append(texts[kind], text)
		}
	}
	for _, c := range all {
		if c.Celsius > 0 {
			low, high = min(low, c.Celsius), max(high, c.Celsius)
		}
		load = max(load, c.Load)
		if c.DiskMiB > 0 {
			disk = min(disk, c.DiskMiB)
		}
		note("governor", c.Governor)
		note("screen", c.Screen)
		for _, x := range c.Noted {
			note("noted", x)
		}
	}
	add := func(format string, args ...any) { parts = append(parts, fmt.Sprintf(format, args...)) }
	if x := texts["governor"]; x != nil {
		add("governor %s", strings.Join(x, ", then "))
	}
	if high > 0 {
		add("%s to %s °C", numerals.Rounded(low, 0), numerals.Rounded(high, 0))
	}
	if load > 0 {
		add("others kept at most %s processors busy", numerals.Rounded(load, 2))
	}
	if !math.IsInf(disk, 1) {
		add("at least %s GiB of the disk free", numerals.Rounded(disk/1024, 1))
	}
	if x := texts["screen"]; x != nil {
		add("screen %s", strings.Join(x, ", then "))
	}
	parts = append(parts, texts["noted"]...)
	return strings.Join(parts, ", ")
}

// Watcher watches a machine while a command runs, by the default rules.
type Watcher struct {
	Machine Machine
	Seen    []*Conditions // of each run
}

// Watch starts watching, for one run.
func (w *Watcher) Watch() func(own float64) (disturbance string) {
	before := w.Machine.look()
	return func(own float64) string {
		c := between(before, w.Machine.look(), own)
		w.Seen = append(w.Seen, &c)
		disturbance, _ := c.judge((&checklist.Checklist{}).Rules(&checklist.Procedure{}))
		return disturbance
	}
}
