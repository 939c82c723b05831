package checklist

import (
	"encoding/json"
	"regexp"
	"slices"
	"strings"
)

// Procedure is how a client takes a measure automatically.
type Procedure struct {
	Steps       []Step            `json:"steps"`                 // what is measured, in order; a fact needs no steps
	Before      []Step            `json:"before,omitempty"`      // untimed steps before each run
	Kit         []string          `json:"kit,omitempty"`         // names of test files to put into the folder
	Environment map[string]string `json:"environment,omitempty"` // environment variables in addition to the client's
	Limit       float64           `json:"limit,omitempty"`       // time limit of a run in seconds; 0: an hour
	Needs       []Need            `json:"needs,omitempty"`
	Read        Read              `json:"read"`
	Sampling    Sampling          `json:"sampling,omitzero"`
	Conditions  []Rule            `json:"conditions,omitempty"` // override the checklist's rules for the same conditions
}

// Step is one command. It runs in a scratch folder, which holds only the test files at first.
type Step struct {
	Run   []string `json:"run,omitempty"`   // a program and its arguments; either this
	Shell string   `json:"shell,omitempty"` // or a line for the shell
}

// String returns the step as it would be typed.
func (s Step) String() string {
	if s.Shell != "" {
		return s.Shell
	}
	return strings.Join(s.Run, " ")
}

// Need is something that a procedure requires.
type Need string

// The needs.
const (
	NeedsRoot     Need = "root"
	NeedsGraphics Need = "graphics" // a graphical session
	NeedsNetwork  Need = "network"
)

// Figure is what is read from a run.
type Figure string

// The figures. Times are in seconds, memory in MiB, energy in joules.
const (
	WallTime   Figure = "wall"
	UserTime   Figure = "user"
	SystemTime Figure = "system"
	PeakMemory Figure = "peak"
	Energy     Figure = "energy"  // of the processor, by the kernel's powercap counters
	LastNumber Figure = "last"    // the last number printed
	ByPattern  Figure = "pattern" // the last number that the pattern's group matches
	ByPointer  Figure = "pointer" // the number at a JSON pointer
	FromSurvey Figure = "fact"    // a fact of dtally survey, such as the start-up log of this boot
	FromFrames Figure = "frames"  // a statistic of a log of frame times
	WindowTime Figure = "window"  // time until a window of the last step appears, which then is ended; X11 or Xwayland
)

// Figures lists all figures, in the order of display.
var Figures = []Figure{
	WallTime, UserTime, SystemTime, PeakMemory, Energy, LastNumber, ByPattern, ByPointer, FromSurvey, FromFrames,
	WindowTime,
}

// FrameStatistics names the statistics of a frame log: the average rate, and the rate of the slowest 1 and 0.1 % of
// frames by two methods that are not comparable.
var FrameStatistics = []string{"average", "low-1-tail", "low-1-percentile", "low-0.1-tail", "low-0.1-percentile"}

// Printed reports whether a figure is a number read from the output.
func (f Figure) Printed() bool { return f == LastNumber || f == ByPattern || f == ByPointer }

// FromFile reports whether a figure is read from the standard output or a file.
func (f Figure) FromFile() bool { return f.Printed() || f == FromFrames }

// Unit returns the unit of a figure; empty if the procedure or else the criterion defines it.
func (f Figure) Unit() string {
	switch f {
	case WallTime, UserTime, SystemTime, WindowTime:
		return "s"
	case FromFrames:
		return "frames/s"
	case PeakMemory:
		return "MiB"
	case Energy:
		return "J"
	case LastNumber, ByPattern, ByPointer, FromSurvey:
	}
	return ""
}

// Read is what is read from a run.
type Read struct {
	Figure  Figure `json:"figure"`
	Pattern string `json:"pattern,omitempty"` // a regular expression (RE2) with one group
	Pointer string `json:"pointer,omitempty"` // RFC 6901
	Fact    string `json:"fact,omitempty"`    // key of a surveyed fact
	Frames  string `json:"frames,omitempty"`  // one of FrameStatistics
	Column  string `json:"column,omitempty"`  // format of the frame log; empty: recognized automatically
	File    string `json:"file,omitempty"`    // file in the folder that holds the output; empty: the standard output
	Unit    string `json:"unit,omitempty"`    // unit of a printed figure; empty: the criterion's
}

// Sampling is how often a procedure runs.
type Sampling struct {
	Least     int      `json:"least,omitempty"`     // minimum number of runs
	Most      int      `json:"most,omitempty"`      // maximum number of runs
	Precision *float64 `json:"precision,omitempty"` // half the width of the median's 95 % interval, relative
	Discard   int      `json:"discard,omitempty"`   // runs to discard at the beginning
	Boots     int      `json:"boots,omitempty"`     // starts of the machine over which the runs are spread
	Caches    string   `json:"caches,omitempty"`    // kept (the default), or dropped before each run
	Settle    float64  `json:"settle,omitempty"`    // seconds before each run
}

// What happens to the file caches before a run.
const (
	CachesKept    = "kept"
	CachesDropped = "dropped"
)

// Defaults of a procedure.
const (
	defaultLeast     = 6
	defaultMost      = 30
	defaultPrecision = 0.02
	defaultSettle    = 1
	DefaultLimit     = 3600 // seconds
)

// LeastRuns returns the minimum number of runs: at least as many as the criterion expects.
func (c *Criterion) LeastRuns() int {
	if c.Procedure != nil && c.Procedure.Sampling.Least > 0 {
		return c.Procedure.Sampling.Least
	}
	return max(c.Runs.Expect, defaultLeast)
}

// MostRuns returns the maximum number of runs.
func (c *Criterion) MostRuns() int {
	if c.Procedure != nil && c.Procedure.Sampling.Most > 0 {
		return c.Procedure.Sampling.Most
	}
	return max(c.LeastRuns(), defaultMost)
}

// WantedPrecision returns the wanted relative precision of the median.
func (p *Procedure) WantedPrecision() float64 { return or(p.Sampling.Precision, defaultPrecision) }

// SettleTime returns how many seconds the machine rests before a run.
func (p *Procedure) SettleTime() float64 {
	if p.Sampling.Settle > 0 {
		return p.Sampling.Settle
	}
	return defaultSettle
}

// LimitTime is how long a run may take, in seconds.
func (p *Procedure) LimitTime() float64 {
	if p.Limit > 0 {
		return p.Limit
	}
	return DefaultLimit
}

// Requires reports whether a procedure needs something. Dropping caches needs root; windows need a graphical session.
func (p *Procedure) Requires(n Need) bool {
	return slices.Contains(p.Needs, n) || n == NeedsRoot && p.Sampling.Caches == CachesDropped ||
		n == NeedsGraphics && p.Read.Figure == WindowTime
}

// UnitOf returns the unit of what a procedure reads for a criterion.
func (p *Procedure) UnitOf(c *Criterion) string {
	if unit := p.Read.Figure.Unit(); unit != "" {
		return unit
	}
	if p.Read.Unit != "" {
		return p.Read.Unit
	}
	return c.Unit
}

// String returns the procedure as one line. Different procedures have different lines.
func (p *Procedure) String() string {
	if p == nil {
		return ""
	}
	text, err := json.Marshal(p)
	if err != nil {
		panic(err) // texts, numbers and lists can always be encoded
	}
	return string(text)
}

// Bounds of a procedure.
const (
	mostSteps    = 20
	longestStep  = 4096 // bytes
	mostArgument = 200
	mostRuns     = 1000
	longestRun   = 24 * 3600 // seconds
)

var (
	variable   = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_]*$`)
	plainFile  = regexp.MustCompile(`^[^/\x00]+(/[^/\x00]+)*$`)
	jsonPlaces = regexp.MustCompile(`^(/([^~/]|~[01])*)*$`)
)

// procedure reports the faults of a procedure.
func (v *validator) procedure(c *Criterion) {
	p := c.Procedure
	if p == nil {
		return
	}
	v.In("procedure", func() {
		v.In("steps", func() {
			if len(p.Steps) == 0 && p.Read.Figure != FromSurvey {
				v.Add("needs at least one step")
			}
			v.stepsOf(p.Steps)
		})
		v.In("before", func() { v.stepsOf(p.Before) })
		v.In("kit", func() {
			for i, name := range p.Kit {
				if !slices.ContainsFunc(v.list.Kit, func(f KitFile) bool { return f.Name == name }) {
					v.In(i, func() { v.Add("there is no test file %q", name) })
				}
			}
		})
		v.In("environment", func() {
			for name, value := range p.Environment {
				if !variable.MatchString(name) || strings.ContainsRune(value, 0) {
					v.Field(name, "is not a variable with a value")
				}
			}
		})
		if !(p.Limit >= 0) || p.Limit > longestRun {
			v.Field("limit", "must be between 0 and %d seconds, not %v", longestRun, p.Limit)
		}
		for _, n := range p.Needs {
			if n != NeedsRoot && n != NeedsGraphics && n != NeedsNetwork {
				v.Field("needs", "must be root, graphics or network, not %q", n)
			}
		}
		v.In("read", func() { v.read(&p.Read) })
		v.In("sampling", func() { v.sampling(c) })
		v.In("conditions", func() { v.rules(p.Conditions) })
	})
}

func (v *validator) stepsOf(steps []Step) {
	if len(steps) > mostSteps {
		v.Add("has more than %d steps", mostSteps)
	}
	for i, s := range steps {
		v.In(i, func() {
			switch {
			case (len(s.Run) > 0) == (s.Shell != ""):
				v.Add("needs either run, a program and its arguments, or shell, a line for the shell")
			case len(s.Run) > mostArgument || len(s.String()) > longestStep:
				v.Add("is longer than %d bytes or %d arguments", longestStep, mostArgument)
			case strings.ContainsRune(s.String(), 0) || len(s.Run) > 0 && s.Run[0] == "":
				v.Add("is not a command")
			}
		})
	}
}

func (v *validator) read(r *Read) {
	if !slices.Contains(Figures, r.Figure) {
		v.Field("figure", "must be %s, not %q", oneOf(Figures), r.Figure)
		return
	}
	for _, own := range []struct {
		field, value string
		of           Figure
	}{
		{"pattern", r.Pattern, ByPattern},
		{"pointer", r.Pointer, ByPointer},
		{"fact", r.Fact, FromSurvey},
		{"frames", r.Frames, FromFrames},
	} {
		if (own.value != "") != (r.Figure == own.of) {
			v.Field(own.field, "is required by the figure %s only", own.of)
		}
	}
	if r.Frames != "" && !slices.Contains(FrameStatistics, r.Frames) {
		v.Field("frames", "must be %s, not %.70q", oneOf(FrameStatistics), r.Frames)
	}
	if r.Column != "" && r.Figure != FromFrames {
		v.Field("column", "is only for the figure frames")
	}
	if r.Pattern != "" {
		if x, err := regexp.Compile(r.Pattern); err != nil {
			v.Field("pattern", "is not a regular expression: %v", err)
		} else if x.NumSubexp() != 1 {
			v.Field("pattern", "needs one group, which is the number; it has %d", x.NumSubexp())
		}
	}
	if r.Pointer != "" && !jsonPlaces.MatchString(r.Pointer) {
		v.Field("pointer", "is not a JSON pointer, such as /summary/mean")
	}
	if r.File != "" && !r.Figure.FromFile() {
		v.Field("file", "is only for figures that are printed or logged; %s is measured", r.Figure)
	}
	if r.Unit != "" && !r.Figure.Printed() {
		v.Field("unit", "is only for printed figures; %s has its own unit", r.Figure)
	}
	if r.File != "" && (!plainFile.MatchString(r.File) || slices.Contains(strings.Split(r.File, "/"), "..")) {
		v.Field("file", "must be a file in the folder of the run, without .. in the path")
	}
}

func (v *validator) sampling(c *Criterion) {
	s := c.Procedure.Sampling
	for _, n := range []struct {
		name string
		x    int
	}{{"least", s.Least}, {"most", s.Most}, {"discard", s.Discard}, {"boots", s.Boots}} {
		if n.x < 0 || n.x > mostRuns {
			v.Field(n.name, "must be between 0 and %d, not %d", mostRuns, n.x)
		}
	}
	if s.Most > 0 && s.Most < c.LeastRuns() {
		v.Field("most", "is %d, fewer than the minimum of %d runs", s.Most, c.LeastRuns())
	}
	if s.Boots > c.MostRuns() {
		v.Field("boots", "%d starts of the machine are more than the %d runs", s.Boots, c.MostRuns())
	}
	if p := s.Precision; p != nil && !(*p >= 0.0001 && *p <= 1) {
		v.Field("precision", "must be between 0.0001 and 1 (0.02 is 2 %%), not %v", *p)
	}
	if s.Caches != "" && s.Caches != CachesKept && s.Caches != CachesDropped {
		v.Field("caches", "must be kept or dropped, not %q", s.Caches)
	}
	if !(s.Settle >= 0 && s.Settle <= longestRun) {
		v.Field("settle", "must be between 0 and %d seconds, not %v", longestRun, s.Settle)
	}
}
