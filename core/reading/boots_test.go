package reading

import (
	"reflect"
	"slices"
	"strings"
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/fault"
)

func TestByBoot(t *testing.T) {
	first := &Reading{
		Answer: Answer{Runs: []float64{5, 7, 6}}, Adjustment: &Adjustment{Amount: 1},
		Boots: []Boot{{"a", 2}, {"b", 1}},
	}
	second := &Reading{Answer: Answer{Runs: []float64{9, 3}}, Boots: []Boot{{"b", 1}, {"c", 1}}}
	by := ByBoot([]*Reading{first, second})
	if want := [][]float64{{4, 6}, {5, 9}, {3}}; !reflect.DeepEqual(by, want) {
		t.Fatalf("%v, not %v", by, want)
	}
	if got, want := BootMedians(by), []float64{5, 7, 3}; !slices.Equal(got, want) {
		t.Errorf("medians %v, not %v", got, want)
	}
	if by := ByBoot([]*Reading{first, {Answer: Answer{Runs: []float64{1}}}}); by != nil {
		t.Errorf("%v, though one reading does not say its starts", by)
	}
}

func TestBootWords(t *testing.T) {
	boots := InBoots([]string{"a", "a", "b:1", "a"})
	if want := []Boot{{"a", 2}, {"b:1", 1}, {"a", 1}}; !slices.Equal(boots, want) {
		t.Fatalf("%v, not %v", boots, want)
	}
	if n := Starts(boots); n != 2 {
		t.Errorf("%d starts, not 2", n)
	}
	if got, err := ParseBoots(BootWords(boots)); err != nil || !slices.Equal(got, boots) {
		t.Errorf("%v, %v", got, err)
	}
	if got, err := ParseBoots(" "); got != nil || err != nil {
		t.Errorf("%v, %v", got, err)
	}
	if InBoots([]string{"a", ""}) != nil {
		t.Error("a run without a start was given one")
	}
	for _, bad := range []string{"a", ":3", "a:x", "a:1 b"} {
		if got, err := ParseBoots(bad); err == nil {
			t.Errorf("%q became %v", bad, got)
		}
	}
}

func TestValidateBoots(t *testing.T) {
	list := &checklist.Checklist{Sections: []checklist.Section{
		{Criteria: []checklist.Criterion{{Key: "start", Kind: checklist.Measure}}},
	}}
	for _, c := range []struct {
		boots []Boot
		fault string // empty: none
	}{
		{nil, ""},
		{[]Boot{{"a", 2}, {"b", 1}}, ""},
		{[]Boot{{"a", 2}}, "/boots: leave out 1 of the 3 runs"},
		{[]Boot{{"a", 2}, {"b", 2}}, "/boots/1/runs: must be between 1 and the 1 runs that are left, not 2"},
		{[]Boot{{"a", -1}, {"b", 3}}, "/boots/0/runs: must be between 1"},
		{[]Boot{{"", 3}}, "/boots/0/id: must be 1 to 64 characters"},
		{[]Boot{{"a b", 3}}, "/boots/0/id: must be 1 to 64 characters"},
		{[]Boot{{strings.Repeat("x", 65), 3}}, "/boots/0/id: must be 1 to 64 characters"},
	} {
		var book fault.Book
		Validate(&Reading{
			ID: "0198a0b0-0000-7000-8000-000000000001", Criterion: "start", Reviewer: "ines",
			Answer: Answer{Runs: []float64{1, 2, 3}}, Boots: c.boots,
		}, list, &book)
		if got := book.List().Error(); (len(book.List()) == 0) != (c.fault == "") || !strings.Contains(got, c.fault) {
			t.Errorf("%v: %q, want %q", c.boots, got, c.fault)
		}
	}
}
