package ranking

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// crowded is a field with few different points, so that there are dead heats and ties, with some criteria not tested
// and gates that some fail.
func crowded(random *rand.Rand, editions int, policy checklist.Policy) *scoring.Columns {
	list := &checklist.Checklist{Key: "crowd", Version: 1, State: checklist.InForce, Policy: policy}
	gate := 20.0
	for s := range 3 {
		section := checklist.Section{Key: fmt.Sprint("s", s), Weight: float64(10 + 10*s)}
		for i := range 4 {
			c := checklist.Criterion{Key: fmt.Sprintf("s%d-%d", s, i), Kind: checklist.Grade, Weight: float64(1 + i)}
			if s+i == 0 {
				c.Gate = &gate
			}
			section.Criteria = append(section.Criteria, c)
		}
		list.Sections = append(list.Sections, section)
	}
	keys := make([]string, editions)
	for e := range keys {
		keys[e] = fmt.Sprintf("d%06d/1/e", e)
	}
	points := scoring.NewColumns(list, keys)
	for e := range keys {
		for i := range 12 {
			switch p := float64(10 * random.IntN(11)); {
			case random.IntN(8) > 0:
				points.Set(e, i, scoring.Answered, p)
			case random.IntN(2) > 0:
				points.Set(e, i, scoring.NotApplicable, 0)
			}
		}
	}
	return points
}

// TestFirst: the first of a ranking are those with which the whole ranking begins.
func TestFirst(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 4))
	margin, coverage := 2.0, 0.7
	for _, policy := range []checklist.Policy{
		{}, {DeadHeat: &margin, Decisive: []string{"s0-0", "s2-1"}, MinCoverage: &coverage},
	} {
		for _, editions := range []int{1, 7, 300, 3000} {
			points := crowded(random, editions, policy)
			for _, a := range []checklist.Audience{
				{}, {Sections: map[string]float64{"s1": 0, "s2": 55.5}}, {Criteria: map[string]float64{"s1-2": 9}},
			} {
				sums := points.Sums(a)
				whole, err := Rank(points, a, By{})
				if err != nil {
					t.Fatal(err)
				}
				for _, most := range []int{1, 10, 200, editions + 1} {
					top := First(sums, a, most)
					want := whole.Ranking[:min(most, len(whole.Ranking))]
					if !slices.Equal(top.Ranking, want) || top.Ranked != len(whole.Ranking) ||
						top.Provisional != len(whole.Provisional) || top.Barred != len(whole.Barred) {
						t.Errorf("%d of %d editions: %+v, want %+v", most, editions, top, want)
					}
				}
			}
		}
	}
}

// TestSumsFollowThePoints: the columns keep sums, but not those of earlier points or other weights.
func TestSumsFollowThePoints(t *testing.T) {
	points := crowded(rand.New(rand.NewPCG(5, 6)), 50, checklist.Policy{})
	audience := checklist.Audience{Sections: map[string]float64{"s1": 70}}
	sums := points.Sums(checklist.Audience{})
	if points.Sums(audience) != sums {
		t.Error("the weights of sections alone have other sums")
	}
	for _, change := range []func() *scoring.Sums{
		func() *scoring.Sums { return points.Sums(checklist.Audience{Criteria: map[string]float64{"s1-2": 9}}) },
		func() *scoring.Sums { points.Set(3, 2, scoring.Answered, 77); return points.Sums(checklist.Audience{}) },
	} {
		if changed := change(); changed == sums {
			t.Error("the sums are those of before")
		}
	}
	want, got := points.Score(audience, false), points.Sums(audience).Covered(audience, 0.8)
	for e := range got {
		if covered := want.Coverage[e] >= 0.8; covered && got[e] != want.Overall[e] || !covered && !math.IsNaN(got[e]) {
			t.Errorf("%s: %v, want %v at a coverage of %v", points.Editions[e], got[e], want.Overall[e], want.Coverage[e])
		}
	}
}

// TestInOrder compares the sort by digits with a comparison sort: spread, equal and odd scores, and scores that
// differ only in their last digits.
func TestInOrder(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 8))
	for name, score := range map[string]func() float64{
		"spread": func() float64 { return 100 * random.Float64() },
		"equal":  func() float64 { return float64(random.IntN(5)) },
		"odd": func() float64 {
			return []float64{
				100 * random.Float64(), 0, math.Copysign(0, -1), -3 * random.Float64(), math.NaN(), math.Inf(1),
			}[random.IntN(6)]
		},
		"close":  func() float64 { return 50 + 1e-12*random.Float64() },
		"crowds": func() float64 { return float64(10*random.IntN(9)) + 1e-12*random.Float64() },
	} {
		f := field{scores: make([]float64, 5000)}
		for e := range f.scores {
			f.scores[e] = score()
			f.order = append(f.order, e)
		}
		want := slices.Clone(f.order)
		f.sort(want, f.scores)
		f.inOrder()
		if !slices.Equal(f.order, want) {
			t.Errorf("%s: the two sorts do not agree", name)
		}
	}
}
