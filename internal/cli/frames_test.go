package cli

import (
	"slices"
	"strings"
	"testing"
)

func TestFrameTimes(t *testing.T) {
	for _, c := range []struct {
		name, log, column string
		perUnit           float64
		want              []float64
	}{
		{"by name", "frame,ms\n0,16.6\n1,17\n", "ms", 1, []float64{16.6, 17}},
		{"by name in other letters", "Frame , MS\n0, 16.6 \n", "ms", 1, []float64{16.6}},
		{"by number, with a heading", "frame;ms\n0;16.6\n", "2", 1, []float64{16.6}},
		{"by number, without one", "16.6\n17\n", "1", 1, []float64{16.6, 17}},
		{"tabs and seconds", "t\ta\n1\t0.5\n", "a", 1000, []float64{500}},
		{"Windows line ends", "ms\r\n10\r\n20\r\n", "ms", 1, []float64{10, 20}},
	} {
		got, err := frameTimes(strings.NewReader(c.log), c.column, c.perUnit)
		if err != nil || !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, %v; want %v", c.name, got, err, c.want)
		}
	}
	for _, c := range []struct{ name, log, column, says string }{
		{"an empty log", "", "ms", "no first line"},
		{"no such column", "a,b\n1,2\n", "c", "no column"},
		{"a column beyond the last", "1,2\n", "3", "no column"},
		{"a word", "ms\n10\nfast\n", "ms", "line 3"},
		{"not a number", "ms\nNaN\n", "ms", "above 0"},
		{"below zero", "ms\n-3\n", "ms", "above 0"},
		{"a short line", "a,ms\n1,2\n3\n", "ms", "wrong number of fields"},
	} {
		if got, err := frameTimes(strings.NewReader(c.log), c.column, 1); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v, %v; want an error saying %q", c.name, got, err, c.says)
		}
	}
}

func TestChangedWeights(t *testing.T) {
	old := map[string]float64{"a": 1, "b": 2}
	next, err := changedWeights(old, []string{"b=", "c=3", "a=0"})
	if err != nil || len(next) != 2 || next["a"] != 0 || next["c"] != 3 {
		t.Errorf("%v, %v", next, err)
	}
	if old["a"] != 1 || len(old) != 2 {
		t.Errorf("the old weights were changed: %v", old)
	}
	for _, bad := range []string{"a", "a=x", "=", ""} {
		if next, err := changedWeights(old, []string{bad}); bad != "=" && err == nil {
			t.Errorf("%q gives %v", bad, next)
		}
	}
}

func TestPlaces(t *testing.T) {
	n := func(i int) *int { return &i }
	for _, c := range []struct {
		now, then *int
		want      string
	}{{n(3), n(1), "gains 2"}, {n(1), n(3), "loses 2"}, {n(2), n(2), "same"}, {nil, n(1), "joins the ranking"}, {n(1), nil, "leaves the ranking"}, {nil, nil, ""}} {
		if got := places(c.now, c.then); got != c.want {
			t.Errorf("%q, want %q", got, c.want)
		}
	}
}
