package scoring_test

import (
	"fmt"
	"testing"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// field makes editions with one reading for every criterion: grades, checks and
// measures of three runs on a rig, mixed.
func field(editions, criteria int) scoring.Input {
	list := &checklist.Checklist{Key: "bench", Version: 1, State: checklist.InForce}
	span := &checklist.Curve{Shape: checklist.Span, Poor: 60, Ideal: 5}
	for s := range 4 {
		section := checklist.Section{Key: fmt.Sprint("s", s), Weight: 25}
		for i := range criteria / 4 {
			c := checklist.Criterion{Key: fmt.Sprintf("s%d-%d", s, i), Kind: checklist.Grade, Weight: 1}
			switch i % 4 {
			case 1:
				c.Kind = checklist.Check
			case 2:
				c.Kind, c.Better, c.Curve = checklist.Measure, "lower", span
			}
			section.Criteria = append(section.Criteria, c)
		}
		list.Sections = append(list.Sections, section)
	}
	in := scoring.Input{Checklist: list, Rigs: []catalogue.Rig{{Key: "old"}}}
	at := time.Date(2026, 5, 1, 0, 0, 0, 0, time.UTC)
	for e := range editions {
		r := reading.Review{
			ID:        fmt.Sprint("r", e),
			Edition:   fmt.Sprintf("d%05d/1/e", e),
			Checklist: list.Name(),
			State:     reading.Accepted,
			Accepted:  &at,
		}
		for _, s := range list.Sections {
			for i, c := range s.Criteria {
				x := reading.Reading{ID: fmt.Sprint(e, c.Key), Criterion: c.Key, Reviewer: "r1", At: at}
				switch v := float64((e*7 + i*3) % 11); c.Kind {
				case checklist.Grade:
					x.Answer.Grade = &v
				case checklist.Check:
					x.Answer.Check = reading.Works
				default:
					x.Rig, x.Answer.Runs = "old", []float64{20 + v, 21 + v, 20.5 + v}
				}
				r.Readings = append(r.Readings, x)
			}
		}
		in.Reviews = append(in.Reviews, r)
	}
	return in
}

// BenchmarkScorecards makes scorecards out of raw readings, and reports how that
// compares with walking the readings once and adding their answers up.
func BenchmarkScorecards(b *testing.B) {
	const editions, criteria = 200, 120
	in := field(editions, criteria)
	var making, walking time.Duration
	sum := 0.0
	for b.Loop() {
		start := time.Now()
		if _, err := scoring.Scorecards(in, scoring.Options{}); err != nil {
			b.Fatal(err)
		}
		made := time.Now()
		for i := range in.Reviews {
			for j := range in.Reviews[i].Readings {
				x := &in.Reviews[i].Readings[j]
				sum += float64(len(x.Criterion) + len(x.Answer.Check))
				if x.Answer.Grade != nil {
					sum += *x.Answer.Grade
				}
				for _, run := range x.Answer.Runs {
					sum += run
				}
			}
		}
		making += made.Sub(start)
		walking += time.Since(made)
	}
	if sum == 0 {
		b.Fatal("nothing was added up")
	}
	b.ReportMetric(float64(editions*criteria*b.N)/making.Seconds(), "readings/s")
	b.ReportMetric(float64(making)/float64(walking), "x/plain-pass")
}
