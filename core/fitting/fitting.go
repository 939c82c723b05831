// Package fitting finds the editions that run on a given machine, by the makers' requirements and by measurements,
// and the most similar rig.
package fitting

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/scoring"
)

// Machine describes a machine. A zero or empty field is not known and excludes nothing.
type Machine struct {
	MemoryMiB    int64  `json:"memoryMiB"`
	DiskGiB      int64  `json:"diskGiB"`
	Cores        int    `json:"cores"`
	Processor    string `json:"processor"` // in words
	Graphics     string `json:"graphics"`  // in words
	Architecture string `json:"architecture"`
	Virtual      bool   `json:"virtual"`
}

// Fit is whether an edition runs on a machine.
type Fit struct {
	Edition string   `json:"edition"`
	Fits    bool     `json:"fits"`
	Tight   bool     `json:"tight"`   // it fits with little to spare
	Reasons []string `json:"reasons"` // why it does not fit, what is tight, and what is not known
}

// little is the share of memory or disk below which the rest counts as little.
const little = 0.25

// The surveyed facts that measure memory and disk use.
var (
	memoryFacts = []string{"memory.available", "memory.without-caches", "memory.resident"}
	diskFacts   = []string{"disk.used"}
)

// Of checks every edition of a table. Measured use on the given rig counts if there is any; otherwise the highest use
// measured on any rig. places are by edition.
func Of(t *scoring.Table, places map[string]catalogue.Place, m Machine, rig string) []Fit {
	fits := make([]Fit, 0, len(t.Editions))
	for e, edition := range t.Editions {
		f := &fitter{machine: m, fit: Fit{Edition: edition, Fits: true, Reasons: []string{}}}
		f.stated(places[edition])
		f.measured(t, e, rig)
		fits = append(fits, f.fit)
	}
	return fits
}

type fitter struct {
	machine Machine
	fit     Fit
}

func (f *fitter) say(format string, args ...any) {
	f.fit.Reasons = append(f.fit.Reasons, fmt.Sprintf(format, args...))
}

func (f *fitter) fails(format string, args ...any) {
	f.fit.Fits = false
	f.say(format, args...)
}

func (f *fitter) stated(p catalogue.Place) {
	if p.Edition == nil {
		return
	}
	m, needs := &f.machine, &p.Edition.Needs
	if a := p.Edition.Architecture; a != "" && m.Architecture != "" && !strings.EqualFold(a, m.Architecture) {
		f.fails("it is built for %s", a)
	}
	for _, x := range []struct {
		what, unit  string
		needs, have int64
	}{{"memory", "MiB", needs.MemoryMiB, m.MemoryMiB}, {"disk", "GiB", needs.DiskGiB, m.DiskGiB}} {
		switch {
		case x.have == 0:
		case x.needs == 0:
			f.say("its makers do not state how much %s it needs", x.what)
		case x.needs > x.have:
			f.fails("its makers require %d %s of %s", x.needs, x.unit, x.what)
		}
	}
}

func (f *fitter) measured(t *scoring.Table, e int, rig string) {
	for i, c := range t.Criteria {
		if !c.Measured() {
			continue
		}
		var have float64
		var what, unit string
		switch {
		case slices.Contains(memoryFacts, c.Survey):
			have, what, unit = float64(f.machine.MemoryMiB), "memory", "MiB"
		case slices.Contains(diskFacts, c.Survey):
			have, what, unit = float64(f.machine.DiskGiB), "disk", "GiB"
		}
		factor, known := scale(c.Unit, unit)
		if have == 0 || !known {
			continue
		}
		use, on, ok := t.Most(e, i, rig)
		if !ok {
			continue
		}
		use *= factor
		switch {
		case use > have:
			f.fails("%s: %s %s of %s in use on %s", cmp.Or(c.Title, c.Key), round(use), unit, what, on)
		case use > (1-little)*have:
			f.fit.Tight = true
			f.say(
				"%s: %s of %s %s in use on %s leaves little", cmp.Or(c.Title, c.Key), round(use), round(have), unit, on,
			)
		}
	}
	f.fit.Tight = f.fit.Tight && f.fit.Fits
}

// bytes of the units that memory and disks are measured in.
var bytes = map[string]float64{"MiB": 1 << 20, "GiB": 1 << 30, "MB": 1e6, "GB": 1e9, "KiB": 1 << 10}

// scale is what a value in one unit is multiplied with to be in another.
func scale(from, to string) (factor float64, ok bool) {
	a, known := bytes[from]
	b, asked := bytes[to]
	return a / b, known && asked
}

func round(x float64) string { return strconv.FormatFloat(math.Round(x*10)/10, 'f', -1, 64) }
