package ranking_test

import (
	"fmt"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/ranking"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// Readings give points, points a scorecard for each edition, and scorecards a ranking.
func Example() {
	list := checklist.Checklist{Key: "desk", Version: 1, State: checklist.InForce, Sections: []checklist.Section{
		{Key: "speed", Weight: 1, Criteria: []checklist.Criterion{{
			Key: "cold-start", Kind: checklist.Measure, Weight: 1, Unit: "s", Better: "lower",
			Curve: &checklist.Curve{Shape: checklist.Span, Poor: 60, Ideal: 10},
		}}},
		{Key: "ease", Weight: 3, Criteria: []checklist.Criterion{{Key: "guide", Kind: checklist.Grade, Weight: 1}}},
	}}
	accepted := time.Date(2026, 5, 2, 0, 0, 0, 0, time.UTC)
	review := func(edition string, seconds, grade float64) reading.Review {
		return reading.Review{
			ID: edition, Edition: edition, Checklist: "desk@1", State: reading.Accepted, Accepted: &accepted,
			Readings: []reading.Reading{
				{
					ID:        edition + " 1",
					Criterion: "cold-start",
					Rig:       "bench-old",
					Answer:    reading.Answer{Runs: []float64{seconds}},
				},
				{ID: edition + " 2", Criterion: "guide", Reviewer: "ines", Answer: reading.Answer{Grade: &grade}},
			},
		}
	}
	table := scoring.Tabulate(scoring.Input{Checklist: &list, Reviews: []reading.Review{
		review("mossgate/12/hearthside", 35, 9), review("gullhaven/5.2/hearthside", 10, 7),
	}}, scoring.Options{})
	r, err := ranking.Rank(table.Columns(), checklist.Audience{}, ranking.By{})
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, p := range r.Ranking {
		fmt.Printf("%d. %s %.1f\n", p.Rank, p.Edition, p.Overall)
	}
	// Output:
	// 1. mossgate/12/hearthside 80.0
	// 2. gullhaven/5.2/hearthside 77.5
}
