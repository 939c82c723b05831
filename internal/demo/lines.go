package demo

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/quality"
	"dappertally/core/reading"
)

// spot is a measure on a rig.
type spot struct{ criterion, rig string }

// leaps are where a release differed from the one after it by more than the usual drift: the factor to its
// successor's value.
var leaps = map[string]map[spot]float64{
	"kestrelby/3.0/pebbledash":   {{"copy-folder", "bench-old"}: 1.62},
	"mossgate/11/hearthside":     {{"image-size", ""}: 0.64},
	"gullhaven/5.1/hearthside":   {{"memory-idle", "bench-old"}: 0.71, {"memory-idle", "bench-new"}: 0.74},
	"quaymark/21.1/latchwork":    {{"browser-start", "bench-old"}: 1.44},
	"ivybeck/5.4/hearthside":     {{"cold-start", "bench-old"}: 1.38},
	"driftmoor/9.2/awning":       {{"updates-waiting", "bench-new"}: 1.8},
	"bramblewick/6.1/hearthside": {{"install-time", "bench-old"}: 1.35},
}

// lines moves the releases of each edition line close to each other, as they are in reality, newest first, except for
// the leaps.
func (w *world) lines() {
	lines := quality.LinesOf(w.bundle.Distributions)
	for _, d := range w.bundle.Distributions {
		for _, r := range slices.Backward(byDate(d.Releases)) {
			for _, e := range r.Editions {
				key := catalogue.EditionKey(d.Key, r.Version, e.Key)
				if earlier := lines[key]; len(earlier) > 0 {
					w.near(earlier[len(earlier)-1], key)
				}
			}
		}
	}
}

func byDate(releases []catalogue.Release) []catalogue.Release {
	sorted := slices.Clone(releases)
	slices.SortStableFunc(sorted, func(a, b catalogue.Release) int { return strings.Compare(a.Date, b.Date) })
	return sorted
}

// near moves the measures of the earlier edition to within some percent of the later one's.
func (w *world) near(earlier, later string) {
	target, own := w.values(later), w.values(earlier)
	for _, s := range w.list.Sections {
		for _, c := range s.Criteria {
			for _, rig := range []string{"", "bench-new", "bench-old", "bench-vm"} {
				at := spot{c.Key, rig}
				if c.Key == "support-years" || target[at] == 0 || own[at] == 0 {
					continue
				}
				drift := math.Exp(0.06 * w.random.NormFloat64())
				if leap, ok := leaps[earlier][at]; ok {
					drift = leap
				}
				w.scale(earlier, at, target[at]*drift/own[at])
			}
		}
	}
}

// values returns an edition's measures on the second version.
func (w *world) values(edition string) map[spot]float64 {
	values := map[spot]float64{}
	for i := range w.bundle.Reviews {
		r := &w.bundle.Reviews[i]
		for j := range r.Readings {
			x := &r.Readings[j]
			c, ok := w.list.Criterion(x.Criterion)
			at := spot{x.Criterion, x.Rig}
			if r.Edition == edition && ok && c.Kind == checklist.Measure && len(x.Answer.Runs) > 0 &&
				x.Disturbance == "" &&
				(c.Context.Accepts(x.Context) || values[at] == 0) {
				values[at] = reading.Value(x, c)
			}
		}
	}
	return values
}

func (w *world) scale(edition string, at spot, factor float64) {
	for i := range w.bundle.Reviews {
		r := &w.bundle.Reviews[i]
		for j := range r.Readings {
			x := &r.Readings[j]
			if r.Edition != edition || x.Criterion != at.criterion || x.Rig != at.rig {
				continue
			}
			runs := slices.Clone(x.Answer.Runs) // shared with the review that it was carried over from
			for n := range runs {
				runs[n] = rounded(runs[n] * factor)
			}
			x.Answer.Runs = runs
		}
	}
}

// confirmed: a value that surprised was measured by somebody else, and was confirmed.
func (w *world) confirmed() error {
	r, x, err := w.one("kestrelby/3.1/pebbledash", "copy-folder", "bench-old")
	if err != nil {
		return err
	}
	other := "odile"
	if x.Reviewer == other {
		other = "tomas"
	}
	again := *x
	again.Answer.Runs = slices.Clone(x.Answer.Runs)
	slices.Reverse(again.Answer.Runs)
	w.later(r, again, 20*time.Hour, func(y *reading.Reading) {
		y.Reviewer = other
		y.Note = fmt.Sprintf("did not believe it; the same on another day, by %s", other)
	})
	return w.confirmedOtherwise()
}

// confirmedOtherwise: nobody believed how slowly it starts, so it was also measured in another way.
func (w *world) confirmedOtherwise() error {
	r, x, err := w.one("ivybeck/6.0/hearthside", "cold-start", "bench-old")
	if err != nil {
		return err
	}
	again := *x
	again.Answer.Runs = mirrored(x.Answer.Runs)
	w.later(r, again, 26*time.Hour, func(y *reading.Reading) {
		y.Context.Method = "start-log"
		y.Note = "did not believe it; the start-up log, with the seconds before it added by the watch, says the same"
	})
	return nil
}
