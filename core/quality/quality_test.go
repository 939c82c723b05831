package quality_test

import (
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/quality"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

var noon = time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)

// TestAlpha compares with values worked out by hand.
func TestAlpha(t *testing.T) {
	for _, c := range []struct {
		name  string
		units [][]float64
		want  float64
		none  bool
	}{
		{"nothing shared", [][]float64{{5}, {6}}, 0, true},
		{"all alike", [][]float64{{5, 5}, {5, 5}}, 0, true},
		{"full agreement", [][]float64{{2, 2}, {8, 8}}, 1, false},
		// n = 4: observed Σ = 2·1 + 2·1 = 4 over n; expected Σ over ordered pairs of {1,2,3,4} = 40 over n(n−1).
		{"neighbours", [][]float64{{1, 2}, {3, 4}}, 1 - (4.0/4)/(40.0/12), false},
		// Three values in a unit count by the pairs that each makes: (2·(1+1+4))/2 = 6.
		{"three in one unit", [][]float64{{1, 2, 3}, {7, 7}}, 1 - (6.0/5)/(2*(5*112.0-400)/20), false},
	} {
		got := quality.Alpha(c.units)
		if c.none != (got == nil) || (got != nil && math.Abs(*got-c.want) > 1e-12) {
			t.Errorf("%s: %v, want %v (none: %v)", c.name, deref(got), c.want, c.none)
		}
	}
}

func deref(x *float64) any {
	if x == nil {
		return "none"
	}
	return *x
}

// list asks one measure and one grade.
func list() *checklist.Checklist {
	return &checklist.Checklist{
		Key:     "desk",
		Version: 1,
		State:   checklist.InForce,
		Sections: []checklist.Section{{Key: "all", Weight: 1, Criteria: []checklist.Criterion{
			{
				Key:     "start",
				Kind:    checklist.Measure,
				Weight:  1,
				Unit:    "s",
				Better:  "lower",
				Context: checklist.Context{Method: "watch"},
				Runs:    checklist.Runs{Expect: 3},
				Curve:   &checklist.Curve{Shape: checklist.Span, Poor: 100, Ideal: 0},
			},
			{Key: "guide", Kind: checklist.Grade, Weight: 1},
		}}},
	}
}

type said struct {
	reviewer, method string
	runs             []float64
	change           func(*reading.Reading)
}

// review measures start on rig "old".
func review(edition string, says ...said) reading.Review {
	r := reading.Review{ID: edition, Edition: edition, Checklist: "desk@1", State: reading.Accepted, Accepted: &noon}
	for i, s := range says {
		x := reading.Reading{
			ID: fmt.Sprintf(
				"%s-%d", edition, i,
			), Criterion: "start", Reviewer: s.reviewer, Rig: "old", At: noon.Add(time.Duration(i) * time.Minute),
			Context: checklist.Context{Method: s.method}, Answer: reading.Answer{Runs: s.runs},
		}
		if s.change != nil {
			s.change(&x)
		}
		r.Readings = append(r.Readings, x)
	}
	return r
}

func steady(x float64) []float64 { return []float64{x, x, x} }

// catalogue has the line d/1/e, d/2/e and seven other distributions.
func lines() quality.Lines {
	return quality.LinesOf([]catalogue.Distribution{{Key: "d", Releases: []catalogue.Release{
		{Version: "2", Date: "2026-01-01", Editions: []catalogue.Edition{{Key: "e"}}},
		{Version: "1", Date: "2025-01-01", Editions: []catalogue.Edition{{Key: "e"}}},
	}}})
}

func surprises(t *testing.T, reviews ...reading.Review) []quality.Surprise {
	t.Helper()
	table := scoring.Tabulate(scoring.Input{Checklist: list(), Reviews: reviews}, scoring.Options{})
	return quality.Of(table, lines()).Surprises
}

func TestSurpriseAgainstThePreviousRelease(t *testing.T) {
	before := review("d/1/e", said{"ines", "watch", steady(40), nil})
	for _, c := range []struct {
		name      string
		now       []said
		surprises bool
		confirmed string
	}{
		{"a quarter is not more than a quarter", []said{{"ines", "watch", steady(50), nil}}, false, ""},
		{"more than a quarter", []said{{"ines", "watch", steady(51), nil}}, true, ""},
		{"better surprises as well", []said{{"ines", "watch", steady(29), nil}}, true, ""},
		{"another reviewer found the same", []said{{"tomas", "watch", steady(60), nil}, {"ines", "watch", steady(61), nil}}, true, "another reviewer"},
		{"another reviewer found something else", []said{{"tomas", "watch", steady(80), nil}, {"ines", "watch", steady(60), nil}}, true, ""},
		{"another method found the same", []said{{"ines", "log", steady(61), nil}, {"ines", "watch", steady(60), nil}}, true, "another method"},
		{"made again after a restart", []said{{"ines", "watch", steady(61), nil}, {"ines", "watch", steady(60), func(x *reading.Reading) { x.Repeat = true }}}, true, "a restart"},
		{"read twice without a restart", []said{{"ines", "watch", steady(61), nil}, {"ines", "watch", steady(60), nil}}, true, ""},
		{"a disturbed reading confirms nothing", []said{{"tomas", "watch", steady(60), func(x *reading.Reading) { x.Disturbance = "recorder" }}, {"ines", "watch", steady(60), nil}}, true, ""},
	} {
		got := surprises(t, before, review("d/2/e", c.now...))
		if (len(got) == 1) != c.surprises {
			t.Errorf("%s: %+v", c.name, got)
			continue
		}
		if c.surprises && (got[0].Confirmed != c.confirmed || got[0].Previous != "d/1/e" || *got[0].Earlier != 40) {
			t.Errorf("%s: %+v, want it confirmed by %q", c.name, got[0], c.confirmed)
		}
	}
}

func TestSurpriseAgainstTheField(t *testing.T) {
	field := func(last float64, others ...float64) []reading.Review {
		rs := []reading.Review{review("z/1/e", said{"ines", "watch", steady(last), nil})}
		for i, x := range others {
			rs = append(rs, review(fmt.Sprintf("o%d/1/e", i), said{"ines", "watch", steady(x), nil}))
		}
		return rs
	}
	for _, c := range []struct {
		name    string
		reviews []reading.Review
		want    string
	}{
		{"far out among five", field(80, 20, 21, 19, 20.5, 19.5), "z/1/e"},
		{"near the others", field(21, 20, 21, 19, 20.5, 19.5), ""},
		{"four others are too few", field(80, 20, 21, 19, 20.5), ""},
		{"others that do not scatter tell nothing", field(80, 20, 20, 20, 20, 20), ""},
	} {
		var got []string
		for _, s := range surprises(t, c.reviews...) {
			got = append(got, s.Edition)
		}
		if strings.Join(got, " ") != c.want {
			t.Errorf("%s: %v, want %q", c.name, got, c.want)
		}
	}
}

// TestScatterOfWhatDoesNotScore: disturbed and off-context readings are examined too, replaced ones are not.
func TestScatterOfWhatDoesNotScore(t *testing.T) {
	r := review("d/1/e",
		said{"ines", "log", []float64{10, 20}, nil},
		said{"ines", "watch", steady(30), func(x *reading.Reading) { x.Disturbance = "recorder" }},
		said{"ines", "watch", steady(31), nil},
		said{"ines", "watch", steady(32), func(x *reading.Reading) { x.Replaces = "d/1/e-2" }},
	)
	q := quality.Of(
		scoring.Tabulate(scoring.Input{Checklist: list(), Reviews: []reading.Review{r}}, scoring.Options{}), nil,
	)
	if len(q.Readings) != 3 {
		t.Fatalf("%d readings are looked at, want 3: %+v", len(q.Readings), q.Readings)
	}
	if first := q.Readings[0]; !first.Unsteady || !first.TooFew || math.Abs(*first.Spread-1.0/3) > 1e-12 ||
		first.Edition != "d/1/e" {
		t.Errorf("the first: %+v", first)
	}
	if q.Readings[1].Doubtful() {
		t.Errorf("three runs alike: %+v", q.Readings[1])
	}
}

func TestReviewersApart(t *testing.T) {
	grade := func(id, reviewer string, g float64) reading.Reading {
		return reading.Reading{
			ID:        id,
			Criterion: "guide",
			Reviewer:  reviewer,
			At:        noon,
			Answer:    reading.Answer{Grade: &g},
		}
	}
	r := reading.Review{
		ID:        "r",
		Edition:   "d/1/e",
		Checklist: "desk@1",
		State:     reading.Accepted,
		Accepted:  &noon,
		Readings:  []reading.Reading{grade("1", "ines", 9), grade("2", "tomas", 6), grade("3", "odile", 7.5)},
	}
	table := scoring.Tabulate(scoring.Input{Checklist: list(), Reviews: []reading.Review{r}}, scoring.Options{})
	q := quality.Of(table, nil)
	if len(q.Disagreements) != 0 {
		t.Errorf("three grades apart are allowed: %+v", q.Disagreements)
	}
	for i, want := range []float64{9 - 6.75, 0, 6 - 8.25} {
		if l := q.Leniency[i]; math.Abs(l.Shift-want) > 1e-12 || l.Items != 1 {
			t.Errorf("%+v, want %v", l, want)
		}
	}
	r.Readings[0] = grade("1", "ines", 9.5)
	if q := quality.Of(scoring.Tabulate(scoring.Input{Checklist: list(), Reviews: []reading.Review{r}}, scoring.Options{}), nil); len(
		q.Disagreements,
	) != 1 ||
		q.Disagreements[0].Spread != 3.5 {
		t.Errorf("three and a half apart: %+v", q.Disagreements)
	}
}
