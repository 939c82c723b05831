package measuring

import (
	"math"
	"slices"
	"time"

	"dappertally/core/reading"
)

// Sample is one value of a control chart.
type Sample struct {
	At    time.Time `json:"at"`
	Value float64   `json:"value"`
}

// Period is a time in which a rig was outside its band. Until is nil if it still is.
type Period struct {
	From  time.Time  `json:"from"`
	Until *time.Time `json:"until,omitempty"`
}

// Chart shows whether values stayed the same.
type Chart struct {
	Center float64  `json:"center"` // the median
	Low    float64  `json:"low"`    // of the band
	High   float64  `json:"high"`
	Out    []Period `json:"out"`
}

const (
	fewestOfChart = 6
	// bandPerRange turns the median moving range into half the width of the band: three standard deviations of normal
	// values, whose median moving range is 0.954 of one.
	bandPerRange = 3.145
	// leastBand is the least half width, relative to the center: a smaller change is not worth a warning.
	leastBand = 0.01
)

// Control charts samples by time: the band is the median and 3.145 median moving ranges to either side (Wheeler &
// Chambers, Understanding Statistical Process Control, 1992), and at least 1 % of the median. A sample outside begins a
// period that ends with the next one inside. ok is false for fewer than six samples.
func Control(samples []Sample) (c Chart, ok bool) {
	if len(samples) < fewestOfChart {
		return c, false
	}
	samples = slices.Clone(samples)
	slices.SortStableFunc(samples, func(a, b Sample) int { return a.At.Compare(b.At) })
	values := make([]float64, len(samples))
	moved := make([]float64, len(samples)-1)
	for i, s := range samples {
		values[i] = s.Value
		if i > 0 {
			moved[i-1] = math.Abs(s.Value - samples[i-1].Value)
		}
	}
	c.Center = reading.Median(values)
	half := max(bandPerRange*reading.Median(moved), leastBand*math.Abs(c.Center))
	c.Low, c.High, c.Out = c.Center-half, c.Center+half, []Period{}
	out := false
	for _, s := range samples {
		switch beyond := s.Value < c.Low-reading.Slack || s.Value > c.High+reading.Slack; {
		case beyond && !out:
			c.Out = append(c.Out, Period{From: s.At})
			out = true
		case !beyond && out:
			c.Out[len(c.Out)-1].Until = &s.At
			out = false
		}
	}
	return c, true
}

// Within reports whether a moment lies in a period.
func (p *Period) Within(at time.Time) bool {
	return !at.Before(p.From) && (p.Until == nil || at.Before(*p.Until))
}
