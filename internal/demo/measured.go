package demo

import (
	"fmt"
	"math"
	"slices"
	"time"

	"dappertally/core/reading"
)

// steadyLoop is the reference of the rigs: it has no weight, and its readings come from sessions of dtally measure.
const steadyLoop = "steady-loop"

// measured adds results of dtally measure: the reference of both laptops in every review, with the old one slower in
// the summer until somebody cleaned its fan; runs over several starts, and over one; a run that heat had slowed down
// and that was repeated.
func (w *world) measured() error {
	w.sessions("bench-old", 8.42, func(at time.Time) float64 {
		if at.Month() == time.June && at.Day() >= 10 || at.Month() == time.July {
			return 1.055
		}
		return 1
	})
	w.sessions("bench-new", 3.61, func(time.Time) float64 { return 1 })
	for _, of := range []struct {
		edition, criterion, rig, says string
		boots                         []int // runs of each start
	}{
		{"gullhaven/5.2/hearthside", "photo-batch", "bench-new", "governor powersave, 48 to 66 °C", []int{2, 1, 1, 1}},
		{"bramblewick/7.0/hearthside", "photo-batch", "bench-new", "governor powersave, 47 to 63 °C", []int{2, 1, 1, 1}},
		{"mossgate/12/hearthside", "photo-batch", "bench-new", "governor performance, 51 to 70 °C", []int{5}},
		{
			"kestrelby/3.1/pebbledash", "copy-folder", "bench-old", "1 run disturbed and repeated (the processor was slowed " +
				"down by its heat, 4 times); governor powersave, 71 to 92 °C, it was 92 °C hot", []int{2, 1, 1, 1},
		},
	} {
		r, first, err := w.one(of.edition, of.criterion, of.rig)
		if err != nil {
			return err
		}
		var boots []reading.Boot // all were measured in the same starts
		for _, runs := range of.boots {
			boots = append(boots, reading.Boot{ID: w.id(first.At), Runs: runs})
		}
		starts := fmt.Sprintf("%d runs over %d starts of the machine", len(first.Answer.Runs), len(of.boots))
		if len(of.boots) == 1 {
			starts = fmt.Sprintf("%d runs within one start of the machine", len(first.Answer.Runs))
		}
		for i := range r.Readings {
			x := &r.Readings[i]
			if x.Criterion == of.criterion && x.Rig == of.rig && len(x.Answer.Runs) == len(first.Answer.Runs) {
				x.Boots, x.Note = boots, "measured by its procedure: "+starts+"; "+of.says
			}
		}
	}
	return w.recorded()
}

// recorded: a time by stopwatch seemed short, and was read again from a recording of the screen, which confirmed it.
func (w *world) recorded() error {
	r, x, err := w.one("mossgate/12/hearthside", "browser-start", "bench-new")
	if err != nil {
		return err
	}
	w.later(r, *x, 3*time.Hour, func(y *reading.Reading) {
		y.Context.Method = "recording"
		y.Answer.Runs = nil
		for _, run := range x.Answer.Runs[:3] {
			y.Answer.Runs = append(y.Answer.Runs, math.Round(30*run)/30)
		}
		for i, run := range y.Answer.Runs {
			y.Answer.Runs[i] = math.Round(1000*run) / 1000
		}
		y.Note = "timed from a recording: frames 41 to 103 of browser-window.webm, and two more; a frame lasts 33.3 ms"
	})
	return nil
}

// sessions adds a session of the reference on a rig to the beginning of every review that was made on it. change is
// the state of the machine at that time.
func (w *world) sessions(rig string, value float64, change func(at time.Time) float64) {
	for i := range w.bundle.Reviews {
		r := &w.bundle.Reviews[i]
		first := slices.IndexFunc(r.Readings, func(x reading.Reading) bool { return x.Rig == rig })
		if first < 0 || r.Checklist != w.list.Name() {
			continue
		}
		c, _ := w.list.Criterion(steadyLoop)
		x := r.Readings[first]
		at := x.At.Add(-2 * time.Minute)
		received := at.Add(time.Minute)
		s := reading.Reading{
			ID: w.id(
				at,
			), Criterion: c.Key, Reviewer: x.Reviewer, Rig: rig, At: at, Received: &received, Context: c.Context,
			Boots: []reading.Boot{
				{ID: w.id(at), Runs: 6},
			}, Note: "measured by its procedure: 6 runs within one start of the machine",
		}
		session := value * change(at) * (1 + 0.003*w.random.NormFloat64())
		for range 6 {
			s.Answer.Runs = append(s.Answer.Runs, rounded(session*(1+0.002*w.random.NormFloat64())))
		}
		r.Readings = append(r.Readings, s)
	}
}
