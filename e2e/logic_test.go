package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"reflect"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/evanw/esbuild/pkg/api"

	"dappertally/core/checklist"
	"dappertally/internal/demo"
	"dappertally/internal/numerals"
)

// logic opens a browser with the console's modules that compute, and nothing of its pages.
func logic(t *testing.T) context.Context {
	t.Helper()
	built := api.Build(api.BuildOptions{
		Stdin: &api.StdinOptions{
			Contents: `
				import * as numbers from "./numbers";
				import * as merge from "./merge";
				import * as checklists from "./checklists";
				import * as imports from "./imports";
				import * as view from "./view";
				import * as scatter from "./scatter";
				import * as estimates from "./estimates";
				import * as checklist from "./checklist";
				import * as columns from "./components/table/columns";
				import * as edits from "./pages/checklist/edits";
				import * as entries from "./pages/desk/entries";
				import * as keys from "./keys";
				import * as known from "./known";
				import { QueryClient } from "@tanstack/react-query";
				import * as lists from "./lists";
				import * as places from "./components/palette/places";
				import * as recording from "./recording";
				import * as rules from "./rules";
				import * as runs from "./pages/desk/runs";
				import * as slug from "./slug";
				import * as standing from "./pages/desk/standing";
				import * as typed from "./pages/desk/typed";
				import * as weights from "./pages/weights/weights";
				globalThis.logic = { ...numbers, ...merge, ...checklists, ...imports, ...view, ...scatter, ...estimates,
					checklist, columns, edits, entries, keys, known, lists, places, QueryClient, recording, rules, runs, slug, standing, typed,
					weights };`,
			ResolveDir: "../web/src",
			Loader:     api.LoaderTS,
		},
		Bundle: true,
		Define: map[string]string{"process.env.NODE_ENV": `"production"`},
	})
	for _, m := range built.Errors {
		t.Fatalf("%+v: %s", m.Location, m.Text)
	}
	empty := httptest.NewServer(http.NotFoundHandler()) // a page of a server can keep something in the browser
	t.Cleanup(empty.Close)
	ctx := tab(t)
	do(t, ctx, chromedp.Navigate(empty.URL))
	do(t, ctx, chromedp.Evaluate[chromedp.Void](string(built.OutputFiles[0].Contents)))
	return ctx
}

// computed calls a function of the console with each list of arguments and returns the results.
func computed[T any](t *testing.T, ctx context.Context, function string, calls [][]any) []T {
	t.Helper()
	var results []T
	for i, a := range attempted[T](t, ctx, function, calls) {
		if a.Fault != "" {
			t.Fatalf("%s of %v: %s", function, calls[i], a.Fault)
		}
		results = append(results, a.Value)
	}
	return results
}

// attempt is what a function of the console returned; Fault is the message of the error that it threw instead.
type attempt[T any] struct {
	Value T
	Fault string
}

// attempted is computed for functions that may throw.
func attempted[T any](t *testing.T, ctx context.Context, function string, calls [][]any) []attempt[T] {
	t.Helper()
	args, err := json.Marshal(calls)
	if err != nil {
		t.Fatal(err)
	}
	outcomes, err := chromedp.Run(ctx, chromedp.Evaluate[[]attempt[T]](fmt.Sprintf(
		`%s.map(a => { try { return { Value: logic.%s(...a) }; } catch (e) { return { Fault: e.message }; } })`,
		args, function)))
	if err != nil {
		t.Fatalf("%s: %v", function, err)
	}
	return outcomes
}

// TestFiguresReadAlike compares the console's figures with the client's: the same number has the same form in a page,
// in a terminal and in a report, except for the minus sign.
func TestFiguresReadAlike(t *testing.T) {
	ctx := logic(t)
	chance := rand.New(rand.NewPCG(1, 2))
	numbers := []float64{
		0,
		0.5,
		-0.5,
		1,
		9.995,
		9.985,
		10,
		99.95,
		100,
		1234.5,
		-0.04,
		0.000123456,
		1e-6,
		0.05,
		0.25,
		2.5,
		1e9,
	}
	for range 2000 {
		numbers = append(numbers, math.Round(chance.NormFloat64()*math.Pow(10, float64(chance.IntN(7)))*1e4)/1e4)
	}
	var calls [][]any
	for _, x := range numbers {
		calls = append(calls, []any{x})
	}
	for _, f := range []struct {
		name  string
		write func(*float64) string
	}{
		{"figure", numerals.Value},
		{"score", numerals.Score},
		{"percent", func(x *float64) string { return numerals.Share(*x) }},
	} {
		for i, got := range computed[string](t, ctx, f.name, calls) {
			want := strings.ReplaceAll(f.write(&numbers[i]), "-", "−")
			if strings.Trim(want, "−0. %") == "" { // a page never shows a negative zero
				want = strings.TrimPrefix(want, "−")
			}
			if got != want {
				t.Errorf("%s(%v) is %q in the console, %q elsewhere", f.name, numbers[i], got, want)
			}
		}
	}
	if got := computed[string](t, ctx, "figure", [][]any{{nil}}); got[0] != numerals.None {
		t.Errorf("no number is %q in the console", got[0])
	}
}

// TestSharesReadAlike: shares that sum to one are rounded so that the shown numbers sum to 100.
func TestSharesReadAlike(t *testing.T) {
	ctx := logic(t)
	chance := rand.New(rand.NewPCG(3, 4))
	lists := [][]float64{{1}, {0.5, 0.5}, {1. / 3, 1. / 3, 1. / 3}, {0.25, 0.35, 0.2, 0.2}, {}}
	for range 300 {
		list := make([]float64, 1+chance.IntN(9))
		sum := 0.0
		for i := range list {
			list[i] = float64(chance.IntN(40))
			sum += list[i]
		}
		for i := range list {
			if sum > 0 {
				list[i] /= sum
			}
		}
		lists = append(lists, list)
	}
	var calls [][]any
	for _, l := range lists {
		calls = append(calls, []any{l})
	}
	for i, got := range computed[[]string](t, ctx, "sharesText", calls) {
		if want := numerals.Shares(lists[i]); strings.Join(got, "|") != strings.Join(want, "|") {
			t.Errorf("%v: %v in the console, %v elsewhere", lists[i], got, want)
		}
	}
}

// TestSharesOfCriteria compares the shares on the checklist's page with the core's, for every version and audience of
// the demo.
func TestSharesOfCriteria(t *testing.T) {
	ctx := logic(t)
	b, err := demo.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	looked := 0
	for i := range b.Checklists {
		list := &b.Checklists[i]
		for _, a := range append([]checklist.Audience{{}}, list.Audiences...) {
			want := checklist.Shares(list, a)
			raw, err := json.Marshal([]any{list, a})
			if err != nil {
				t.Fatal(err)
			}
			got, err := chromedp.Run(ctx, chromedp.Evaluate[map[string]float64](
				fmt.Sprintf("Object.fromEntries(logic.criterionShares(...%s))", raw)))
			if err != nil {
				t.Fatal(err)
			}
			for key, share := range want {
				looked++
				if math.Abs(got[key]-share) > 1e-12 {
					t.Errorf(
						"%s, %q: %s has %v of the total in the console, %v in the core",
						list.Name(),
						a.Key,
						key,
						got[key],
						share,
					)
				}
			}
		}
	}
	if looked < 200 {
		t.Errorf("only %d shares were compared", looked)
	}
}

// TestMergeOfCopies merges two changed copies of a document field by field. For fields that both changed differently,
// one's own value stays and the field is named; nothing is lost.
func TestMergeOfCopies(t *testing.T) {
	ctx := logic(t)
	type merged struct {
		Merged    any
		Conflicts []string
	}
	for _, c := range []struct {
		name               string
		base, mine, theirs string
		want               string
		conflicts          []string
	}{
		{"nobody changed anything", `{"a":1}`, `{"a":1}`, `{"a":1}`, `{"a":1}`, nil},
		{"each changed another field", `{"a":1,"b":1}`, `{"a":2,"b":1}`, `{"a":1,"b":2}`, `{"a":2,"b":2}`, nil},
		{"both changed it alike", `{"a":1}`, `{"a":2}`, `{"a":2}`, `{"a":2}`, nil},
		{"both changed it", `{"a":1}`, `{"a":2}`, `{"a":3}`, `{"a":2}`, []string{"a"}},
		{"a field was taken out by them", `{"a":1,"b":1}`, `{"a":1,"b":1}`, `{"a":1}`, `{"a":1}`, nil},
		{"deep down", `{"a":{"b":{"c":1,"d":1}}}`, `{"a":{"b":{"c":2,"d":1}}}`, `{"a":{"b":{"c":3,"d":4}}}`,
			`{"a":{"b":{"c":2,"d":4}}}`, []string{"a › b › c"}},
		{"each added a thing", `{"x":[{"key":"a"}]}`, `{"x":[{"key":"a"},{"key":"b"}]}`, `{"x":[{"key":"a"},{"key":"c"}]}`,
			`{"x":[{"key":"a"},{"key":"b"},{"key":"c"}]}`, nil},
		{"one changed a thing, the other another",
			`{"x":[{"key":"a","n":1},{"key":"b","n":1}]}`, `{"x":[{"key":"a","n":2},{"key":"b","n":1}]}`,
			`{"x":[{"key":"a","n":1},{"key":"b","n":2}]}`, `{"x":[{"key":"a","n":2},{"key":"b","n":2}]}`, nil},
		{"they dropped what I left alone",
			`{"x":[{"key":"a"},{"key":"b"}]}`, `{"x":[{"key":"a"},{"key":"b"}]}`, `{"x":[{"key":"a"}]}`, `{"x":[{"key":"a"}]}`, nil},
		{"they dropped what I changed",
			`{"x":[{"key":"a"},{"key":"b","n":1}]}`, `{"x":[{"key":"a"},{"key":"b","n":2}]}`, `{"x":[{"key":"a"}]}`,
			`{"x":[{"key":"a"},{"key":"b","n":2}]}`, []string{"x › b (removed by somebody else, changed by you)"}},
		{"I dropped what they changed",
			`{"x":[{"key":"a"},{"key":"b","n":1}]}`, `{"x":[{"key":"a"}]}`, `{"x":[{"key":"a"},{"key":"b","n":2}]}`,
			`{"x":[{"key":"a"},{"key":"b","n":2}]}`, []string{"x › b (removed by you, changed by somebody else)"}},
		{"texts in a list are one value",
			`{"x":["a","b"]}`, `{"x":["a","c"]}`, `{"x":["d","b"]}`, `{"x":["a","c"]}`, []string{"x"}},
	} {
		var documents []any
		for _, text := range []string{c.base, c.mine, c.theirs} {
			var v any
			if err := json.Unmarshal([]byte(text), &v); err != nil {
				t.Fatal(err)
			}
			documents = append(documents, v)
		}
		got := computed[merged](t, ctx, "merge", [][]any{documents})[0]
		var want any
		if err := json.Unmarshal([]byte(c.want), &want); err != nil {
			t.Fatal(err)
		}
		if !reflect.DeepEqual(got.Merged, want) {
			t.Errorf("%s: %v, want %v", c.name, got.Merged, want)
		}
		if strings.Join(got.Conflicts, "|") != strings.Join(c.conflicts, "|") {
			t.Errorf("%s: conflicts %q, want %q", c.name, got.Conflicts, c.conflicts)
		}
	}
}

// TestSmallRules tries rules of the console that no page shows on its own.
func TestSmallRules(t *testing.T) {
	ctx := logic(t)
	for function, cases := range map[string]map[string]string{
		"formOf": {"sheet.csv": "csv", "SHEET.TSV": "csv", "rows.ndjson": "jsonl", "list.yml": "yaml", "book.xlsx": "xlsx",
			"noending": "csv", "run.tap": "tap"},
		"endOf": {"2026-03-01": "2026-03-01T23:59:59Z", "2026-03-01T08:00:00Z": "2026-03-01T08:00:00Z", "": ""},
	} {
		for in, want := range cases {
			if got := computed[string](t, ctx, function, [][]any{{in}})[0]; got != want {
				t.Errorf("%s(%q) is %q, want %q", function, in, got, want)
			}
		}
	}
	type path struct {
		Checklist string
		Version   int
	}
	if got := computed[path](t, ctx, "pathOf", [][]any{{"workshop@2"}})[0]; got != (path{"workshop", 2}) {
		t.Errorf("workshop@2 is %+v", got)
	}
	const estimated = "estimated 8.40 s on bench-new from 14 editions measured on both"
	estimate := map[string]any{"rig": "bench-new", "value": 8.4, "shared": 14, "weight": 1}
	if got := computed[string](t, ctx, "estimateText", [][]any{{estimate, "s"}})[0]; got != estimated {
		t.Errorf("an estimate reads %q", got)
	}
	const scattered = "unsteady: the runs scatter by 8.1 %; the tolerance is 5.0 %; run 5 is an outlier"
	scatter := map[string]any{"unsteady": true, "spread": 0.081, "outliers": []int{4}, "tooFew": false, "runs": 5}
	if got := computed[string](t, ctx, "scatterWords", [][]any{{scatter, nil}})[0]; got != scattered {
		t.Errorf("a scatter reads %q", got)
	}
}
