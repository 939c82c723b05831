package quality_test

import (
	"testing"

	"dappertally/core/quality"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// TestUnsteady names a measure whose runs scatter more than it tolerates (a twentieth of
// their median, by half their range), and no other.
func TestUnsteady(t *testing.T) {
	discarded := func(x *reading.Reading) { x.Disturbance = "recorder" }
	for _, c := range []struct {
		name string
		says []said
		want bool
	}{
		{"alike", []said{{"ines", "watch", []float64{40, 40, 40}, nil}}, false},
		{"at the bound", []said{{"ines", "watch", []float64{38, 40, 42}, nil}}, false},
		{"beyond it", []said{{"ines", "watch", []float64{38, 40, 42.1}, nil}}, true},
		{"one run cannot scatter", []said{{"ines", "watch", []float64{40}, nil}}, false},
		{"one wild run of five is an outlier, no scatter", []said{{"ines", "watch", []float64{40, 40, 40, 40, 90}, nil}}, false},
		{"a reading that was disturbed counts for nothing", []said{
			{"ines", "watch", []float64{40, 40, 40}, nil}, {"ines", "watch", []float64{20, 40, 60}, discarded},
		}, false},
	} {
		reviews := []reading.Review{review("d/1/e", c.says...), review("d/2/e", said{"ines", "watch", steady(50), nil})}
		table := scoring.Tabulate(scoring.Input{Checklist: list(), Reviews: reviews}, scoring.Options{})
		got := quality.Unsteady(table, table.Row("d/1/e"))
		if (len(got) == 1) != c.want || c.want && got[0] != "start" {
			t.Errorf("%s: unsteady are %v", c.name, got)
		}
		if other := quality.Unsteady(table, table.Row("d/2/e")); len(other) > 0 {
			t.Errorf("%s: %v of the other edition", c.name, other)
		}
	}
}
