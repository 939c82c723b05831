package measuring

import (
	"math"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// Design is the number of starts of the machine and of runs in each start.
type Design struct {
	Starts int `json:"starts"`
	Runs   int `json:"runs"` // runs in each start
}

// Costs are the costs of one more start of the machine and of one more run, in the same unit.
type Costs struct {
	Start float64 // restarting, settling, and the discarded runs
	Run   float64
}

// mostOfDesign is the highest number of starts, and of runs, that is proposed.
const mostOfDesign = 100

// Worth proposes the cheapest design that gives the mean to a precision (half the width of its 95 % interval,
// relative to it), by the spread within and between the starts of the machine so far. ok is false if fewer than two
// starts have two runs each, if the mean is 0, or if no design of up to 100 starts is precise enough.
//
// T1², the variance within starts, is the mean of the starts' variances; T2², that between starts, is the variance of
// the starts' means less what T1² contributes to it. The runs of a start are the root of (cost of a start / cost of a
// run) · (T1² / T2²), rounded up (Kalibera & Jones, Rigorous Benchmarking in Reasonable Time, ISMM 2013, section 6).
// Where T2² is not above 0, the starts do not differ, and one is enough.
func Worth(starts [][]float64, costs Costs, precision float64) (d Design, ok bool) {
	var within, means, perRun []float64
	for _, runs := range starts {
		if len(runs) < 2 {
			continue
		}
		within = append(within, stat.Variance(runs, nil))
		means = append(means, stat.Mean(runs, nil))
		perRun = append(perRun, 1/float64(len(runs)))
	}
	if len(means) < 2 || !(precision > 0) || !(costs.Run > 0) || !(costs.Start >= 0) {
		return d, false
	}
	mean := stat.Mean(means, nil)
	t1 := stat.Mean(within, nil)
	t2 := stat.Variance(means, nil) - t1*stat.Mean(perRun, nil)
	wanted := precision * math.Abs(mean)
	if mean == 0 {
		return d, false
	}
	if t2 <= 0 {
		d = Design{Starts: 1}
		d.Runs, ok = enoughFor(wanted, t1)
		return d, ok
	}
	d.Runs = int(min(mostOfDesign, max(1, math.Ceil(math.Sqrt(costs.Start/costs.Run*t1/t2)))))
	d.Starts, ok = enoughFor(wanted, t2+t1/float64(d.Runs))
	return d, ok
}

// enoughFor returns how many independent values with a variance give the mean to half a 95 % interval's width, by
// Student's t.
func enoughFor(halfWidth, variance float64) (n int, ok bool) {
	for n = 2; n <= mostOfDesign; n++ {
		t := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(n - 1)}.Quantile(0.975)
		if t*math.Sqrt(variance/float64(n)) <= halfWidth {
			return n, true
		}
	}
	return 0, false
}
