package slip

import (
	"math"
	"slices"
	"strings"
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

func TestRuns(t *testing.T) {
	for _, c := range []struct {
		words, unit string
		want        []float64
		fault       string
	}{
		{"26.4 25,9 26", "s", []float64{26.4, 25.9, 26}, ""},
		{"30s 1.5min 500ms", "s", []float64{30, 90, 0.5}, ""},
		{"26,4 25.9s 0:26", "s", []float64{26.4, 25.9, 26}, ""},
		{"30 s 1,5 min", "s", []float64{30, 90}, ""},
		{"0:30 1:05.5 1:02:03", "s", []float64{30, 65.5, 3723}, ""},
		{"0:30", "min", []float64{0.5}, ""},
		{"90 s", "min", []float64{1.5}, ""},
		{"1.5GiB", "MiB", []float64{1536}, ""},
		{"-5 -5,5", "°C", []float64{-5, -5.5}, ""},
		{"12 %", "%", []float64{12}, ""},
		{"60fps", "frames/s", []float64{60}, ""},
		{"1e-3", "s", []float64{1e-3}, ""},
		{"30 MiB", "s", nil, "is in MiB"},
		{"30s", "", nil, "a number without a unit"},
		{"0:75", "s", nil, "not a time"},
		{"1:2:3:4", "s", nil, "not a time"},
		{"-1:30", "s", nil, "not a time"},
		{"1.5:30", "s", nil, "not a time"},
		{"fast", "s", nil, "not a number"},
		{"NaN", "s", nil, "not a number"},
		{"Inf", "s", nil, "not a number"},
		{"s", "s", nil, "not a number"},
	} {
		got, err := Runs(strings.Fields(c.words), c.unit)
		if c.fault != "" {
			if err == nil || !strings.Contains(err.Error(), c.fault) {
				t.Errorf("%q in %q: %v, %v; want an error with %q", c.words, c.unit, got, err, c.fault)
			}
			continue
		}
		if err != nil || !slices.EqualFunc(got, c.want, func(a, b float64) bool { return math.Abs(a-b) < 1e-9 }) {
			t.Errorf("%q in %q: %v, %v; want %v", c.words, c.unit, got, err, c.want)
		}
	}
}

// Answers are read in the forms in which people write them.
func TestWrittenAnswers(t *testing.T) {
	check := &checklist.Criterion{Key: "wireless", Kind: checklist.Check}
	grade := &checklist.Criterion{Key: "ease", Kind: checklist.Grade}
	fact := &checklist.Criterion{Key: "kernel", Kind: checklist.Fact}
	text := func(want string) func(reading.Answer) bool {
		return func(a reading.Answer) bool { return a.Fact.Sort == reading.FactText && a.Fact.Text == want }
	}
	level := &checklist.Criterion{
		Key:    "drivers",
		Kind:   checklist.Level,
		Levels: []checklist.Rung{{Key: "by-hand"}, {Key: "guided"}},
	}
	for _, c := range []struct {
		criterion *checklist.Criterion
		word      string
		says      func(reading.Answer) bool
	}{
		{check, "Works", func(a reading.Answer) bool { return a.Check == reading.Works }},
		{check, "WORKAROUND", func(a reading.Answer) bool { return a.Check == reading.Workaround }},
		{check, "perhaps", func(a reading.Answer) bool { return a.Check == "perhaps" }}, // the validation refuses it
		{grade, "7/10", func(a reading.Answer) bool { return *a.Grade == 7 }},
		{grade, "4/5", func(a reading.Answer) bool { return *a.Grade == 8 }},
		{grade, "7,5", func(a reading.Answer) bool { return *a.Grade == 7.5 }},
		{fact, "1208", func(a reading.Answer) bool { return a.Fact.Sort == reading.FactNumber && a.Fact.Number == 1208 }},
		{fact, "-0.5", func(a reading.Answer) bool { return a.Fact.Sort == reading.FactNumber && a.Fact.Number == -0.5 }},
		{fact, "6.10", text("6.10")}, // a version, which is not 6.1
		{fact, "1e3", text("1e3")},
		{fact, "6.10 patched", text("6.10 patched")},
		{fact, `"1208"`, text("1208")},
		{fact, `["bale","crate"]`, func(a reading.Answer) bool { return len(a.Fact.List) == 2 }},
		{level, "By Hand", nil},
		{level, "By_Hand", func(a reading.Answer) bool { return a.Level == "by-hand" }},
		{level, "GUIDED", func(a reading.Answer) bool { return a.Level == "guided" }},
	} {
		words := strings.Fields(c.word)
		a, err := ParseAnswer(c.criterion, words)
		if c.says == nil {
			if err == nil {
				t.Errorf("%q: %+v", c.word, a)
			}
			continue
		}
		if err != nil || !c.says(a) {
			t.Errorf("%q: %+v, %v", c.word, a, err)
		}
	}
	for _, word := range []string{"7/0", "7/x", "x/10"} {
		if a, err := ParseAnswer(grade, []string{word}); err == nil {
			t.Errorf("%q: %+v", word, a)
		}
	}
}
