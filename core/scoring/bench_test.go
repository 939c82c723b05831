package scoring_test

import (
	"fmt"
	"testing"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// field makes editions with one reviewer's grades for every criterion.
func field(editions, criteria int) scoring.Input {
	list := &checklist.Checklist{Key: "bench", Version: 1, State: checklist.InForce}
	for s := range 4 {
		section := checklist.Section{Key: fmt.Sprint("s", s), Weight: 25}
		for i := range criteria / 4 {
			section.Criteria = append(section.Criteria, checklist.Criterion{Key: fmt.Sprintf("s%d-%d", s, i), Kind: checklist.Grade, Weight: 1})
		}
		list.Sections = append(list.Sections, section)
	}
	in := scoring.Input{Checklist: list}
	at := time.Date(2026, 5, 1, 0, 0, 0, 0, time.UTC)
	for e := range editions {
		r := reading.Review{ID: fmt.Sprint("r", e), Edition: fmt.Sprintf("d%05d/1/e", e), Checklist: list.Name(), State: reading.Accepted, Accepted: &at}
		for _, s := range list.Sections {
			for i, c := range s.Criteria {
				g := float64((e*7 + i*3) % 11)
				r.Readings = append(r.Readings, reading.Reading{ID: fmt.Sprint(e, c.Key), Criterion: c.Key, Reviewer: "r1", At: at, Answer: reading.Answer{Grade: &g}})
			}
		}
		in.Reviews = append(in.Reviews, r)
	}
	return in
}

func BenchmarkScorecards(b *testing.B) {
	in := field(200, 120)
	for b.Loop() {
		if _, err := scoring.Scorecards(in, scoring.Options{}); err != nil {
			b.Fatal(err)
		}
	}
	b.ReportMetric(float64(200*120*b.N)/b.Elapsed().Seconds(), "readings/s")
}
