package measure

import (
	"fmt"
	"math"
	"runtime"
	"strings"
	"time"

	"dappertally/internal/numerals"
)

// Conditions is how the machine was during a run.
type Conditions struct {
	Battery   bool     `json:"battery,omitempty"`
	Governor  string   `json:"governor,omitempty"`
	Capped    float64  `json:"capped,omitempty"`    // the highest frequency allowed, as a share of the highest possible
	Celsius   float64  `json:"celsius,omitempty"`   // the hottest at the end
	Throttled float64  `json:"throttled,omitempty"` // how often a core was slowed down
	Load      float64  `json:"load,omitempty"`      // of others: processors that they kept busy
	Stalled   float64  `json:"stalled,omitempty"`   // the share of the time in which some task waited for memory
	Swapped   float64  `json:"swapped,omitempty"`   // pages brought back from swap
	FreeMiB   float64  `json:"freeMiB,omitempty"`   // memory available at the end
	Stepped   float64  `json:"stepped,omitempty"`   // seconds that the clock on the wall was set by
	Others    []string `json:"others,omitempty"`    // recorders and installers that ran
}

// Bounds from which on a run counts as disturbed.
const (
	loadOfOthers = 0.15 // of a processor
	stallShare   = 0.05
	clockStep    = 0.1 // seconds
	fewPages     = 256
)

// between is what happened from one look to the next, in which the run itself used so much processor time.
func between(a, b look, own float64) Conditions {
	elapsed := b.at.Sub(a.at).Seconds() // by the monotonic clock
	c := Conditions{
		Battery: a.battery || b.battery, Governor: b.governor, Celsius: b.celsius, FreeMiB: math.Round(b.free),
		Throttled: b.throttled - a.throttled, Swapped: b.swapped - a.swapped, Others: b.others,
		Stepped: rounded(b.at.Round(0).Sub(a.at.Round(0)).Seconds() - elapsed),
	}
	if len(c.Others) == 0 {
		c.Others = a.others
	}
	if b.capped > 0 && b.capped < 1 {
		c.Capped = rounded(b.capped)
	}
	if math.Abs(c.Stepped) < clockStep {
		c.Stepped = 0
	}
	if elapsed > 0 {
		// The kernel counts in ticks: of a short run, two of them for each processor may be the run's own.
		slack := 2 * float64(runtime.NumCPU()) / ticks
		c.Load = rounded(max(0, b.busy-a.busy-own-slack) / elapsed)
		c.Stalled = rounded((b.stalled[1] - a.stalled[1]) / elapsed)
	}
	return c
}

func rounded(x float64) float64 { return math.Round(1000*x) / 1000 }

// Disturbance says what was wrong during a run, so that it does not count; empty: nothing.
func (c *Conditions) Disturbance() string {
	var found []string
	note := func(bad bool, format string, args ...any) {
		if bad {
			found = append(found, fmt.Sprintf(format, args...))
		}
	}
	note(c.Battery, "the machine ran on its battery")
	note(c.Throttled > 0, "the processor was slowed down by its heat, %s times", numerals.Rounded(c.Throttled, 0))
	note(c.Load > loadOfOthers, "other programs kept %s processors busy", numerals.Rounded(c.Load, 2))
	note(c.Stalled > stallShare, "tasks waited for memory in %s %% of the time", numerals.Rounded(100*c.Stalled, 0))
	note(c.Swapped > fewPages, "%s pages came back from swap", numerals.Rounded(c.Swapped, 0))
	note(c.Stepped != 0, "the clock was set by %s s", numerals.Rounded(c.Stepped, 1))
	note(len(c.Others) > 0, "%s ran", strings.Join(c.Others, " and "))
	return strings.Join(found, "; ")
}

// usualRest is how long a machine may take to come to rest before a run where nobody says.
const usualRest = 2 * time.Minute

// atRest reports what keeps a machine from being at rest over a moment; empty: nothing.
func (m Machine) atRest(a, b look) string {
	c := between(a, b, 0)
	c.Battery = false // that does not pass by waiting
	return c.Disturbance()
}
