package checklist

import (
	"fmt"
	"math"
	"strconv"
)

// Range is the values between two bounds, both inclusive; nil means no bound.
type Range struct {
	Least *float64 `json:"least,omitempty"`
	Most  *float64 `json:"most,omitempty"`
}

// Holds reports whether x lies in the range.
func (r Range) Holds(x float64) bool {
	return (r.Least == nil || x >= *r.Least) && (r.Most == nil || x <= *r.Most)
}

// In writes the range with its unit: "0.001 to 100000 s", "at least 1 MiB".
func (r Range) In(unit string) string {
	if unit != "" {
		unit = " " + unit
	}
	number := func(x *float64) string { return strconv.FormatFloat(*x, 'g', 6, 64) }
	switch {
	case r.Least != nil && r.Most != nil:
		return fmt.Sprintf("%s to %s%s", number(r.Least), number(r.Most), unit)
	case r.Least != nil:
		return "at least " + number(r.Least) + unit
	case r.Most != nil:
		return "at most " + number(r.Most) + unit
	}
	return "any value"
}

// quantity describes the values of a unit: the range of plausible values, and the range outside which a value cannot
// be a measurement.
type quantity struct{ least, most, leastPossible, mostPossible float64 }

// The quantities, in their first unit; other units are scaled to it.
var (
	seconds   = quantity{1e-3, 1e5, 1e-9, 1e7}
	mebibytes = quantity{1e-3, 1e7, 1e-6, 1e10}
	perSecond = quantity{1e-2, 1e4, 1e-4, 1e7} // frames
	throughs  = quantity{1e-3, 1e6, 1e-6, 1e9} // MiB/s
	watts     = quantity{1e-2, 2e3, 1e-6, 1e6}
)

// units are the known units, each with its quantity and its size in the quantity's first unit.
var units = map[string]struct {
	of    quantity
	scale float64
}{
	"s": {
		seconds,
		1,
	}, "ms": {seconds, 1e-3}, "us": {seconds, 1e-6}, "µs": {seconds, 1e-6}, "ns": {seconds, 1e-9}, "min": {seconds, 60}, "h": {seconds, 3600},
	"B": {
		mebibytes,
		1. / (1 << 20),
	}, "KiB": {mebibytes, 1. / 1024}, "MiB": {mebibytes, 1}, "GiB": {mebibytes, 1024}, "TiB": {mebibytes, 1 << 20},
	"kB": {
		mebibytes,
		1e3 / (1 << 20),
	}, "MB": {mebibytes, 1e6 / (1 << 20)}, "GB": {mebibytes, 1e9 / (1 << 20)}, "TB": {mebibytes, 1e12 / (1 << 20)},
	"frames/s": {perSecond, 1}, "fps": {perSecond, 1},
	"MiB/s": {
		throughs,
		1,
	}, "MB/s": {throughs, 1e6 / (1 << 20)}, "GiB/s": {throughs, 1024}, "GB/s": {throughs, 1e9 / (1 << 20)}, "KiB/s": {throughs, 1. / 1024},
	"W": {watts, 1}, "mW": {watts, 1e-3},
}

// For other units and for numbers without one, almost every value is plausible.
const (
	largestNumber  = 1e15
	smallestNumber = 1e-15
)

// PlausibleRange returns the values of a measure that need no confirmation: the range that the criterion names; a
// missing bound comes from the unit.
func (c *Criterion) PlausibleRange() Range {
	r := Range{}
	if u, ok := units[c.Unit]; ok {
		least, most := u.of.least/u.scale, u.of.most/u.scale
		r.Least, r.Most = &least, &most
	}
	if c.Plausible != nil {
		if c.Plausible.Least != nil {
			r.Least = c.Plausible.Least
		}
		if c.Plausible.Most != nil {
			r.Most = c.Plausible.Most
		}
	}
	return r
}

// Possible reports whether a value in a unit can be a measurement at all: no duration is 1e-320 s or 1e9 s.
func Possible(x float64, unit string) bool {
	u, ok := units[unit]
	if !ok {
		return x == 0 || (math.Abs(x) >= smallestNumber && math.Abs(x) <= largestNumber)
	}
	return x >= u.of.leastPossible/u.scale && x <= u.of.mostPossible/u.scale || (x == 0 && u.of != seconds)
}
