package numerals

import (
	"testing"

	"dappertally/core/scoring"
)

// TestFigures formats numbers as the tables of the client and the reports have them.
func TestFigures(t *testing.T) {
	for _, c := range []struct {
		x                            *float64
		value, score, signed, change string
	}{
		{nil, None, None, None, None},
		{new(0.), "0.00", "0.0", "+0.00", "+0.00 %"},
		{new(0.05), "0.0500", "0.1", "+0.0500", "+0.0500 %"},
		{new(-0.05), "-0.0500", "-0.1", "-0.0500", "-0.0500 %"},
		{new(1.005), "1.00", "1.0", "+1.00", "+1.00 %"},
		{new(9.995), "9.99", "10.0", "+9.99", "+9.99 %"},
		{new(26.449), "26.4", "26.4", "+26.4", "+26.4 %"},
		{new(99.95), "100.0", "100.0", "+100.0", "+100.0 %"},
		{new(-131.5), "-132", "-131.5", "-132", "-132 %"},
		{new(1420.), "1420", "1420.0", "+1420", "15.2 times"},
		{new(-1420.), "-1420", "-1420.0", "-1420", "-13.2 times"},
		{new(1.5e-7), "1.5e-07", "0.0", "+1.5e-07", "+1.5e-07 %"},
	} {
		for _, f := range []struct{ of, got, want string }{
			{"value", Value(c.x), c.value}, {"score", Score(c.x), c.score},
			{"signed", Signed(c.x), c.signed}, {"change", Change(c.x), c.change},
		} {
			if f.got != f.want {
				t.Errorf("the %s of %v is %q, want %q", f.of, c.x, f.got, f.want)
			}
		}
	}
	for x, want := range map[float64]string{0: "0 %", 0.005: "1 %", 0.004: "0 %", 1: "100 %", 0.995: "100 %",
		-0.25: "-25 %"} {
		if got := Share(x); got != want {
			t.Errorf("the share %v is %q, want %q", x, got, want)
		}
	}
	for x, want := range map[float64]string{
		0: "0.00", 0.004: "0.00", -0.004: "0.00", 0.005: "+0.01", -0.005: "-0.01", 12.345: "+12.35", -3: "-3.00",
	} {
		if got := Plus(x); got != want {
			t.Errorf("%v points more are %q, want %q", x, got, want)
		}
	}
}

// TestCounts writes places and numbers of things.
func TestCounts(t *testing.T) {
	for n, want := range map[int]string{
		1: "1st", 2: "2nd", 3: "3rd", 4: "4th", 10: "10th", 11: "11th", 12: "12th", 13: "13th", 21: "21st",
		101: "101st", 111: "111th",
		1012: "1012th", 1022: "1022nd",
	} {
		if got := Ordinal(n); got != want {
			t.Errorf("the place %d is %q, want %q", n, got, want)
		}
	}
	for n, want := range map[int]string{0: "0 runs", 1: "1 run", 2: "2 runs"} {
		if got := Count(n, "run"); got != want {
			t.Errorf("%d: %q, want %q", n, got, want)
		}
	}
}

// TestEstimated says how an estimate came about.
func TestEstimated(t *testing.T) {
	for _, c := range []struct {
		x    scoring.Estimate
		unit string
		want string
	}{
		{scoring.Estimate{Rig: "bench-new", Value: 8.4, Shared: 14, Weight: 1}, "s",
			"estimated 8.40 s on bench-new from 14 editions measured on both"},
		{scoring.Estimate{Rig: "bench-new", Value: 8.4, Shared: 1, Weight: 1}, "",
			"estimated 8.40 on bench-new from 1 edition measured on both"},
		{scoring.Estimate{Rig: "vm", Value: 110, Weight: 0}, "s", "estimated 110 s on vm by way of other rigs (weight 0)"},
	} {
		if got := Estimated(c.x, c.unit); got != c.want {
			t.Errorf("%+v: %q, want %q", c.x, got, c.want)
		}
	}
}
