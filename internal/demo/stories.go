package demo

import (
	"fmt"
	"slices"
	"strconv"
	"time"

	"dappertally/core/reading"
	"dappertally/internal/intake"
)

func itoa(n int) string { return strconv.Itoa(n) }

// stories adds by hand what the drawn readings cannot show.
func (w *world) stories() error {
	for _, tell := range []func() error{
		w.bootMenu, w.recorder, w.twoMethods, w.scatter, w.fourGradesApart, w.failedGate, w.noPrinter, w.hollowOption,
		w.barelyBegun, w.halfDone, w.submitted, w.onlyPlanned, w.newBenchLent, w.machineFlip, w.worseAndFixed,
	} {
		if err := tell(); err != nil {
			return err
		}
	}
	return nil
}

// one returns the reading of a criterion on a rig in an edition's review.
func (w *world) one(edition, criterion, rig string) (*reading.Review, *reading.Reading, error) {
	r, err := w.find(edition)
	if err != nil {
		return nil, nil, err
	}
	i := slices.IndexFunc(r.Readings, func(x reading.Reading) bool { return x.Criterion == criterion && x.Rig == rig })
	if i < 0 {
		return nil, nil, fmt.Errorf("no reading of %s on %q in the review of %s", criterion, rig, edition)
	}
	return r, &r.Readings[i], nil
}

// later adds a copy of a reading, made some time after it.
func (w *world) later(r *reading.Review, x reading.Reading, after time.Duration, change func(*reading.Reading)) {
	x.At = x.At.Add(after)
	received := x.At.Add(time.Minute)
	x.ID, x.Received = w.id(x.At), &received
	change(&x)
	r.Readings = append(r.Readings, x)
}

// bootMenu: the start-up time includes the seconds that a boot menu waits.
func (w *world) bootMenu() error {
	_, x, err := w.one("bramblewick/7.0/hearthside", "cold-start", "bench-old")
	if err != nil {
		return err
	}
	for i := range x.Answer.Runs {
		x.Answer.Runs[i] = rounded(x.Answer.Runs[i] + 4)
	}
	x.Adjustment = &reading.Adjustment{Amount: 4, Reason: "the boot menu waits"}
	return nil
}

// recorder: a screen recorder inflated the memory figure; it was measured again.
func (w *world) recorder() error {
	r, x, err := w.one("kestrelby/3.1/pebbledash", "memory-idle", "bench-new")
	if err != nil {
		return err
	}
	w.later(r, *x, -40*time.Minute, func(y *reading.Reading) {
		y.Answer.Runs = []float64{rounded(x.Answer.Runs[0] * 1.38)}
		y.Disturbance = "a screen recorder was running"
	})
	return nil
}

// twoMethods: the same memory, measured by another method, is another figure.
func (w *world) twoMethods() error {
	r, x, err := w.one("oakshott/1.8/awning", "memory-idle", "bench-old")
	if err != nil {
		return err
	}
	w.later(r, *x, 10*time.Minute, func(y *reading.Reading) {
		y.Context.Method = "memory-resident"
		y.Answer.Runs = []float64{rounded(x.Answer.Runs[0] * 1.7)}
		y.Note = "for comparison with the figure on the makers' page"
	})
	return nil
}

// scatter: runs that scattered were repeated, and confirmed.
func (w *world) scatter() error {
	r, x, err := w.one("mossgate/12/hearthside", "browser-start", "bench-old")
	if err != nil {
		return err
	}
	first := x.ID
	steady := slices.Clone(x.Answer.Runs)
	for i := range x.Answer.Runs {
		x.Answer.Runs[i] = rounded(x.Answer.Runs[i] * (0.85 + 0.12*float64(i)))
	}
	w.later(r, *x, 26*time.Hour, func(y *reading.Reading) {
		y.Answer.Runs, y.Replaces, y.Repeat = steady, first, true
		y.Note = "again after a restart: the disk had been indexing"
	})
	return nil
}

// fourGradesApart: two reviewers disagreed, talked it over, and one graded again.
func (w *world) fourGradesApart() error {
	r, x, err := w.one("eiderloft/2026-04/latchwork", "adapting", "")
	if err != nil {
		return err
	}
	high, low, met := 9.0, 5.0, 7.5
	x.Answer.Grade = &high
	r.Readings = slices.DeleteFunc(
		r.Readings, func(y reading.Reading) bool { return y.Criterion == "adapting" && y.ID != x.ID },
	)
	_, x, err = w.one("eiderloft/2026-04/latchwork", "adapting", "")
	if err != nil {
		return err
	}
	first := *x
	other := "odile"
	if first.Reviewer == other {
		other = "tomas"
	}
	var disagreed string
	w.later(r, first, 3*time.Hour, func(y *reading.Reading) {
		y.Reviewer, y.Answer.Grade, disagreed = other, &low, y.ID
		y.Note = "the layout switch loses its shortcut"
	})
	w.later(r, first, 50*time.Hour, func(y *reading.Reading) {
		y.Reviewer, y.Answer.Grade, y.Replaces = other, &met, disagreed
		y.Note = "discussed: the shortcut comes back after logging in again"
	})
	return nil
}

// failedGate: without wireless the workshop cannot give it away, however good the rest.
func (w *world) failedGate() error {
	for _, rig := range []string{"bench-new", "bench-old"} {
		_, x, err := w.one("thistledown/2.7/pebbledash", "wireless", rig)
		if err != nil {
			return err
		}
		x.Answer = reading.Answer{Check: reading.Fails}
		x.Note = "the firmware has to be fetched over a cable first"
	}
	return nil
}

// noPrinter: the bench with the printer was lent out.
func (w *world) noPrinter() error {
	for _, edition := range []string{"ivybeck/6.0/latchwork", "eiderloft/2026-04/latchwork", "quaymark/22.0/latchwork", "driftmoor/9.3/awning"} {
		_, x, err := w.one(edition, "printing", "bench-new")
		if err != nil {
			return err
		}
		x.Answer = reading.Answer{NotTested: "no printer at hand"}
	}
	return nil
}

// newBenchLent: the newer laptop was away, so an edition was measured only on the others. Its values there are
// estimated from the editions measured on both.
func (w *world) newBenchLent() error {
	r, err := w.find("ivybeck/6.0/hearthside")
	if err != nil {
		return err
	}
	r.Readings = slices.DeleteFunc(r.Readings, func(x reading.Reading) bool {
		return x.Rig == "bench-new" && len(x.Answer.Runs) > 0
	})
	return nil
}

// hollowOption: an installer option claimed to work, and did not.
func (w *world) hollowOption() error {
	_, x, err := w.one("pennyfarrow/4.4/pebbledash", "options-honest", "")
	if err != nil {
		return err
	}
	x.Answer = reading.Answer{
		Count: &reading.Count{
			Worked:     []string{"updates", "autologin", "timezone"},
			Failed:     []string{"drivers"},
			Workaround: []string{"codecs"},
		},
	}
	x.Note = "reports that the extra drivers were set up; none was"
	return nil
}

// barelyBegun: too little of the checklist was answered for a rank.
func (w *world) barelyBegun() error {
	r, err := w.find("cinderfen/2026-05-02/awning")
	if err != nil {
		return err
	}
	for i := range r.Readings {
		switch x := &r.Readings[i]; x.Criterion {
		case "week-of-use",
			"documentation",
			"screen-reader",
			"update-ease",
			"flight-average",
			"flight-low",
			"kernel-build",
			"photo-batch",
			"smoothness",
			"wanted-apps",
			"software-centre":
			x.Answer = reading.Answer{NotTested: "the loan laptop had to go back after three days"}
		}
	}
	return nil
}

// halfDone: a review underway.
func (w *world) halfDone() error {
	r, err := w.find("quaymark/22.1/latchwork")
	if err != nil {
		return err
	}
	r.State = reading.Underway
	r.Readings = slices.DeleteFunc(r.Readings, func(x reading.Reading) bool {
		return x.Criterion == "printing" || x.Criterion == "suspend" || x.Rig == "bench-vm" ||
			x.At.After(r.Readings[0].At.Add(30*time.Hour))
	})
	for i := range r.Readings {
		r.Readings[i].Reviewer = "tomas"
	}
	slices.SortStableFunc(r.Readings, func(a, b reading.Reading) int { return a.At.Compare(b.At) })
	r.Readings = slices.CompactFunc(
		r.Readings, func(a, b reading.Reading) bool { return a.Criterion == b.Criterion && a.Rig == b.Rig },
	)
	w.plans[r.ID] = intake.Plan{Assigned: "tomas", Due: "2026-11-30"}
	return nil
}

// submitted: a review that waits for the lead.
func (w *world) submitted() error {
	r, err := w.find("gullhaven/5.2/hearthside-classroom")
	if err != nil {
		return err
	}
	w.plans[r.ID] = intake.Plan{Assigned: "odile", Due: "2026-11-25"}
	return nil
}

// onlyPlanned: one review is overdue and still empty; the other editions that were drawn without an acceptance have
// no review at all.
func (w *world) onlyPlanned() error {
	const overdue, waiting = "driftmoor/9.3/awning-minimal", "gullhaven/5.2/hearthside-classroom"
	w.bundle.Reviews = slices.DeleteFunc(w.bundle.Reviews, func(r reading.Review) bool {
		return r.State == reading.Submitted && r.Edition != overdue && r.Edition != waiting
	})
	r, err := w.find(overdue)
	if err != nil {
		return err
	}
	r.State, r.Readings = reading.Planned, []reading.Reading{}
	w.plans[r.ID] = intake.Plan{Assigned: "ines", Due: "2026-11-16"}
	return nil
}
