package measuring

import (
	"math"
	"math/rand/v2"
	"testing"
	"time"
)

func samples(values ...float64) []Sample {
	day := time.Date(2026, 9, 1, 9, 0, 0, 0, time.UTC)
	var all []Sample
	for i, v := range values {
		all = append(all, Sample{day.AddDate(0, 0, i), v})
	}
	return all
}

// TestControl compares charts with ones worked out by hand.
func TestControl(t *testing.T) {
	if _, ok := Control(samples(1, 2, 3, 4, 5)); ok {
		t.Error("five samples make a chart")
	}
	// Moving ranges 1 1 1 1 1 9 9 1: the median is 1. Values 10 11 10 11 10 11 20 11 10: the median is 11.
	drift := samples(10, 11, 10, 11, 10, 11, 20, 11, 10)
	c, ok := Control(drift)
	if !ok || c.Center != 11 || math.Abs(c.Low-7.855) > 1e-9 || math.Abs(c.High-14.145) > 1e-9 {
		t.Errorf("%+v, %v", c, ok)
	}
	if len(c.Out) != 1 || !c.Out[0].From.Equal(drift[6].At) || !c.Out[0].Until.Equal(drift[7].At) {
		t.Errorf("out of the band: %+v", c.Out)
	}
	p := c.Out[0]
	for at, within := range map[time.Time]bool{
		drift[6].At.Add(-time.Second): false, drift[6].At: true, drift[7].At.Add(-time.Second): true, drift[7].At: false,
	} {
		if p.Within(at) != within {
			t.Errorf("%s is within: %v", at, !within)
		}
	}
	// It stays out, and order does not matter.
	still := samples(5, 5.2, 5.1, 5, 5.1, 5, 5.1, 7, 7.1)
	still[0], still[8] = still[8], still[0]
	if c, _ := Control(still); len(c.Out) != 1 || c.Out[0].Until != nil ||
		!c.Out[0].Within(time.Now().AddDate(9, 0, 0)) {
		t.Errorf("it stays out: %+v", c.Out)
	}
	// Equal values have a band of 1 %.
	if c, _ := Control(samples(5, 5, 5, 5, 5, 5, 5.04)); len(c.Out) != 0 || c.High != 5.05 {
		t.Errorf("equal values: %+v", c)
	}
}

// TestControlIsQuiet: few values that only scatter are outside the band; a change by five deviations nearly always
// is.
func TestControlIsQuiet(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 8))
	quiet, found := 0, 0
	const times = 1000
	for range times {
		values := make([]float64, 30)
		for i := range values {
			values[i] = 100 + 2*random.NormFloat64()
		}
		if c, _ := Control(samples(values...)); len(c.Out) == 0 {
			quiet++
		}
		values[29] = 110 + 2*random.NormFloat64()
		if c, _ := Control(samples(values...)); len(c.Out) > 0 && c.Out[len(c.Out)-1].Until == nil {
			found++
		}
	}
	if quiet < 0.8*times || found < 0.9*times {
		t.Errorf("quiet in %d and found in %d of %d", quiet, found, times)
	}
}
