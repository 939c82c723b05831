package cli

import "testing"

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
