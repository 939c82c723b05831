package scoring_test

import (
	"math"
	"testing"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

var noon = time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)

func number(x float64) *float64 { return &x }

// bench is a small checklist with one criterion of each scored kind that matters
// here, in two sections.
func bench() *checklist.Checklist {
	return &checklist.Checklist{Key: "desk", Version: 1, State: checklist.InForce, Sections: []checklist.Section{
		{Key: "speed", Weight: 1, Criteria: []checklist.Criterion{
			{
				Key:     "start",
				Kind:    checklist.Measure,
				Weight:  1,
				Better:  "lower",
				Context: checklist.Context{Method: "watch"},
				Curve:   &checklist.Curve{Shape: checklist.Span, Poor: 100, Ideal: 0},
			},
		}},
		{Key: "ease", Weight: 3, Criteria: []checklist.Criterion{
			{Key: "guide", Kind: checklist.Grade, Weight: 1},
			{Key: "printing", Kind: checklist.Check, Weight: 1, Gate: number(60)},
		}},
	}}
}

// said is a reading in short.
type said struct {
	id, criterion, reviewer, rig string
	minutes                      int
	answer                       reading.Answer
	change                       func(*reading.Reading)
}

func review(edition string, says ...said) reading.Review {
	r := reading.Review{ID: edition, Edition: edition, Checklist: "desk@1", State: reading.Accepted, Accepted: &noon}
	for _, s := range says {
		x := reading.Reading{
			ID:        s.id,
			Criterion: s.criterion,
			Reviewer:  s.reviewer,
			Rig:       s.rig,
			At:        noon.Add(time.Duration(s.minutes) * time.Minute),
			Answer:    s.answer,
		}
		if s.criterion == "start" {
			x.Context.Method = "watch"
		}
		if s.change != nil {
			s.change(&x)
		}
		r.Readings = append(r.Readings, x)
	}
	return r
}

func grade(g float64) reading.Answer    { return reading.Answer{Grade: &g} }
func runs(xs ...float64) reading.Answer { return reading.Answer{Runs: xs} }

func TestPointsOfACriterion(t *testing.T) {
	start := func(id string, at int, a reading.Answer, change func(*reading.Reading)) said {
		return said{id, "start", "ines", "old", at, a, change}
	}
	for _, c := range []struct {
		name      string
		criterion string
		says      []said
		state     scoring.State
		points    float64
	}{
		{"median of the runs", "start", []said{start("a", 0, runs(40, 20, 30), nil)}, scoring.Answered, 70},
		{"an adjustment is taken off every run", "start", []said{start("a", 0, runs(40, 20, 30), func(x *reading.Reading) {
			x.Adjustment = &reading.Adjustment{Amount: 10, Reason: "menu"}
		})}, scoring.Answered, 80},
		{"the latest of a reviewer on a rig counts", "start", []said{start("a", 0, runs(40), nil), start("b", 5, runs(10), nil)}, scoring.Answered, 90},
		{"disturbed readings never score", "start", []said{start("a", 0, runs(40), nil), start("b", 5, runs(10), func(x *reading.Reading) { x.Disturbance = "recorder" })}, scoring.Answered, 60},
		{"another method never scores", "start", []said{start("a", 0, runs(40), func(x *reading.Reading) { x.Context.Method = "eye" })}, scoring.NotTested, 0},
		{"replaced readings are out", "start", []said{start("a", 5, runs(40), nil), start("b", 0, runs(10), func(x *reading.Reading) { x.Replaces = "a" })}, scoring.Answered, 90},
		{"a reading is withdrawn by one that says not tested", "start", []said{start("a", 0, runs(40), nil), start("b", 5, reading.Answer{NotTested: "wrong disk"}, func(x *reading.Reading) { x.Replaces = "a" })}, scoring.NotTested, 0},
		{"reviewers' values are averaged before the curve", "start", []said{start("a", 0, runs(40), nil), {"b", "start", "tomas", "old", 0, runs(20), nil}}, scoring.Answered, 70},
		{"rigs are averaged by weight", "start", []said{start("a", 0, runs(40), nil), {"b", "start", "ines", "new", 0, runs(10), nil}}, scoring.Answered, (60 + 3*90) / 4.0},
		{"grades are averaged over reviewers", "guide", []said{{"a", "guide", "ines", "", 0, grade(9), nil}, {"b", "guide", "tomas", "", 0, grade(5), nil}}, scoring.Answered, 70},
		{"not applicable", "guide", []said{{"a", "guide", "ines", "", 0, reading.Answer{NotApplicable: "no desktop"}, nil}}, scoring.NotApplicable, 0},
		{"an answer beats not applicable", "guide", []said{{"a", "guide", "ines", "", 9, reading.Answer{NotApplicable: "no desktop"}, nil}, {"b", "guide", "tomas", "", 0, grade(5), nil}}, scoring.Answered, 50},
	} {
		in := scoring.Input{
			Checklist: bench(),
			Rigs:      []catalogue.Rig{{Key: "old"}, {Key: "new", Weight: number(3)}},
			Reviews:   []reading.Review{review("a/1/e", c.says...)},
		}
		cell := find(t, in, scoring.Options{}, c.criterion)
		if cell.State != c.state {
			t.Errorf("%s: %s, want %s", c.name, cell.State, c.state)
		} else if c.state == scoring.Answered && math.Abs(*cell.Points-c.points) > 1e-9 {
			t.Errorf("%s: %v points, want %v", c.name, *cell.Points, c.points)
		}
	}
}

func find(t *testing.T, in scoring.Input, opts scoring.Options, criterion string) scoring.CriterionScore {
	t.Helper()
	cards, err := scoring.Scorecards(in, opts)
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range cards[0].Criteria {
		if x.Key == criterion {
			return x
		}
	}
	t.Fatalf("no criterion %s", criterion)
	return scoring.CriterionScore{}
}

func TestScorecard(t *testing.T) {
	in := scoring.Input{
		Checklist: bench(),
		Reviews: []reading.Review{
			review(
				"a/1/e",
				said{"a", "start", "ines", "old", 0, runs(20), nil},
				said{"b", "guide", "ines", "", 0, grade(6), nil},
			),
		},
	}
	cards, err := scoring.Scorecards(in, scoring.Options{})
	if err != nil {
		t.Fatal(err)
	}
	c := cards[0]
	for _, x := range []struct {
		name      string
		got, want float64
	}{
		{"overall", *c.Overall, (80 + 3*60) / 4.0},
		{"coverage", c.Coverage, 0.25 + 0.75/2},
		{"low", *c.Low, (80 + 3*30) / 4.0},
		{"high", *c.High, (80 + 3*80) / 4.0},
		{"measured share", c.MeasuredShare, 0.25},
		{"total", *c.Total, 65},
	} {
		if math.Abs(x.got-x.want) > 1e-9 {
			t.Errorf("%s: %v, want %v", x.name, x.got, x.want)
		}
	}
	if len(c.GatesOpen) != 1 || c.GatesOpen[0] != "printing" {
		t.Errorf("gates open: %v", c.GatesOpen)
	}
	sum := 0.0
	for _, x := range c.Criteria {
		sum += x.Weight
	}
	if math.Abs(sum-1) > 1e-9 {
		t.Errorf("effective weights sum to %v", sum)
	}
}

func TestRigsDifferFlagsWhoLacksOne(t *testing.T) {
	both := review(
		"a/1/e",
		said{"a", "start", "ines", "old", 0, runs(20), nil},
		said{"b", "start", "ines", "new", 0, runs(20), nil},
	)
	one := review("b/1/e", said{"c", "start", "ines", "new", 0, runs(20), nil})
	cards, err := scoring.Scorecards(
		scoring.Input{Checklist: bench(), Reviews: []reading.Review{both, one}}, scoring.Options{},
	)
	if err != nil {
		t.Fatal(err)
	}
	if cards[0].RigsDiffer || !cards[1].RigsDiffer {
		t.Errorf("flags: %v, %v", cards[0].RigsDiffer, cards[1].RigsDiffer)
	}
}

func TestDeskTakesTheEditionsPlace(t *testing.T) {
	stands := review("a/1/e", said{"a", "guide", "ines", "", 0, grade(2), nil})
	desk := review("a/1/e", said{"b", "guide", "ines", "", 0, grade(8), nil})
	desk.ID, desk.State, desk.Accepted = "desk", reading.Underway, nil
	in := scoring.Input{Checklist: bench(), Reviews: []reading.Review{stands}}
	table := scoring.Tabulate(in, scoring.Options{}).Desk(desk)
	cards := table.Scorecards(checklist.Audience{})
	if len(cards) != 1 || cards[0].Review != "desk" || *cards[0].Overall != 80 {
		t.Errorf("got %+v", cards)
	}
}

func TestNewest(t *testing.T) {
	lists := []checklist.Checklist{
		{Key: "desk", Version: 1, State: checklist.Retired}, {Key: "desk", Version: 2, State: checklist.InForce},
		{Key: "desk", Version: 3, State: checklist.InForce}, {Key: "desk", Version: 4, State: checklist.Draft},
	}
	for _, c := range []struct{ name, want string }{{"", "desk@3"}, {"desk", "desk@3"}, {"desk@1", "desk@1"}, {"desk@9", ""}, {"lamp", ""}} {
		got, err := scoring.Newest(lists, c.name)
		if (err == nil) != (c.want != "") || (err == nil && got.Name() != c.want) {
			t.Errorf("%q: %v, %v; want %q", c.name, got, err, c.want)
		}
	}
	lists = append(lists, checklist.Checklist{Key: "lamp", Version: 1, State: checklist.InForce})
	if _, err := scoring.Newest(lists, ""); err == nil {
		t.Error("two keys: no error")
	}
}
