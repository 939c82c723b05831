package survey

import (
	"strings"
	"testing"

	"dappertally/core/checklist"
)

func TestAdvise(t *testing.T) {
	list := &checklist.Checklist{Sections: []checklist.Section{{Criteria: []checklist.Criterion{
		{Key: "a", Kind: checklist.Fact, Survey: "kernel.version"},
		{Key: "b", Kind: checklist.Fact, Survey: "user.shell"},
		{
			Key:     "c",
			Kind:    checklist.Measure,
			Survey:  "memory.available",
			Context: checklist.Context{Method: "memory-resident"},
		},
		{
			Key:     "d",
			Kind:    checklist.Measure,
			Survey:  "memory.available",
			Context: checklist.Context{Method: "memory-available"},
		},
		{Key: "e", Kind: checklist.Grade, Survey: "os.name"},
		{Key: "f", Kind: checklist.Grade},
	}}}}
	var got []string
	for _, a := range Advise(list) {
		got = append(got, a.Pointer[len("/sections/0/criteria/"):]+" "+a.Text[:min(len(a.Text), 20)])
	}
	if want := "1 b: there is no surve|2 c: surveys read memo|4 e: a survey cannot a"; strings.Join(got, "|") != want {
		t.Errorf("%s, want %s", strings.Join(got, "|"), want)
	}
}
