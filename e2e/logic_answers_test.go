package e2e

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/reading"
	"dappertally/internal/demo"
	"dappertally/internal/slip"
)

// TestRunsReadAlike reads runs as people type them, at the desk and by the client: both accept the same texts, and
// read the same values.
func TestRunsReadAlike(t *testing.T) {
	ctx := logic(t)
	texts := []string{"30.5", "30,5", "30 s", "30s", "1.5min", "1,5 min", "0:30", "1:02:03", "1:60", "0:61", "1:2:3:4",
		"0:30 s", "30 x", "30 %", "12 ms", "0x10", "1e3", "1e400", "-4", "- 4", "+4", ".5", "5.",
		"1_000", "0x1p4", "1:+5", "1:007", "5:0e3", "Infinity",
		"NaN", "1.2.3", "1,2,3", "s", ":", "::", "1:", ":1", "7 h", "0:0.5", "0:00,5", "1e", "3m", "3 µs", "00:30"}
	chance := rand.New(rand.NewPCG(5, 6))
	pieces := strings.Split("0 1 2 5 9 30 59 60 . , : - e3 x s ms min h MiB fps", " ")
	for range 3000 {
		text := ""
		for range 1 + chance.IntN(5) {
			text += pieces[chance.IntN(len(pieces))]
		}
		texts = append(texts, text)
	}
	for _, unit := range []string{"s", "min", "", "%"} {
		var calls [][]any
		for _, text := range texts {
			calls = append(calls, []any{text, unit})
		}
		accepted := 0
		for i, got := range attempted[float64](t, ctx, "typed.run", calls) {
			want, err := slip.Runs(strings.Fields(texts[i]), unit)
			refused := err != nil || len(want) != 1
			switch {
			case refused != (got.Fault != ""):
				t.Errorf("%q in %q: the desk says %+v, the client %v, %v", texts[i], unit, got, want, err)
			case !refused && math.Abs(got.Value-want[0]) > 1e-9*math.Abs(want[0]):
				t.Errorf("%q in %q is %v at the desk, %v by the client", texts[i], unit, got.Value, want[0])
			case !refused:
				accepted++
			}
		}
		if accepted < 50 {
			t.Errorf("only %d texts are runs in %q", accepted, unit)
		}
	}
}

// TestRunsComeToTheSame compares the summary and the spread that the desk shows while runs are typed with the core's.
func TestRunsComeToTheSame(t *testing.T) {
	ctx := logic(t)
	chance := rand.New(rand.NewPCG(7, 8))
	type runs struct {
		c      *checklist.Criterion
		of     []float64
		offset float64
	}
	var all []runs
	var summaries, spreads [][]any
	for range 400 {
		c := &checklist.Criterion{Key: "start", Kind: checklist.Measure, Unit: "s"}
		c.Runs.Summary = []string{"", "median", "mean", "best"}[chance.IntN(4)]
		c.Better = []string{"lower", "higher"}[chance.IntN(2)]
		r := runs{c: c, offset: float64(chance.IntN(3))}
		for range 1 + chance.IntN(9) {
			r.of = append(r.of, math.Round(100*(20+5*chance.NormFloat64()))/100)
		}
		all = append(all, r)
		summaries = append(summaries, []any{c, r.of, r.offset})
		spreads = append(spreads, []any{r.of, r.offset})
	}
	values := computed[float64](t, ctx, "runs.summary", summaries)
	scatter := computed[*float64](t, ctx, "runs.spread", spreads)
	for i, r := range all {
		adjusted := make([]float64, len(r.of))
		for j, x := range r.of {
			adjusted[j] = x - r.offset
		}
		if want := reading.Summary(adjusted, r.c); math.Abs(values[i]-want) > 1e-9 {
			t.Errorf("%v less %v, %s: %v at the desk, %v in the core", r.of, r.offset, r.c.Runs.Summary, values[i], want)
		}
		want, ok := reading.Spread(adjusted)
		if ok != (scatter[i] != nil) || (ok && math.Abs(*scatter[i]-want) > 1e-9) {
			t.Errorf("%v less %v scatter by %v at the desk, by %v in the core (%v)", r.of, r.offset, scatter[i], want, ok)
		}
	}
}

// TestFieldsKeepTheAnswer fills the desk's fields with each reading of the demo: they hold its answer and offset again.
func TestFieldsKeepTheAnswer(t *testing.T) {
	ctx := logic(t)
	b, err := demo.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	type filled struct {
		Answer     *reading.Answer
		Adjustment *reading.Adjustment
	}
	var calls [][]any
	var of []*reading.Reading
	kinds := map[checklist.Kind]int{}
	lists := map[string]*checklist.Checklist{}
	for i := range b.Checklists {
		lists[b.Checklists[i].Name()] = &b.Checklists[i]
	}
	for i := range b.Reviews {
		list := lists[b.Reviews[i].Checklist]
		for j := range b.Reviews[i].Readings {
			r := &b.Reviews[i].Readings[j]
			c, ok := list.Criterion(r.Criterion)
			if !ok {
				t.Fatalf("%s asks no %s", list.Name(), r.Criterion)
			}
			kinds[c.Kind]++
			calls, of = append(calls, []any{c, r}), append(of, r)
		}
	}
	if _, err := chromedp.Run(ctx, chromedp.Evaluate[any](`logic.filled = (c, r) => {
		const fields = logic.typed.fields(c, r);
		return { Answer: logic.typed.answer(c, fields), Adjustment: logic.typed.adjustment(fields) };
	}; 0`)); err != nil {
		t.Fatal(err)
	}
	for i, got := range attempted[filled](t, ctx, "filled", calls) {
		if got.Fault != "" || got.Value.Answer == nil {
			t.Errorf("%s: the fields hold %+v", of[i].ID, got)
			continue
		}
		want, have := textOf(t, of[i].Answer), textOf(t, got.Value.Answer)
		if want != have || textOf(t, of[i].Adjustment) != textOf(t, got.Value.Adjustment) {
			t.Errorf("%s: the fields of %s, adjusted by %s, hold %s and %s", of[i].ID, want, textOf(t, of[i].Adjustment),
				have, textOf(t, got.Value.Adjustment))
		}
	}
	for _, kind := range checklist.Kinds {
		if kinds[kind] == 0 {
			t.Errorf("the demo has no reading of the kind %s", kind)
		}
	}
}

// textOf returns a value as JSON.
func textOf(t *testing.T, v any) string {
	t.Helper()
	text, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

// TestAnswersOfFields takes answers from fields as somebody typed them.
func TestAnswersOfFields(t *testing.T) {
	ctx := logic(t)
	grade := map[string]any{"key": "feel", "kind": "grade"}
	measure := map[string]any{"key": "start", "kind": "measure", "unit": "s", "runs": map[string]any{"expect": 3}}
	fact := map[string]any{"key": "kernel", "kind": "fact"}
	share := map[string]any{"key": "print", "kind": "count"}
	items := map[string]any{"key": "codecs", "kind": "count", "items": []any{map[string]any{"key": "a"},
		map[string]any{"key": "b"}, map[string]any{"key": "c"}}}
	if _, err := chromedp.Run(ctx, chromedp.Evaluate[any](`logic.typedIn = (c, t) =>
		JSON.stringify(logic.typed.answer(c, { ...logic.typed.fields(c), ...t })) ?? "none"; 0`)); err != nil {
		t.Fatal(err)
	}
	for _, x := range []struct {
		criterion, typed map[string]any
		want             string // a message begins with an exclamation mark
	}{
		{grade, map[string]any{}, `none`},
		{grade, map[string]any{"grade": "7,5"}, `{"grade":7.5}`},
		{grade, map[string]any{"grade": "4/5"}, `{"grade":8}`},
		{grade, map[string]any{"grade": "good"}, "!“good” is not a number."},
		{grade, map[string]any{"grade": "7/0"}, "!“7/0” is not a grade such as 7/10."},
		{grade, map[string]any{"grade": "7/10/3"}, "!“7/10/3” is not a grade such as 7/10."},
		{fact, map[string]any{"fact": "6.10"}, `{"fact":"6.10"}`}, // a version
		{fact, map[string]any{"fact": "1208", "factSort": "number"}, `{"fact":1208}`},
		{fact, map[string]any{"fact": "1300 packages", "factSort": "number"}, `{"fact":"1300 packages"}`},
		{fact, map[string]any{"fact": "bale, crate"}, `{"fact":"bale, crate"}`},
		{fact, map[string]any{"fact": "bale, crate,", "factSort": "list"}, `{"fact":["bale","crate"]}`},
		{fact, map[string]any{"fact": `["bale, small","crate"]`}, `{"fact":["bale, small","crate"]}`},
		{fact, map[string]any{"fact": "[not a list"}, `{"fact":"[not a list"}`},
		{fact, map[string]any{"fact": "[1,2]"}, `{"fact":"[1,2]"}`},
		{grade, map[string]any{"none": "notTested", "reason": " no printer "}, `{"notTested":"no printer"}`},
		{grade, map[string]any{"none": "notTested", "reason": " "}, `none`},
		{measure, map[string]any{"runs": []string{"", " ", ""}}, `none`},
		{measure, map[string]any{"runs": []string{"20", "", "0:21"}}, `{"runs":[20,21]}`},
		{measure, map[string]any{"runs": []string{"20 MiB"}}, "!“20 MiB” is in MiB; the answer is expected in s."},
		{share, map[string]any{"k": "14", "n": "20"}, `{"count":{"k":14,"n":20}}`},
		{share, map[string]any{"k": "14"}, "!“” is not a number."},
		{items, map[string]any{"items": map[string]any{}}, `none`},
		{items, map[string]any{"items": map[string]any{"c": "worked", "a": "worked", "b": "failed"}},
			`{"count":{"worked":["a","c"],"failed":["b"]}}`},
		{items, map[string]any{"items": map[string]any{"gone": "worked"}}, `none`},
	} {
		got := attempted[string](t, ctx, "typedIn", [][]any{{x.criterion, x.typed}})[0]
		if got.Fault != "" {
			got.Value = "!" + got.Fault
		}
		if got.Value != x.want {
			t.Errorf("%v in %v gives %s, want %s", x.typed, x.criterion["key"], got.Value, x.want)
		}
	}
}

// TestPastedRuns takes lists of runs apart.
func TestPastedRuns(t *testing.T) {
	ctx := logic(t)
	for text, want := range map[string]string{
		"":                    "",
		"  ":                  "",
		"20.1":                "20.1",
		"20,1":                "20,1",
		"20.1\n20.4\n19.9":    "20.1|20.4|19.9",
		"20,1 20,4;19,9":      "20,1|20,4|19,9",
		"20.1, 20.4, 19.9":    "20.1|20.4|19.9",
		"20.1,20.4":           "20.1|20.4",
		"20,21,22":            "20|21|22",
		"\t20.1\t\t20.4\r\n;": "20.1|20.4",
		"0:30 0:31":           "0:30|0:31",
	} {
		if got := computed[[]string](t, ctx, "runs.parseList", [][]any{{text}})[0]; strings.Join(got, "|") != want {
			t.Errorf("%q is the list %q, want %s", text, got, want)
		}
	}
}

// TestPointsOffTheLine reads points off the lines of every measure of the demo as the console's figures do.
func TestPointsOffTheLine(t *testing.T) {
	ctx := logic(t)
	b, err := demo.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	lines := 0
	for i := range b.Checklists {
		for _, s := range b.Checklists[i].Sections {
			for j := range s.Criteria {
				c := &s.Criteria[j]
				if c.Curve == nil || c.Kind != checklist.Measure {
					continue
				}
				lines++
				rule := map[string]any{"criterion": c.Key, "line": c.Line(), "relative": c.Relative()}
				best := 1.
				if c.Relative() {
					best = 12
				}
				line := c.Line()
				low, high := line[0][0]*best, line[len(line)-1][0]*best
				var calls [][]any
				var values []float64
				for k := range 51 {
					x := low + (high-low)*float64(k)/50
					calls, values = append(calls, []any{rule, x, best}), append(values, x)
				}
				for k, got := range computed[float64](t, ctx, "rules.pointsOf", calls) {
					if want := c.Curve.At(values[k], best, c.Better); math.Abs(got-want) > 0.1 {
						t.Errorf("%s at %v: %v by the line, %v by the curve", c.Key, values[k], got, want)
					}
				}
			}
		}
	}
	if lines < 10 {
		t.Errorf("only %d lines were read", lines)
	}
	empty := map[string]any{"criterion": "a", "line": [][]float64{}, "relative": false}
	if got := computed[*float64](t, ctx, "rules.pointsOf", [][]any{{empty, 3}})[0]; got != nil {
		t.Errorf("a rule without a line gives %v points", *got)
	}
}

// TestEditsMakeTheList finds the edits that lead from one checklist to another, and makes them in the core.
func TestEditsMakeTheList(t *testing.T) {
	ctx := logic(t)
	b, err := demo.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	from := &b.Checklists[len(b.Checklists)-1]
	chance := rand.New(rand.NewPCG(9, 10))
	for range 60 {
		to := from.Clone()
		for range chance.IntN(4) {
			s := &to.Sections[chance.IntN(len(to.Sections))]
			i := chance.IntN(len(s.Criteria))
			switch chance.IntN(4) {
			case 0:
				s.Weight += 5
			case 1:
				s.Criteria[i].Title += ", again"
			case 2:
				added := s.Criteria[i]
				if added.Reference {
					continue // there can be only one
				}
				added.Key = fmt.Sprintf("new-%d", chance.IntN(1e6))
				s.Criteria = append(s.Criteria, added)
			case 3:
				other := &to.Sections[chance.IntN(len(to.Sections))]
				moved := s.Criteria[i]
				if len(s.Criteria) > 1 {
					s.Criteria = append(s.Criteria[:i:i], s.Criteria[i+1:]...)
					other.Criteria = append(other.Criteria, moved)
				}
			}
		}
		edits := computed[[]checklist.Edit](t, ctx, "edits.editsBetween", [][]any{{from, to}})[0]
		if len(edits) == 0 {
			if d := checklist.Differ(from, to); len(d.Sections)+len(d.Criteria) > 0 {
				t.Errorf("no edits lead to %+v", d)
			}
			continue
		}
		var book fault.Book
		made := checklist.Apply(from, edits, &book)
		if d := checklist.Differ(made, to); len(book.List())+len(d.Sections)+len(d.Criteria) > 0 {
			t.Errorf("%s: differs by %+v (%v)", textOf(t, edits), d, book.List())
		}
		if core, _ := checklist.EditsBetween(from, to); !reflect.DeepEqual(subjects(core), subjects(edits)) {
			t.Errorf("edits of %v in the console, of %v in the core", subjects(edits), subjects(core))
		}
	}
}

// subjects counts edits by what they are about.
func subjects(edits []checklist.Edit) map[string]int {
	of := map[string]int{}
	for i := range edits {
		of[edits[i].Subject()]++
	}
	return of
}
