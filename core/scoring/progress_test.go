package scoring

import (
	"testing"

	"dappertally/core/checklist"
)

func TestProgress(t *testing.T) {
	list := &checklist.Checklist{Sections: []checklist.Section{
		{
			Key:    "a",
			Weight: 3,
			Criteria: []checklist.Criterion{
				{Key: "x", Kind: checklist.Grade, Weight: 1},
				{Key: "y", Kind: checklist.Grade, Weight: 3},
			},
		},
		{
			Key:    "b",
			Weight: 1,
			Criteria: []checklist.Criterion{
				{Key: "z", Kind: checklist.Check, Weight: 1},
				{Key: "f", Kind: checklist.Fact, Weight: 0},
			},
		},
	}}
	for _, c := range []struct {
		states map[string]string
		want   float64
	}{
		{nil, 0},
		{map[string]string{"x": "answered"}, 0.75 * 0.25},
		{map[string]string{"x": "answered", "y": "not-tested", "z": "answered"}, 0.75*0.25 + 0.25},
		{map[string]string{"x": "answered", "y": "not-applicable"}, 0.75},
		{map[string]string{"x": "not-applicable", "y": "not-applicable", "z": "answered"}, 1},
		{map[string]string{"x": "not-applicable", "y": "not-applicable", "z": "not-applicable"}, 0},
	} {
		if got := Progress(list, c.states); got < c.want-1e-12 || got > c.want+1e-12 {
			t.Errorf("%v: %v, want %v", c.states, got, c.want)
		}
	}
}
