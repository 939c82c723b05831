package demo

import (
	"math"
	"slices"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// subject is an edition to be reviewed.
type subject struct {
	distribution catalogue.Distribution
	release      catalogue.Release
	edition      catalogue.Edition
	quality      []float64 // by section
}

func (s *subject) key() string {
	return catalogue.EditionKey(s.distribution.Key, s.release.Version, s.edition.Key)
}

var reviewers = []string{"tomas", "ines", "odile"}

// review draws a whole review. One that was never accepted is drawn as well, and the stories then change or remove
// it.
func (w *world) review(s *subject, accepted string) {
	day := Day.AddDate(0, 0, -3)
	if accepted != "" {
		day, _ = time.Parse(time.DateOnly, accepted)
	}
	begun := day.AddDate(0, 0, -9).Add(9 * time.Hour)
	r := reading.Review{ID: w.id(begun), Edition: s.key(), Checklist: w.list.Name(), State: reading.Submitted}
	if accepted != "" {
		at := day.Add(10 * time.Hour)
		r.State, r.Accepted = reading.Accepted, &at
	}
	first := w.random.IntN(len(reviewers))
	second := (first + 1 + w.random.IntN(len(reviewers)-1)) % len(reviewers)
	at := begun
	drawn := map[string]float64{}
	for i := range w.list.Sections {
		for j := range w.list.Sections[i].Criteria {
			c := &w.list.Sections[i].Criteria[j]
			if slices.Contains(extraFacts, c.Key) || c.Key == onTrial || c.Key == steadyLoop || w.answered(s, c) {
				continue
			}
			q := w.around(spread(s.quality[i]), 0.1)
			if like, ok := drawn[twins[c.Key]]; ok {
				q = w.around(like, 0.02)
			}
			drawn[c.Key] = q
			for _, reviewer := range w.graders(c, reviewers[first], reviewers[second]) {
				for _, rig := range w.rigs(c) {
					at = at.Add(time.Duration(4+w.random.IntN(40)) * time.Minute)
					received := at.Add(time.Minute)
					r.Readings = append(r.Readings, reading.Reading{
						ID: w.id(
							at,
						), Criterion: c.Key, Reviewer: reviewer, Rig: rig, At: at, Received: &received, Context: c.Context, Answer: w.answer(s, c, q, rig),
					})
				}
			}
		}
		at = at.Add(14 * time.Hour)
	}
	w.bundle.Reviews = append(w.bundle.Reviews, r)
}

// onTrial is a criterion without weight yet, with readings only by the clock.
const onTrial = "unpack-folder"

// twins are criteria that measure the same thing as another: an edition that uses little memory at idle uses little
// after an hour.
var twins = map[string]string{"memory-used": "memory-idle", "flight-low": "flight-average"}

// answered reports whether another edition already answers a criterion of wide scope.
func (w *world) answered(s *subject, c *checklist.Criterion) bool {
	key := s.distribution.Key
	switch c.Scope {
	case checklist.ScopeRelease:
		key += "/" + s.release.Version
	case checklist.ScopeDistribution:
	default:
		return false
	}
	known := w.known[c.Key+" "+key]
	w.known[c.Key+" "+key] = true
	return known
}

// around draws a share near q.
func (w *world) around(q, spread float64) float64 {
	return min(max(q+spread*w.random.NormFloat64(), 0.03), 0.98)
}

// graders returns who answers a criterion: often two for judgement.
func (w *world) graders(c *checklist.Criterion, first, second string) []string {
	if w.thorough {
		return []string{first, second}
	}
	if c.Kind == checklist.Grade && w.random.Float64() < 0.6 {
		return []string{first, second}
	}
	return []string{first}
}

// rigs returns where a criterion is tried.
func (w *world) rigs(c *checklist.Criterion) []string {
	switch {
	case c.Key == "cold-start":
		return []string{"bench-new", "bench-old", "bench-vm"}
	case c.Kind == checklist.Measure && c.Context == checklist.Context{}:
		return []string{""}
	case c.Kind == checklist.Measure, c.Key == "suspend":
		return []string{"bench-new", "bench-old"}
	case c.Key == "wireless":
		return []string{"bench-new", "bench-old"}
	case c.Key == "printing":
		return []string{"bench-new"}
	}
	return []string{""}
}

// pace is the factor of a rig on a measure.
var pace = map[string]float64{"bench-new": 0.12, "bench-old": -0.13, "bench-vm": -0.04}

func (w *world) answer(s *subject, c *checklist.Criterion, q float64, rig string) reading.Answer {
	switch c.Kind {
	case checklist.Grade:
		g := math.Round(20*w.around(q, 0.04)) / 2
		return reading.Answer{Grade: &g}
	case checklist.Check:
		return w.check(s, c, q)
	case checklist.Level:
		at := int(w.around(q+0.12, 0.08) * float64(len(c.Levels)))
		return reading.Answer{Level: c.Levels[min(at, len(c.Levels)-1)].Key}
	case checklist.Count:
		return w.count(c, q)
	case checklist.Fact:
		return reading.Answer{Fact: w.fact(s, c)}
	}
	if c.Key == "support-years" {
		return reading.Answer{Runs: []float64{years(&s.release)}}
	}
	return reading.Answer{Runs: w.runs(c, min(max(q+pace[rig], 0.02), 0.99), rig)}
}

func (w *world) check(s *subject, c *checklist.Criterion, q float64) reading.Answer {
	if c.Key == "release-upgrade" && s.distribution.Model == "rolling" {
		return reading.Answer{NotApplicable: "rolling: there is no release to upgrade to"}
	}
	switch draw := w.around(q+0.15, 0.12); {
	case draw > 0.55 || c.Gate != nil:
		return reading.Answer{Check: reading.Works}
	case draw > 0.4:
		return reading.Answer{Check: reading.Workaround}
	}
	return reading.Answer{Check: reading.Fails}
}

func (w *world) count(c *checklist.Criterion, q float64) reading.Answer {
	if len(c.Items) == 0 {
		n := 20
		k := int(math.Round(float64(n) * w.around(q+0.08, 0.05)))
		return reading.Answer{Count: &reading.Count{K: &k, N: &n}}
	}
	var n reading.Count
	for _, it := range c.Items {
		switch draw := w.random.Float64(); {
		case draw < q:
			n.Worked = append(n.Worked, it.Key)
		case draw < q+0.12:
			n.Workaround = append(n.Workaround, it.Key)
		default:
			n.Failed = append(n.Failed, it.Key)
		}
	}
	return reading.Answer{Count: &n}
}

var installers = map[string]string{"fenbase": "Slipway 4", "wharfbase": "Gangplank 2.3", "heathbase": "Trowel 1.9"}

func (w *world) fact(s *subject, c *checklist.Criterion) *reading.Fact {
	if c.Key == "installer-name" {
		return &reading.Fact{Text: installers[s.distribution.Family[0]]}
	}
	date, _ := time.Parse(time.DateOnly, s.release.Date)
	months := date.Year()*12 + int(date.Month()) - 2024*12
	return &reading.Fact{Text: "6." + itoa(6+months/3) + "." + itoa(w.random.IntN(20))}
}

// years is how long a release is supported; a rolling one counts as three.
func years(r *catalogue.Release) float64 {
	from, _ := time.Parse(time.DateOnly, r.Date)
	end, err := time.Parse(time.DateOnly, r.EndOfSupport)
	if err != nil {
		return 3
	}
	return math.Round(10*end.Sub(from).Hours()/24/365.25) / 10
}

// runs draws the runs of a measure whose value gets about the share q of the points.
func (w *world) runs(c *checklist.Criterion, q float64, rig string) []float64 {
	value := inverse(c, q, rig)
	scatter := 0.3 * c.Tolerance()
	runs := make([]float64, max(c.Runs.Expect, 1))
	for i := range runs {
		runs[i] = rounded(value * (1 + scatter*w.random.NormFloat64()))
	}
	return runs
}

// inverse returns the value that gets the share q of all points.
func inverse(c *checklist.Criterion, q float64, rig string) float64 {
	k := c.Curve
	switch k.Shape {
	case checklist.Ratio:
		return k.Poor * math.Pow(k.Ideal/k.Poor, q)
	case checklist.Span:
		return k.Poor + q*(k.Ideal-k.Poor)
	case checklist.Field:
		base := map[string]float64{"bench-new": 620, "bench-old": 2950}[rig]
		return base * math.Exp(0.35*(0.7-q))
	}
	p := k.Points
	for i := 1; i < len(p); i++ {
		low, high := min(p[i-1][1], p[i][1]), max(p[i-1][1], p[i][1])
		if 100*q >= low && 100*q <= high {
			return p[i-1][0] + (100*q-p[i-1][1])/(p[i][1]-p[i-1][1])*(p[i][0]-p[i-1][0])
		}
	}
	return p[0][0]
}

func rounded(x float64) float64 {
	switch {
	case x >= 200:
		return math.Round(x)
	case x >= 10:
		return math.Round(10*x) / 10
	}
	return math.Round(100*x) / 100
}

// spread widens differences of quality, so that the editions are not all alike.
func spread(q float64) float64 { return 0.6 + 1.3*(q-0.68) }
