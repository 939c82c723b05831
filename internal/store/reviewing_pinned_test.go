package store

import (
	"encoding/json"
	"math"
	"reflect"
	"testing"

	"dappertally/core/reading"
)

// Answers read by the fast way equal those read by the general one.
func TestPlainAnswers(t *testing.T) {
	number := func(x float64) *float64 { return &x }
	k, n := 13, 20
	p := rowReader{texts: map[string]string{}}
	for _, a := range []reading.Answer{
		{}, {Grade: number(7.5)}, {Grade: number(0)}, {Check: reading.Workaround}, {Level: "by-hand"},
		{Level: `with "quotes" and \`}, {Level: "ünïcode <&>"}, {Runs: []float64{1, 2.25, 1e300, -0.001, 5e-324}},
		{Runs: []float64{math.Pi}}, {Count: &reading.Count{K: &k, N: &n}}, {Count: &reading.Count{K: &k}},
		{Count: &reading.Count{Worked: []string{"a"}, Failed: []string{"b", "c"}}}, {NotTested: "no time"},
		{NotApplicable: "no radio"}, {Fact: &reading.Fact{Text: "6.18"}},
		{Fact: &reading.Fact{Sort: reading.FactList, List: []string{"x", "y"}}},
	} {
		document := []byte(asJSON(&a))
		var want, got reading.Answer
		if err := json.Unmarshal(document, &want); err != nil {
			t.Fatal(err)
		}
		if err := p.answer(document, &got); err != nil || !reflect.DeepEqual(got, want) {
			t.Errorf("%s is read as %+v, %v; want %+v", document, got, err, want)
		}
	}
	for _, document := range []string{
		`{ "grade" : 7 }`, `{"runs":[ 1 , 2 ]}`, `{"runs":[]}`, `{"grade":1,"check":"works"}`, `{"count":{"n":20,"k":3}}`,
	} {
		var want, got reading.Answer
		if err := json.Unmarshal([]byte(document), &want); err != nil {
			t.Fatal(err)
		}
		if err := p.answer([]byte(document), &got); err != nil || !reflect.DeepEqual(got, want) {
			t.Errorf("%s is read as %+v, %v; want %+v", document, got, err, want)
		}
	}
	if err := p.answer([]byte(`{"grade":`), &reading.Answer{}); err == nil {
		t.Error("half an answer is no error")
	}
}
