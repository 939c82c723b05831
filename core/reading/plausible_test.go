package reading_test

import (
	"strings"
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/reading"
)

// A time of 1e9 s, or of 1e-320 s, was once recorded without a word.
func TestPlausible(t *testing.T) {
	least, most := 5.0, 120.0
	named := &checklist.Range{Least: &least, Most: &most}
	for _, c := range []struct {
		unit      string
		named     *checklist.Range
		value     float64
		confirmed bool
		says      string
	}{
		{"s", nil, 26.4, false, ""},
		{"s", nil, 1e9, false, "not possible as a measurement"},
		{"s", nil, 1e9, true, "not possible as a measurement"},
		{"s", nil, 1e-320, true, "not possible as a measurement"},
		{"s", nil, 0, true, "not possible as a measurement"},
		{"s", nil, -3, true, "not possible as a measurement"},
		{"s", nil, 2e5, false, "outside the plausible range of 0.001 to 100000 s"},
		{"s", nil, 2e5, true, ""},
		{"ms", nil, 2e5, false, ""},
		{"min", nil, 1e9, true, "not possible as a measurement"},
		{"s", named, 130, false, "of 5 to 120 s; if it is correct, confirm it"},
		{"s", named, 130, true, ""},
		{"s", &checklist.Range{Most: &most}, 0.5, false, ""},
		{"MiB", nil, 780, false, ""},
		{"MiB", nil, 0, false, "outside the plausible range"},
		{"GiB", nil, 1e12, true, "not possible as a measurement"},
		{"frames/s", nil, 60, false, ""},
		{"°C", nil, -40, false, ""},
		{"", nil, 0, false, ""},
		{"points", nil, 1e16, true, "not possible as a measurement"},
	} {
		list := &checklist.Checklist{
			Sections: []checklist.Section{
				{
					Criteria: []checklist.Criterion{
						{Key: "start", Kind: checklist.Measure, Unit: c.unit, Plausible: c.named},
					},
				},
			},
		}
		x := &reading.Reading{Criterion: "start", Answer: reading.Answer{Runs: []float64{c.value}}}
		var book fault.Book
		reading.ValidatePlausible(x, list, c.confirmed, &book)
		got := book.List().Line()
		if (c.says == "") != (got == "") || !strings.Contains(got, c.says) {
			t.Errorf(
				"%v %s, named %v, confirmed %v: %q, want %q", c.value, c.unit, c.named != nil, c.confirmed, got, c.says,
			)
		}
	}
}
