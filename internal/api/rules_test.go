package api_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"

	"dappertally/core/checklist"
	"dappertally/internal/contract"
)

// TestContractKnowsKinds compares the contract with the kinds and curve shapes of the core.
func TestContractKnowsKinds(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromData(contract.Document)
	if err != nil {
		t.Fatal(err)
	}
	criterion := doc.Components.Schemas["Criterion"].Value.Properties
	for what, x := range map[string]struct {
		enum []any
		has  []string
	}{
		"kind":        {criterion["kind"].Value.Enum, words(checklist.Kinds)},
		"curve.shape": {criterion["curve"].Value.Properties["shape"].Value.Enum, checklist.Shapes},
	} {
		named := make([]string, len(x.enum))
		for i := range x.enum {
			named[i] = x.enum[i].(string)
		}
		if !slices.Equal(named, x.has) {
			t.Errorf("%s: the contract names %v, the core has %v", what, named, x.has)
		}
	}
}

func words[T ~string](all []T) []string {
	out := make([]string, len(all))
	for i := range all {
		out[i] = string(all[i])
	}
	return out
}

// TestRules requests the rules of a version, of a criterion that is being written, and of an incomplete one.
func TestRules(t *testing.T) {
	w := newWorld(t, true)
	var list struct {
		Rules []struct {
			Criterion, Words string
			Choices          []checklist.Choice
			Line             [][2]float64
			Relative         bool
		}
	}
	w.must(200, "", "GET", "/api/v1/checklists/workshop/2/rules", nil).into(t, &list)
	if len(list.Rules) < 30 {
		t.Errorf("%d rules", len(list.Rules))
	}
	for _, r := range list.Rules {
		if r.Words == "" {
			t.Errorf("%s has no scoring rule in words", r.Criterion)
		}
	}
	var kinds struct{ Kinds, Shapes []struct{ Key, Title string } }
	w.must(200, "", "GET", "/api/v1/kinds", nil).into(t, &kinds)
	if len(kinds.Kinds) != len(checklist.Kinds) || len(kinds.Shapes) != len(checklist.Shapes) {
		t.Errorf("%+v", kinds)
	}
	measure := map[string]any{
		"key": "start", "kind": "measure", "unit": "s", "better": "lower",
		"curve": map[string]any{"shape": "span", "poor": 45, "ideal": 5},
	}
	var one struct{ Line [][2]float64 }
	w.must(200, "", "POST", "/api/v1/rules", measure).into(t, &one)
	if len(one.Line) != 2 || one.Line[0] != [2]float64{5, 100} || one.Line[1] != [2]float64{45, 0} {
		t.Errorf("the line is %v", one.Line)
	}
	measure["curve"] = map[string]any{"shape": "span", "poor": 5, "ideal": 45}
	if r := w.must(422, "", "POST", "/api/v1/rules", measure); !strings.Contains(
		string(r.body), "contradicts the direction",
	) {
		t.Errorf("a curve the wrong way round: %s", r.body)
	}
	measure["curve"] = map[string]any{"shape": "steps", "points": [][2]float64{}}
	w.must(422, "", "POST", "/api/v1/rules", measure)
}
