package answers_test

import (
	"math"
	"slices"
	"testing"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/ranking"
	"dappertally/internal/answers"
	"dappertally/internal/problem"
	"dappertally/internal/servicetest"
)

// The leaders and their times are those of the rankings of all moments, one by one.
func TestLeaders(t *testing.T) {
	s, _, _ := servicetest.Loaded(t)
	first, err := s.Answers.Rank(t.Context(), answers.Query{})
	if err != nil {
		t.Fatal(err)
	}
	state := first.State
	for name, q := range map[string]answers.Query{
		"as it is":               {},
		"for an audience":        {Audience: "pensioner"},
		"of an earlier version":  {Checklist: "workshop@1"},
		"by other rig weights":   {RigWeights: map[string]float64{"old-laptop": 0}},
		"of a group":             {Group: catalogue.Group{Attributes: map[string][]string{"desktop": {"Hearthside"}}}},
		"of the newest releases": {Group: catalogue.Group{Newest: true}},
		"on common rigs":         {CommonRigs: true},
	} {
		if len(q.RigWeights) > 0 {
			q.RigWeights = map[string]float64{state.Catalogue.Rigs[0].Key: 0}
		}
		reigns, _, err := s.Answers.Leaders(t.Context(), q)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		led := 0
		for _, at := range state.Moments() {
			asked := q
			asked.At = &at
			r, err := s.Answers.Rank(t.Context(), asked)
			if problem.IsKind(err, problem.NotFound) {
				continue
			}
			if err != nil {
				t.Fatalf("%s, at %v: %v", name, at, err)
			}
			want, got := ranking.LeadOf(&r.Ranking), reignAt(reigns, at)
			if want.Edition == "" && got == nil {
				continue
			}
			if got == nil || got.Edition != want.Edition || !slices.Equal(got.Shared, want.Shared) ||
				(want.Edition != "" && got.Checklist != r.List.Name()) {
				t.Errorf("%s: at %v leads %+v, want %+v", name, at, got, want)
				continue
			}
			if got.To == nil && at.Equal(last(state.Moments())) && math.Abs(got.Score-want.Score) > 1e-9 {
				t.Errorf("%s: the score is %v, want %v", name, got.Score, want.Score)
			}
			led++
		}
		if led == 0 {
			t.Errorf("%s: nobody ever led", name)
		}
	}
}

func last(all []time.Time) time.Time { return all[len(all)-1] }

// reignAt returns the reign at a moment; nil if there is none.
func reignAt(reigns []answers.Reign, at time.Time) *answers.Reign {
	for i := range reigns {
		if r := &reigns[i]; !r.From.After(at) && (r.To == nil || r.To.After(at)) {
			return r
		}
	}
	return nil
}
