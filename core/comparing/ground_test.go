package comparing

import (
	"math"
	"slices"
	"testing"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// TestCommonGround scores two versions' editions by hand on their common ground: guide and help, weighted 3 to 1 in
// the newer version and 1 to 1 in the older one.
func TestCommonGround(t *testing.T) {
	grade := func(key string, weight float64) checklist.Criterion {
		return checklist.Criterion{Key: key, Kind: checklist.Grade, Weight: weight}
	}
	older := &checklist.Checklist{Key: "desk", Version: 1, State: checklist.InForce, Sections: []checklist.Section{
		{
			Key:      "ease",
			Weight:   1,
			Criteria: []checklist.Criterion{grade("guide", 1), grade("help", 1), grade("gone", 5)},
		},
	}}
	newer := &checklist.Checklist{Key: "desk", Version: 2, State: checklist.InForce, Sections: []checklist.Section{
		{Key: "ease", Weight: 1, Criteria: []checklist.Criterion{grade("guide", 3), grade("fresh", 7)}},
		{
			Key:      "rest",
			Weight:   1,
			Criteria: []checklist.Criterion{grade("help", 1), {Key: "kernel", Kind: checklist.Fact}},
		},
	}, Audiences: []checklist.Audience{{Key: "helpful", Sections: map[string]float64{"ease": 0}}}}
	at := time.Date(2026, 5, 1, 0, 0, 0, 0, time.UTC)
	review := func(edition, list string, grades map[string]float64) reading.Review {
		r := reading.Review{ID: edition, Edition: edition, Checklist: list, State: reading.Accepted, Accepted: &at}
		for key, g := range grades {
			r.Readings = append(
				r.Readings,
				reading.Reading{ID: key, Criterion: key, Reviewer: "ines", At: at, Answer: reading.Answer{Grade: &g}},
			)
		}
		return r
	}
	in := scoring.Input{Checklist: newer, Reviews: []reading.Review{
		review("b/1/e", "desk@1", map[string]float64{"guide": 8, "help": 4, "gone": 1}),
		review("a/2/e", "desk@2", map[string]float64{"guide": 6, "help": 9, "fresh": 2}),
		review("c/2/e", "desk@2", map[string]float64{"fresh": 10}),
	}}
	for _, c := range []struct {
		audience string
		want     []float64 // −1 is none
	}{{"", []float64{(80 + 40) / 2, (60 + 90) / 2, -1}}, {"helpful", []float64{40, 90, -1}}} {
		g, err := CommonGround(in, older, newer, scoring.Options{Audience: c.audience})
		if err != nil {
			t.Fatal(err)
		}
		if !slices.Equal(g.Criteria, []string{"guide", "help"}) {
			t.Errorf("common are %v", g.Criteria)
		}
		for i, edition := range []string{"b/1/e", "a/2/e", "c/2/e"} {
			s := g.Scores[i]
			if s.Edition != edition || (s.Score == nil) != (c.want[i] < 0) ||
				(s.Score != nil && math.Abs(*s.Score-c.want[i]) > 1e-9) {
				t.Errorf("for %q: %+v, want %s with %v", c.audience, s, edition, c.want[i])
			}
		}
	}
	if _, err := CommonGround(in, older, newer, scoring.Options{Audience: "nobody"}); err == nil {
		t.Error("an unknown audience is no error")
	}
}
