package reading

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/fault"
)

func number(x float64) *float64 { return &x }
func whole(n int) *int          { return &n }

func TestValue(t *testing.T) {
	for _, c := range []struct {
		summary, better string
		runs            []float64
		adjust          float64
		want            float64
	}{
		{"", "lower", []float64{3, 1, 2}, 0, 2},
		{"median", "lower", []float64{4, 1, 3, 2}, 0, 2.5},
		{"mean", "lower", []float64{1, 2, 6}, 0, 3},
		{"best", "lower", []float64{3, 1, 2}, 0, 1},
		{"best", "higher", []float64{3, 1, 2}, 0, 3},
		{"median", "lower", []float64{26.4, 25.9, 26.0}, 4, 22},
	} {
		x := &Reading{Answer: Answer{Runs: c.runs}, Adjustment: &Adjustment{Amount: c.adjust}}
		criterion := &checklist.Criterion{Better: c.better, Runs: checklist.Runs{Summary: c.summary}}
		before := append([]float64{}, c.runs...)
		if got := Value(x, criterion); got != c.want {
			t.Errorf("%s of %v less %v: %v, want %v", c.summary, c.runs, c.adjust, got, c.want)
		}
		if !reflect.DeepEqual(before, x.Answer.Runs) {
			t.Errorf("summing up changed the raw runs to %v", x.Answer.Runs)
		}
	}
}

func TestFactJSON(t *testing.T) {
	for _, c := range []struct{ text, said string }{{`"6.14"`, "6.14"}, {`3.5`, "3.5"}, {`["bale","crate"]`, "bale, crate"}, {`[]`, ""}} {
		var f Fact
		if err := json.Unmarshal([]byte(c.text), &f); err != nil {
			t.Errorf("%s: %v", c.text, err)
			continue
		}
		if f.String() != c.said {
			t.Errorf("%s reads %q, want %q", c.text, f.String(), c.said)
		}
		if back, err := json.Marshal(f); err != nil || string(back) != c.text {
			t.Errorf("%s comes back as %s, %v", c.text, back, err)
		}
	}
	for _, text := range []string{`true`, `{"a":1}`, `[1]`, `null`} {
		var f Fact
		if err := json.Unmarshal([]byte(text), &f); err == nil && text != `null` {
			t.Errorf("%s was taken as a fact", text)
		}
	}
}

func list() *checklist.Checklist {
	return &checklist.Checklist{
		Key:        "desk",
		Version:    1,
		Vocabulary: checklist.Vocabulary{Phases: []checklist.Named{{Key: "fresh"}}},
		Sections: []checklist.Section{{Key: "all", Weight: 1, Criteria: []checklist.Criterion{
			{
				Key:    "start",
				Kind:   checklist.Measure,
				Better: "lower",
				Curve:  &checklist.Curve{Shape: checklist.Ratio, Poor: 90, Ideal: 9},
			},
			{Key: "guide", Kind: checklist.Grade}, {Key: "print", Kind: checklist.Check},
			{
				Key:   "media",
				Kind:  checklist.Count,
				Items: []checklist.Item{{Key: "film"}, {Key: "free", Weight: number(0)}},
			},
			{
				Key:  "apps",
				Kind: checklist.Count,
			}, {Key: "setup", Kind: checklist.Level, Levels: []checklist.Rung{{Key: "guided"}}}, {Key: "kernel", Kind: checklist.Fact},
		}}},
	}
}

func TestValidate(t *testing.T) {
	for _, c := range []struct {
		criterion string
		answer    Answer
		pointer   string // empty: sound
		says      string
	}{
		{"start", Answer{Runs: []float64{20}}, "", ""},
		{"start", Answer{Runs: []float64{}}, "/answer/runs", "at least one"},
		{"start", Answer{Runs: []float64{1e16}}, "/answer/runs/0", "between"},
		{"start", Answer{Grade: number(5)}, "/answer/grade", "its answer is runs"},
		{"guide", Answer{Grade: number(0)}, "", ""},
		{"guide", Answer{Grade: number(10)}, "", ""},
		{"guide", Answer{Grade: number(-0.1)}, "/answer/grade", "between 0 and 10"},
		{"print", Answer{Check: "works"}, "", ""},
		{"print", Answer{Check: "perhaps"}, "/answer/check", "works, workaround or fails"},
		{"media", Answer{Count: &Count{Worked: []string{"film"}}}, "", ""},
		{"media", Answer{Count: &Count{Worked: []string{"opera"}}}, "/answer/count/worked/0", "no item"},
		{"media", Answer{Count: &Count{Worked: []string{"film"}, Failed: []string{"film"}}}, "/answer/count/failed/0", "already"},
		{"media", Answer{Count: &Count{NotTested: []string{"film"}}}, "/answer/count", "nothing was tested"},
		{"media", Answer{Count: &Count{Worked: []string{"free"}}}, "/answer/count", "nothing was tested"},
		{"media", Answer{Count: &Count{K: whole(1), N: whole(2)}}, "/answer/count", "lists items"},
		{"apps", Answer{Count: &Count{K: whole(14), N: whole(20)}}, "", ""},
		{"apps", Answer{Count: &Count{K: whole(21), N: whole(20)}}, "/answer/count", "not a count"},
		{"apps", Answer{Count: &Count{Worked: []string{"film"}}}, "/answer/count", "k of n"},
		{"setup", Answer{Level: "guided"}, "", ""},
		{"setup", Answer{Level: "magic"}, "/answer/level", "it has guided"},
		{"kernel", Answer{Fact: &Fact{Text: "6.14"}}, "", ""},
		{"guide", Answer{NotTested: "no time"}, "", ""},
		{"guide", Answer{NotApplicable: "no desktop"}, "", ""},
		{"guide", Answer{}, "/answer", "it has nothing"},
		{"luck", Answer{Grade: number(1)}, "/criterion", "no criterion"},
	} {
		x := &Reading{
			ID:        "00000000-0000-7000-8000-000000000001",
			Criterion: c.criterion,
			Reviewer:  "ines",
			At:        time.Unix(0, 0),
			Answer:    c.answer,
		}
		var book fault.Book
		Validate(x, list(), &book)
		switch faults := book.List(); {
		case c.pointer == "" && len(faults) > 0:
			t.Errorf("%s %+v: %v", c.criterion, c.answer, faults)
		case c.pointer != "" && (len(faults) == 0 || faults[0].Pointer != c.pointer || !strings.Contains(faults[0].Detail, c.says)):
			t.Errorf("%s %+v: want a fault at %s saying %q, got %v", c.criterion, c.answer, c.pointer, c.says, faults)
		}
	}
}

func TestValidateValue(t *testing.T) {
	for _, c := range []struct {
		run, adjust float64
		bad         bool
	}{{5, 0, false}, {5, 4, false}, {4, 4, true}, {3, 4, true}} {
		x := &Reading{
			Criterion:  "start",
			Answer:     Answer{Runs: []float64{c.run}},
			Adjustment: &Adjustment{Amount: c.adjust},
		}
		var book fault.Book
		ValidateValue(x, list(), &book)
		if got := len(book.List()) > 0; got != c.bad {
			t.Errorf("%v less %v on a ratio: refused %v, want %v", c.run, c.adjust, got, c.bad)
		}
	}
}
