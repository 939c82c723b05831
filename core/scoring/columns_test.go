package scoring_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// TestColumnsAgreeWithScorecards compares the two ways to compute a score, on checklists and readings drawn at
// random.
func TestColumnsAgreeWithScorecards(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 6))
	for _, balance := range []float64{1, 0, -1, 0.5, -10} {
		for round := range 8 {
			in := drawn(random, 1+random.IntN(40), 1+random.IntN(30), balance)
			table := scoring.Tabulate(in, scoring.Options{})
			audience := checklist.Audience{
				Sections: map[string]float64{"s1": 3},
				Criteria: map[string]float64{"s0-0": 7},
			}
			for _, a := range []checklist.Audience{{}, audience} {
				cards := table.Scorecards(a)
				columns := table.Columns()
				scores := columns.Score(a, true)
				for e, card := range cards {
					at := fmt.Sprintf("balance %v, round %d, %s", balance, round, card.Edition)
					near(t, at+" overall", card.Overall, scores.Overall[e])
					near(t, at+" coverage", &card.Coverage, scores.Coverage[e])
					for s := range card.Sections {
						near(t, at+" "+card.Sections[s].Key, card.Sections[s].Score, scores.Sections[s][e])
					}
					for _, c := range card.Criteria {
						i, _ := columns.Index(c.Key)
						points, answered := columns.Points(i, e)
						if answered != (c.State == scoring.Answered) || (answered && points != *c.Points) ||
							columns.Asked(i, e) != (c.State != scoring.NotApplicable) {
							t.Errorf("%s %s: %v %v, the scorecard says %s", at, c.Key, points, answered, c.State)
						}
					}
				}
			}
		}
	}
}

func near(t *testing.T, what string, want *float64, got float64) {
	t.Helper()
	if (want == nil) != math.IsNaN(got) || (want != nil && math.Abs(*want-got) > 1e-9) {
		t.Errorf("%s: %v by columns", what, got)
	}
}

// drawn is three sections of graded criteria, some answered, some not applicable,
// some never looked at.
func drawn(random *rand.Rand, editions, criteria int, balance float64) scoring.Input {
	list := &checklist.Checklist{
		Key:     "desk",
		Version: 1,
		State:   checklist.InForce,
		Policy:  checklist.Policy{Balance: &balance},
	}
	for s := range 3 {
		section := checklist.Section{Key: fmt.Sprint("s", s), Weight: float64(random.IntN(4))}
		for i := range criteria {
			section.Criteria = append(
				section.Criteria,
				checklist.Criterion{
					Key:    fmt.Sprintf("s%d-%d", s, i),
					Kind:   checklist.Grade,
					Weight: float64(random.IntN(3)),
				},
			)
		}
		list.Sections = append(list.Sections, section)
	}
	list.Sections[0].Weight, list.Sections[0].Criteria[0].Weight = 1, 1
	in := scoring.Input{Checklist: list}
	for e := range editions {
		var says []said
		for _, s := range list.Sections {
			for _, c := range s.Criteria {
				answer := reading.Answer{}
				g := float64(random.IntN(21)) / 2
				switch random.IntN(10) {
				case 0:
					continue
				case 1:
					answer.NotApplicable = "none here"
				case 2:
					answer.NotTested = "no time"
				default:
					answer.Grade = &g
				}
				says = append(says, said{c.Key, c.Key, "ines", "", 0, answer, nil})
			}
		}
		in.Reviews = append(in.Reviews, review(fmt.Sprintf("d%02d/1/e", e), says...))
	}
	return in
}

// TestTraces follows one measure through every reason why a reading does not count.
func TestTraces(t *testing.T) {
	off := func(x *reading.Reading) { x.Context.Method = "eye" }
	in := scoring.Input{Checklist: bench(), Reviews: []reading.Review{review("d/1/e",
		said{"a", "start", "ines", "old", 0, runs(40), nil},
		said{"b", "start", "ines", "old", 1, runs(30), nil},
		said{"c", "start", "ines", "new", 2, runs(10), off},
		said{"d", "start", "ines", "new", 3, runs(12), func(x *reading.Reading) { x.Disturbance = "recorder" }},
		said{"e", "start", "ines", "new", 4, runs(11), nil},
		said{"f", "start", "ines", "new", 5, runs(13), func(x *reading.Reading) { x.Replaces = "e" }},
		said{"g", "start", "tomas", "idle", 6, runs(99), nil},
		said{"h", "start", "tomas", "new", 7, reading.Answer{NotTested: "no time"}, nil},
		said{"i", "start", "odile", "new", 90, runs(14), nil},
	)}}
	zero := 0.0
	at := noon.Add(60 * 60 * 1e9)
	opts := scoring.Options{At: &at, RigWeights: map[string]float64{"idle": zero}}
	table := scoring.Tabulate(in, opts)
	traces, err := table.Traces("d/1/e")
	if err != nil {
		t.Fatal(err)
	}
	got := map[string]string{}
	for _, x := range traces[0].Readings {
		got[x.Reading.ID] = x.Why
		if x.Counts != (x.Why == "") {
			t.Errorf("%s counts (%v) and why not: %q", x.Reading.ID, x.Counts, x.Why)
		}
	}
	want := map[string]string{
		"a": "the same reviewer has a later reading on rig old", "b": "", "c": "method is eye; the scoring rule requires watch", "d": "disturbed: recorder",
		"e": "replaced by reading f", "f": "", "g": "rig idle has weight 0", "h": "answered not tested: no time", "i": "measured after the requested time",
	}
	for id, why := range want {
		if got[id] != why {
			t.Errorf("%s: %q, want %q", id, got[id], why)
		}
	}
	if v := traces[0].Readings[5].Value; v == nil || *v != 13 {
		t.Errorf("the value of f is %v", v)
	}
	if len(traces[1].Readings) != 0 || traces[1].Readings == nil {
		t.Errorf("a criterion without readings: %#v", traces[1].Readings)
	}
	if _, err := table.Traces("nobody/1/e"); err == nil {
		t.Error("an edition that does not stand is no error")
	}
}

// TestTracesOfWhatIsInherited names the edition for which the readings were made.
func TestTracesOfWhatIsInherited(t *testing.T) {
	list := bench()
	list.Sections[1].Criteria[0].Scope = checklist.ScopeDistribution
	in := scoring.Input{Checklist: list, Reviews: []reading.Review{
		review(
			"d/1/e", said{"a", "guide", "ines", "", 0, grade(8), nil},
		), review("d/2/e", said{"b", "printing", "ines", "", 0, reading.Answer{Check: reading.Works}, nil}),
	}}
	table := scoring.Tabulate(in, scoring.Options{})
	traces, err := table.Traces("d/2/e")
	if err != nil {
		t.Fatal(err)
	}
	guide := traces[slices.IndexFunc(traces, func(x scoring.Trace) bool { return x.Criterion == "guide" })]
	if len(guide.Readings) != 1 || guide.Readings[0].Edition != "d/1/e" || !guide.Readings[0].Counts {
		t.Errorf("%+v", guide.Readings)
	}
}

// TestProject: readings of a criterion that now asks something else do not answer it.
func TestProject(t *testing.T) {
	in := scoring.Input{Checklist: bench(), Reviews: []reading.Review{review("d/1/e",
		said{"a", "start", "ines", "old", 0, runs(40), nil}, said{"b", "guide", "ines", "", 0, grade(8), nil},
	)}}
	next := bench()
	next.Version = 7
	next.Sections[0].Criteria[0].Unit = "ms"
	next.Sections[1].Criteria = append(
		next.Sections[1].Criteria, checklist.Criterion{Key: "new", Kind: checklist.Grade, Weight: 1},
	)
	card := scoring.Tabulate(in.Project(next), scoring.Options{}).Scorecards(checklist.Audience{})[0]
	states := map[string]scoring.State{}
	for _, c := range card.Criteria {
		states[c.Key] = c.State
	}
	if states["start"] != scoring.NotTested || states["guide"] != scoring.Answered ||
		states["new"] != scoring.NotTested {
		t.Errorf("states: %v", states)
	}
	if in.Checklist.Version != 1 || next.Version != 7 {
		t.Error("the lists were changed")
	}
}
