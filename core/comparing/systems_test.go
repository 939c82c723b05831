package comparing

import (
	"slices"
	"testing"

	"dappertally/core/reading"
)

func TestTreatmentOf(t *testing.T) {
	state := func(id string, installed, changed []string) reading.System {
		return reading.System{Head: reading.Head{ID: id}, Installed: installed, Changed: changed}
	}
	in := func(states ...string) (out []*reading.Reading) {
		for _, s := range states {
			out = append(out, &reading.Reading{System: s})
		}
		return out
	}
	got := TreatmentOf([]Subject{
		{
			"a/1/x",
			[]reading.System{
				state("s1", []string{"full", "Encrypted"}, nil),
				state("s2", nil, []string{"effects off"}),
			},
			in("s1", ""),
		},
		{"b/1/x", []reading.System{state("s1", []string{"full", "encrypted "}, []string{"swap off"})}, in("s1")},
		{"c/1/x", nil, in("")},
		{
			"e/1/x",
			[]reading.System{
				state("s1", []string{"full", "encrypted"}, nil),
				state("s2", nil, []string{"swap off"}),
				state("s3", nil, []string{"later"}),
			},
			in("s2"),
		}, // s2 goes on from s1
		{
			"d/1/x",
			[]reading.System{state("s1", []string{"minimal"}, nil)},
			in(""),
		}, // no reading names a state: all are meant
	})
	for i, want := range []struct {
		here, base []string
		unknown    bool
	}{
		{[]string{}, []string{}, false},
		{[]string{"swap off"}, []string{}, false},
		{[]string{}, []string{}, true},
		{[]string{"swap off"}, []string{}, false},
		{[]string{"minimal"}, []string{"full", "Encrypted"}, false},
	} {
		x := got[i]
		if !slices.Equal(x.OnlyHere, want.here) || !slices.Equal(x.OnlyBaseline, want.base) ||
			x.Unknown != want.unknown {
			t.Errorf(
				"%s: only here %v, only at the baseline %v, unknown %v; want %+v",
				x.Edition,
				x.OnlyHere,
				x.OnlyBaseline,
				x.Unknown,
				want,
			)
		}
	}
	if len(got[0].Changed) != 0 {
		t.Errorf("a state that no reading names counts: %v", got[0].Changed)
	}
}
