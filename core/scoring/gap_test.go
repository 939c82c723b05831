package scoring_test

import (
	"strings"
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// An answer that does not score once counted as an answer in lists of gaps.
func TestGaps(t *testing.T) {
	for _, c := range []struct {
		name  string
		spoil func(*reading.Reading)
		why   string
		fix   string
	}{
		{"it counts", func(*reading.Reading) {}, "", ""},
		{"disturbed", func(x *reading.Reading) { x.Disturbance = "a recorder was running" }, "disturbed: a recorder was running", "without the disturbance"},
		{"another phase", func(x *reading.Reading) { x.Context.Phase = "updated" }, "phase is updated; the scoring rule requires fresh", "phase fresh"},
		{"no phase", func(x *reading.Reading) { x.Context.Phase = "" }, "not stated", "phase fresh"},
		{"no place in the scoring rule", func(x *reading.Reading) { x.Answer.Runs = []float64{-1} }, "no place in the scoring rule", "check the value"},
		{"a bound", func(x *reading.Reading) { x.Bound = "at-most" }, "only a bound", "measure the value itself"},
		{"a rig without weight", func(x *reading.Reading) { x.Rig = "spare" }, "rig spare has weight 0", "a rig that has a weight"},
		{"not tested, with a reason", func(x *reading.Reading) { x.Answer = reading.Answer{NotTested: "no printer"} }, "", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			in := timed(checklist.AsMeasured, map[string]map[string]float64{"a/1/e": {"slow": 30}})
			start := &in.Checklist.Sections[0].Criteria[0]
			start.Context.Phase, start.Curve = "fresh", &checklist.Curve{Shape: checklist.Ratio, Poor: 60, Ideal: 5}
			none := 0.0
			in.Rigs = append(in.Rigs, in.Rigs[0])
			in.Rigs[len(in.Rigs)-1].Key, in.Rigs[len(in.Rigs)-1].Weight = "spare", &none
			for i := range in.Reviews[0].Readings {
				if x := &in.Reviews[0].Readings[i]; x.Criterion == "start" {
					x.Context.Phase = "fresh"
					c.spoil(x)
				}
			}
			gaps := scoring.Tabulate(in, scoring.Options{}).Gaps(0)
			if c.why == "" {
				if len(gaps) != 0 {
					t.Errorf("%+v", gaps)
				}
				return
			}
			if len(gaps) != 1 || gaps[0].Criterion != "start" || !strings.Contains(gaps[0].Why, c.why) ||
				!strings.Contains(gaps[0].Fix, c.fix) {
				t.Errorf("%+v; want why %q and fix %q", gaps, c.why, c.fix)
			}
		})
	}
}
