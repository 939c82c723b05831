package frames

import (
	"slices"
	"strings"
	"unicode"
)

// sense is what the numbers of a column are.
type sense int

const (
	times  sense = iota // of each frame
	rates               // frames a second
	stamps              // the time at which each frame was shown
)

// meaning is what a heading says about its column.
type meaning struct {
	sense sense
	unit  string // one of Units; empty if the heading names none
}

var unitWords = map[string]string{
	"s": "s", "sec": "s", "secs": "s", "second": "s", "seconds": "s",
	"ms": "ms", "msec": "ms", "msecs": "ms", "millis": "ms", "millisecond": "ms", "milliseconds": "ms",
	"us": "us", "µs": "us", "μs": "us", "usec": "us", "usecs": "us", "micros": "us", "microsecond": "us", "microseconds": "us",
	"ns": "ns", "nsec": "ns", "nsecs": "ns", "nanos": "ns", "nanosecond": "ns", "nanoseconds": "ns",
}

var (
	rateWords  = []string{"fps", "framerate", "rate", "hz", "hertz"}
	stampWords = []string{"timestamp", "timestamps", "stamp", "elapsed", "clock", "since"}
	timeWords  = []string{"frametime", "frametimes", "frame", "delta", "duration", "dt", "interval", "time", "times"}
)

// meaningOf interprets a heading, such as "Frame time (ms)", "delta_us", "fps" or "timestamp_ns".
func meaningOf(heading string) meaning {
	words := wordsOf(heading)
	var m meaning
	for _, w := range words {
		if unit, ok := unitWords[w]; ok {
			m.unit = unit
		}
	}
	has := func(list []string) bool {
		return slices.ContainsFunc(words, func(w string) bool { return slices.Contains(list, w) })
	}
	perSecond := slices.Contains(words, "frames") && m.unit == "s" // frames/s, frames per second
	switch {
	case has(rateWords) || perSecond:
		return meaning{sense: rates}
	case has(stampWords):
		m.sense = stamps
	}
	return m
}

// timesFrames reports whether a heading without a familiar name still names frame times: a time and its unit.
func timesFrames(heading string) bool {
	m := meaningOf(heading)
	return m.sense == times && m.unit != "" &&
		slices.ContainsFunc(wordsOf(heading), func(w string) bool { return slices.Contains(timeWords, w) })
}

// stampsFrames reports whether a heading names the time at which each frame was shown, and in which unit.
func stampsFrames(heading string) bool {
	m := meaningOf(heading)
	return m.sense == stamps && m.unit != ""
}

// wordsOf splits a heading into words in lower case, also at capital letters.
func wordsOf(heading string) []string {
	var spaced strings.Builder
	var before rune
	for _, r := range heading {
		if unicode.IsUpper(r) && unicode.IsLower(before) {
			spaced.WriteByte(' ')
		}
		spaced.WriteRune(r)
		before = r
	}
	return strings.FieldsFunc(
		strings.ToLower(spaced.String()), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) },
	)
}
