package reading

import (
	"fmt"
	"iter"
	"math"
	"slices"
)

// Slot is an interval of a run: the mean and longest time of its frames, in ms.
type Slot struct {
	From    float64 `json:"from"` // seconds since the start of the run
	Frames  int     `json:"frames"`
	Mean    float64 `json:"mean"`
	Longest float64 `json:"longest"`
}

// Course divides a run of the given length, in seconds, into n intervals of equal length. A frame belongs to the
// interval in which it begins; an interval in which none begins is left out.
func Course(times iter.Seq[float64], duration float64, n int) []Slot {
	slots := make([]Slot, n)
	at := 0.0
	for t := range times {
		i := min(int(at/1000/duration*float64(n)), n-1)
		slots[i].Frames++
		slots[i].Mean += t
		slots[i].Longest = max(slots[i].Longest, t)
		at += t
	}
	filled := slots[:0]
	for i, s := range slots {
		if s.Frames > 0 {
			s.From, s.Mean = duration*float64(i)/float64(n), s.Mean/float64(s.Frames)
			filled = append(filled, s)
		}
	}
	return filled
}

// DoubtFrames describes what makes a run's figures doubtful: a cap on the rate, pauses, too few frames for a low, or
// a unit that cannot be right.
func DoubtFrames(times iter.Seq[float64], f *Frames) []string {
	var warnings []string
	if f.Average > 5000 || f.Average < 0.5 {
		warnings = append(
			warnings,
			fmt.Sprintf(
				"%.4g frames a second on average: check the unit, and whether the column has time stamps", f.Average,
			),
		)
	}
	if f.Count < 1000 {
		warnings = append(warnings, fmt.Sprintf("%d frames: the 0.1 %% low is based on a single one", f.Count))
	}
	if f.Count < 300 {
		warnings = append(warnings, fmt.Sprintf("the 1 %% low is based on %d", tail(f.Count, 1)))
	}
	if cap := capped(times, f); cap > 0 {
		warnings = append(
			warnings,
			fmt.Sprintf("capped at about %.4g frames a second: the average shows the cap, not the machine", cap),
		)
	}
	return append(warnings, pauses(times, f)...)
}

// rates are the refresh rates of screens, in frames per second, and their halves.
var rates = []float64{
	24,
	25,
	30,
	36,
	37.5,
	40,
	45,
	48,
	50,
	60,
	72,
	75,
	80,
	82.5,
	90,
	100,
	120,
	144,
	165,
	180,
	200,
	240,
	280,
	300,
	360,
}

// capped recognizes a run whose rate is limited: hardly any frame takes clearly less time than the others, and most
// take as long as a screen's refresh, or nearly all take the same time. It returns the rate of the cap, or 0.
func capped(times iter.Seq[float64], f *Frames) float64 {
	const enough, near, alike = 100, 0.06, 0.01
	if f.Count < enough {
		return 0
	}
	median := f.Median
	close, same, faster := 0, 0, 0
	for t := range times {
		switch d := math.Abs(t-median) / median; {
		case d <= alike:
			close, same = close+1, same+1
		case d <= near:
			close++
		case t < median:
			faster++
		}
	}
	share := func(n int) float64 { return float64(n) / float64(f.Count) }
	atRate := slices.ContainsFunc(rates, func(r float64) bool { return math.Abs(1000/median-r) <= 0.015*r })
	if share(faster) <= 0.03 && (share(same) >= 0.9 || atRate && share(close) >= 0.7) {
		return 1000 / median
	}
	return 0
}

// pauses returns frames so long that something else happened: loading a scene, or a window in the background.
func pauses(times iter.Seq[float64], f *Frames) []string {
	const long, timesMean = 1000, 30
	n := 0
	for t := range times {
		if t > long && t > timesMean*1000/f.Average {
			n++
		}
	}
	if n == 0 {
		return nil
	}
	return []string{
		fmt.Sprintf(
			"%d frames took over a second, the longest %.3g s: loading or a pause; the lows include them",
			n,
			f.Longest/1000,
		),
	}
}
