package slip

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// TestWordsOfAnswers writes answers of every kind as words and reads them again: they are the same.
func TestWordsOfAnswers(t *testing.T) {
	chance := rand.New(rand.NewPCG(1, 2))
	text := func() string {
		pieces := strings.Split("a b c|6.10|1208|-3|true|null|[|]|\"|,|  |x|{}|e3|0", "|")
		var s strings.Builder
		for range 1 + chance.IntN(4) {
			s.WriteString(pieces[chance.IntN(len(pieces))])
		}
		return s.String()
	}
	number := func() float64 { return float64(chance.IntN(100_000)-20_000) / 100 }
	keys := func() (some []string) {
		for i := range 3 {
			if chance.IntN(2) == 0 {
				some = append(some, fmt.Sprintf("%c%d", 'a'+chance.IntN(26), i))
			}
		}
		return some
	}
	for range 4000 {
		c := &checklist.Criterion{Key: "x", Kind: checklist.Kinds[chance.IntN(len(checklist.Kinds))], Unit: "s"}
		var a reading.Answer
		switch c.Kind {
		case checklist.Grade:
			a.Grade = new(float64(chance.IntN(101)) / 10)
		case checklist.Check:
			a.Check = reading.Checks[chance.IntN(len(reading.Checks))]
		case checklist.Level:
			c.Levels = []checklist.Rung{{Key: "by-hand"}, {Key: "guided"}}
			a.Level = c.Levels[chance.IntN(2)].Key
		case checklist.Measure:
			for range 1 + chance.IntN(4) {
				a.Runs = append(a.Runs, number())
			}
		case checklist.Count:
			a.Count = &reading.Count{Worked: keys(), Workaround: keys(), Failed: keys(), NotTested: keys()}
			if chance.IntN(2) == 0 {
				a.Count = &reading.Count{K: new(chance.IntN(20)), N: new(20)}
			}
		case checklist.Fact:
			a.Fact = &reading.Fact{Text: text()}
			switch chance.IntN(3) {
			case 0:
				a.Fact = &reading.Fact{Sort: reading.FactNumber, Number: number()}
			case 1:
				a.Fact = &reading.Fact{Sort: reading.FactList, List: []string{text(), text()}}
			}
		}
		words := Words(&a)
		again, err := Answered(c, words, "", "", "")
		want, _ := json.Marshal(a)
		got, _ := json.Marshal(again)
		if words == "" && a.Count != nil {
			continue // nothing was tried
		}
		if err != nil || string(got) != string(want) {
			t.Fatalf("%s is written %q and read as %s, %v", want, words, got, err)
		}
	}
}

// TestWordsOfFacts quotes only texts that would be read as something else.
func TestWordsOfFacts(t *testing.T) {
	for text, want := range map[string]string{
		"6.10": "6.10", "6.14 with patches": "6.14 with patches", "[half": "[half", "1e3": "1e3", "true": "true",
		"6.7": `"6.7"`, "1208": `"1208"`, `["a"]`: `"[\"a\"]"`, `"a"`: `"\"a\""`, " a": `" a"`,
	} {
		if got := Words(&reading.Answer{Fact: &reading.Fact{Text: text}}); got != want {
			t.Errorf("the text %q is written %s, want %s", text, got, want)
		}
	}
}

// TestAnswered reads answers of tables, with units and reasons for having none.
func TestAnswered(t *testing.T) {
	start := &checklist.Criterion{Key: "start", Kind: checklist.Measure, Unit: "s"}
	for _, c := range []struct{ words, unit, notTested, notApplicable, want string }{
		{"20 21", "", "", "", `{"runs":[20,21]}`},
		{"20 21", "s", "", "", `{"runs":[20,21]}`},
		{"1.5", "min", "", "", `{"runs":[90]}`},
		{"1.5 90s", "min", "", "", `{"runs":[90,90]}`},
		{"0:30", "ms", "", "", `{"runs":[30]}`},
		{"", "", "no disk", "", `{"notTested":"no disk"}`},
		{"", "", "", "no printer", `{"notApplicable":"no printer"}`},
		{"", "", "", "", "start is a measure, and there is no answer"},
		{"20", "", "no disk", "", "there is an answer and a reason for none"},
		{"20", "MiB", "", "", "it is in MiB, and the criterion needs s"},
		{"20 GiB", "s", "", "", "it is in GiB, and the criterion needs s"},
	} {
		a, err := Answered(start, c.words, c.unit, c.notTested, c.notApplicable)
		got, _ := json.Marshal(a)
		if err != nil {
			got = []byte(err.Error())
		}
		if !strings.Contains(string(got), c.want) {
			t.Errorf("%q in %q, %q, %q: %s, want %s", c.words, c.unit, c.notTested, c.notApplicable, got, c.want)
		}
	}
}

// TestCorrectionsOfASlip moves its times and adds a remark everywhere.
func TestCorrectionsOfASlip(t *testing.T) {
	at := time.Date(2026, 4, 2, 9, 0, 0, 0, time.UTC)
	s := Slip{
		Readings: []Reading{{At: at}, {At: at.Add(time.Hour), Note: "quiet"}},
		States:   []State{{At: at, Note: "fresh"}},
		Evidence: []File{{At: at.Add(time.Minute)}},
	}
	s.Shift(-90 * time.Minute)
	s.Remark("the clock was wrong")
	if !s.Readings[0].At.Equal(at.Add(-90*time.Minute)) || !s.Readings[1].At.Equal(at.Add(-30*time.Minute)) ||
		!s.States[0].At.Equal(at.Add(-90*time.Minute)) || !s.Evidence[0].At.Equal(at.Add(-89*time.Minute)) {
		t.Errorf("the times are %+v", s)
	}
	if got := s.Readings[0].Note + "|" + s.Readings[1].Note + "|" + s.States[0].Note; got !=
		"the clock was wrong|quiet; the clock was wrong|fresh; the clock was wrong" {
		t.Errorf("the notes are %q", got)
	}
	for _, f := range []reading.Fact{
		{Text: "6.10"}, {Sort: reading.FactNumber, Number: 12.5}, {Sort: reading.FactList, List: []string{"bale", "crate"}},
	} {
		plain := Plain(&f)
		if list, ok := plain.([]string); ok { // as YAML reads it
			plain = []any{list[0], list[1]}
		}
		again, err := fact(plain)
		if err != nil || again.String() != f.String() || again.Sort != f.Sort {
			t.Errorf("%+v comes back as %+v, %v", f, again, err)
		}
	}
	for _, value := range []any{nil, true, map[string]any{"a": 1}} {
		if f, err := fact(value); err == nil {
			t.Errorf("%v is the fact %+v", value, f)
		}
	}
}
