package scoring_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/ranking"
	"dappertally/core/scoring"
)

// The leader at each moment of a course is the first of the ranking at that moment.
func TestLeads(t *testing.T) {
	random := rand.New(rand.NewPCG(9, 2))
	leads := 0
	for round := range 150 {
		in := anyField(random, 0)
		in.Checklist.Policy.MinCoverage = number([]float64{0.01, 0.5, 0.9}[random.IntN(3)])
		in.Checklist.Policy.DeadHeat = number([]float64{0.01, 2, 10}[random.IntN(3)])
		in.Checklist.Policy.Decisive = [][]string{nil, {"start", "menu"}}[random.IntN(2)]
		in.Checklist.Policy.Balance = number([]float64{1, 0, -1}[random.IntN(3)])
		in.Checklist.Sections[1].Criteria[0].Gate = []*float64{nil, number(30)}[random.IntN(2)]
		const moments = 24
		type stay struct{ review, from, to int }
		var stays []stay
		for e := range 1 + random.IntN(14) { // one after the other of each edition
			for m := random.IntN(moments); m < moments; {
				to := m + 1 + random.IntN(moments-m)
				in.Reviews = append(in.Reviews, anyReview(random, in, e, fmt.Sprintf("r%d-%d", e, m)))
				stays = append(stays, stay{len(in.Reviews) - 1, m, to})
				m = to + random.IntN(3)
			}
		}
		rows := make([]scoring.Stay, len(stays))
		for n, s := range stays {
			rows[n] = scoring.Stay{Row: in.Rows()(in.Reviews[s.review].ID), From: s.from, To: s.to}
		}
		a := checklist.Audience{Sections: map[string]float64{"time": random.Float64()}}
		opts := scoring.Options{RigWeights: map[string]float64{"b": float64(random.IntN(2))}}
		course, ok := scoring.NewCourse(in, opts, rows, moments)
		if !ok {
			t.Fatal("such a field cannot be followed")
		}
		from := random.IntN(moments)
		got, err := ranking.Leads(t.Context(), course, from, moments, a, nil)
		if err != nil {
			t.Fatal(err)
		}
		for m := from; m < moments; m++ {
			then := in
			then.Reviews = nil
			for _, s := range stays {
				if s.from <= m && m < s.to {
					then.Reviews = append(then.Reviews, in.Reviews[s.review])
				}
			}
			r, err := ranking.Rank(scoring.Tabulate(then, opts).Columns(), a, ranking.By{})
			if err != nil {
				t.Fatal(err)
			}
			want := ranking.LeadOf(&r)
			if x := got[m-from]; x.Edition != want.Edition || !slices.Equal(x.Shared, want.Shared) ||
				math.Abs(x.Score-want.Score) > 1e-9 {
				t.Fatalf("round %d, moment %d of %d stays: %+v leads, want %+v", round, m, len(stays), x, want)
			}
			if want.Edition != "" {
				leads++
			}
		}
	}
	if leads < 500 {
		t.Errorf("somebody led at %d moments alone", leads)
	}
}

// Bounds hold at every moment of their range, and are narrow where nothing changes.
func TestBounds(t *testing.T) {
	random := rand.New(rand.NewPCG(4, 4))
	in := anyField(random, 12)
	in.Checklist.Policy.MinCoverage = number(0.01)
	rows := make([]scoring.Stay, len(in.Reviews))
	for n := range rows {
		rows[n] = scoring.Stay{Row: in.Rows()(in.Reviews[n].ID), From: n / 2, To: 8}
	}
	course, ok := scoring.NewCourse(in, scoring.Options{}, rows, 8)
	if _, not := scoring.NewCourse(in, scoring.Options{CommonRigs: true}, rows, 8); !ok || not {
		t.Fatalf("can be followed: %v, and what cannot: %v", ok, not)
	}
	all := course.Stays()
	for from := range 8 {
		for to := from + 1; to <= 8; to++ {
			for n, b := range course.Bounds(from, to, all, checklist.Audience{}) {
				for m := max(from, rows[n].From); m < min(to, rows[n].To); m++ {
					score := course.At(m, []int{n}).Score(checklist.Audience{}, false).Overall[0]
					if score < b.Low || score > b.High {
						t.Errorf("moments %d to %d: stay %d has %v at %d, outside %+v", from, to, n, score, m, b)
					}
					if to-from == 1 && b.High-b.Low > 0.001 && b.Ranked {
						t.Errorf("moment %d: stay %d is bounded by %+v", m, n, b)
					}
				}
			}
		}
	}
}
