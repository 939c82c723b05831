package schema

import (
	"fmt"
	"reflect"
	"strings"

	"dappertally/core/checklist"
)

// parts are the objects of a checklist file, in the order in which it nests them.
var parts = []struct {
	title string
	of    any
}{
	{
		"The checklist",
		checklist.Checklist{},
	}, {"`policy`", checklist.Policy{}}, {"`vocabulary`", checklist.Vocabulary{}},
	{"An entry of the vocabulary, or of `shots`", checklist.Named{}}, {"A file of the `kit`", checklist.KitFile{}},
	{
		"A section",
		checklist.Section{},
	}, {"A criterion", checklist.Criterion{}}, {"`context`", checklist.Context{}}, {"`runs`", checklist.Runs{}},
	{
		"`plausible`",
		checklist.Range{},
	}, {"`curve`", checklist.Curve{}},
	{"`procedure`", checklist.Procedure{}}, {"A step of a procedure", checklist.Step{}}, {"`read`", checklist.Read{}},
	{"`sampling`", checklist.Sampling{}}, {"A rule of `conditions`", checklist.Rule{}},
	{"`measuring`", checklist.Measuring{}},
	{"An item of a count", checklist.Item{}}, {"A level", checklist.Rung{}},
	{"An audience", checklist.Audience{}},
}

// Reference returns every field of a checklist file as Markdown: a table for each object, from the types into which
// the file is read.
func Reference() string {
	var out strings.Builder
	for _, p := range parts {
		t := reflect.TypeOf(p.of)
		fmt.Fprintf(&out, "\n### %s\n\n| field | what it is | may be |\n| --- | --- | --- |\n", p.title)
		for f := range t.Fields() {
			key, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			field := t.Name() + "." + key
			fmt.Fprintf(&out, "| `%s` | %s | %s |\n", key, meanings[field], strings.Join(chosen[field], ", "))
		}
	}
	return out.String()
}
