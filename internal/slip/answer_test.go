package slip

import (
	"encoding/json"
	"strings"
	"testing"

	"dappertally/core/checklist"
)

func TestParseAnswer(t *testing.T) {
	for _, c := range []struct {
		kind  checklist.Kind
		words string
		want  string // as JSON; empty: refused
	}{
		{checklist.Grade, "7.5", `{"grade":7.5}`},
		{checklist.Grade, "7,5", `{"grade":7.5}`},
		{checklist.Grade, "seven", ""},
		{checklist.Grade, "NaN", ""},
		{checklist.Grade, "Inf", ""},
		{checklist.Grade, "7 8", ""},
		{checklist.Check, "works", `{"check":"works"}`},
		{checklist.Level, "guided", `{"level":"guided"}`},
		{checklist.Fact, "6.14 with patches", `{"fact":"6.14 with patches"}`},
		{checklist.Measure, "26.4 25,9 26", `{"runs":[26.4,25.9,26]}`},
		{checklist.Measure, "26.4 x", ""},
		{checklist.Count, "14/20", `{"count":{"k":14,"n":20}}`},
		{checklist.Count, "x/20", ""},
		{checklist.Count, "film=worked music=failed opera=untried", `{"count":{"worked":["film"],"failed":["music"],"notTested":["opera"]}}`},
		{checklist.Count, "film=perhaps", ""},
		{checklist.Count, "film", ""},
	} {
		a, err := ParseAnswer(&checklist.Criterion{Key: "x", Kind: c.kind}, strings.Fields(c.words))
		if c.want == "" {
			if err == nil {
				t.Errorf("%s %q is taken for %+v", c.kind, c.words, a)
			}
			continue
		}
		if got, _ := json.Marshal(a); err != nil || string(got) != c.want {
			t.Errorf("%s %q: %s, %v, want %s", c.kind, c.words, got, err, c.want)
		}
	}
}
