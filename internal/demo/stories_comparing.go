package demo

import (
	"slices"

	"dappertally/core/reading"
)

// machineFlip: the order of two editions in one measure depends on the machine.
func (w *world) machineFlip() error {
	for _, on := range []struct {
		rig   string
		times float64
	}{{"bench-new", 0.84}, {"bench-old", 1.19}} {
		_, other, err := w.one("driftmoor/9.3/awning", "photo-batch", on.rig)
		if err != nil {
			return err
		}
		_, x, err := w.one("oakshott/1.8/awning", "photo-batch", on.rig)
		if err != nil {
			return err
		}
		runs := slices.Clone(other.Answer.Runs)
		for i := range runs {
			runs[i] = rounded(runs[i] * on.times)
		}
		x.Answer.Runs = runs
	}
	return nil
}

// worseAndFixed: from one release to the next the screen reader works again, and the printer must be searched for
// anew.
func (w *world) worseAndFixed() error {
	for _, x := range []struct {
		edition, criterion, rig string
		answer                  reading.Answer
	}{
		{"kestrelby/3.0/pebbledash", "screen-reader", "", reading.Answer{Level: "absent"}},
		{"kestrelby/3.1/pebbledash", "screen-reader", "", reading.Answer{Level: "from-login"}},
		{"kestrelby/3.0/pebbledash", "printing", "bench-new", reading.Answer{Check: reading.Works}},
		{"kestrelby/3.1/pebbledash", "printing", "bench-new", reading.Answer{Check: reading.Workaround}},
	} {
		_, found, err := w.one(x.edition, x.criterion, x.rig)
		if err != nil {
			return err
		}
		found.Answer = x.answer
	}
	return nil
}
