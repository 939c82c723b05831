package checklist

import (
	"strings"
	"testing"

	"dappertally/core/fault"
)

func TestRules(t *testing.T) {
	list := &Checklist{Measuring: Measuring{Conditions: []Rule{
		{When: OthersLoad, Limit: new(0.5), Do: Await, Wait: 30}, {When: OnBattery, Do: Notice},
	}}}
	rules := list.Rules(&Procedure{Conditions: []Rule{{When: OnBattery, Do: Redo}}})
	if len(rules) != len(ConditionKinds) {
		t.Fatalf("%d rules for %d conditions", len(rules), len(ConditionKinds))
	}
	for _, want := range []string{
		"battery: repeat", "load above 0.5 processors: wait 30 s", "capped below 1 of the highest possible: note",
		"swapped above 256 pages: wait 120 s", "disk below 256 MiB: stop", "clock above 0.1 s: repeat",
	} {
		found := false
		for i := range rules {
			found = found || rules[i].String() == want
		}
		if !found {
			t.Errorf("there is no rule %q", want)
		}
	}
}

func TestValidateRules(t *testing.T) {
	for _, c := range []struct {
		rule  Rule
		fault string // empty: none
	}{
		{Rule{When: OthersLoad, Do: Await, Wait: 5}, ""},
		{Rule{When: OthersLoad, Limit: new(0.0), Do: Stop}, ""},
		{Rule{When: "noise", Do: Stop}, "/0/when: must be one of battery, heat"},
		{Rule{When: OnBattery, Do: "pray"}, `/0/do: must be stop, wait, repeat or note, not "pray"`},
		{Rule{When: OnBattery, Limit: new(1.0), Do: Stop}, "/0/limit: battery has no limit"},
		{Rule{When: OthersLoad, Limit: new(-1.0), Do: Stop}, "/0/limit: must be between 0"},
		{Rule{When: OnBattery, Do: Await}, "/0/do: battery does not end by waiting"},
		{Rule{When: OthersLoad, Do: Stop, Wait: 9}, "/0/wait: is only for do: wait"},
		{Rule{When: OthersLoad, Do: Await, Wait: 1e9}, "/0/wait: must be between 0 and 86400"},
	} {
		var book fault.Book
		v := validator{&book, &Checklist{}, nil}
		v.rules([]Rule{c.rule})
		if got := book.List().Error(); (len(book.List()) == 0) != (c.fault == "") || !strings.Contains(got, c.fault) {
			t.Errorf("%+v: %q, want %q", c.rule, got, c.fault)
		}
	}
	var book fault.Book
	v := validator{&book, &Checklist{}, nil}
	v.rules([]Rule{{When: OnBattery, Do: Stop}, {When: OnBattery, Do: Redo}})
	if !strings.Contains(book.List().Error(), "battery already has a rule") {
		t.Errorf("two rules for one condition: %v", book.List())
	}
}

func TestReference(t *testing.T) {
	for _, c := range []struct {
		criterion Criterion
		fault     string // empty: none
	}{
		{Criterion{Key: "spin", Reference: true, Procedure: &Procedure{}}, ""},
		{Criterion{Key: "spin", Procedure: &Procedure{}, Weight: 2}, ""},
		{Criterion{Key: "spin", Reference: true}, "/reference: needs a procedure"},
		{Criterion{Key: "spin", Reference: true, Procedure: &Procedure{}, Weight: 2}, "/reference: is never scored"},
		{Criterion{Key: "other", Reference: true, Procedure: &Procedure{}}, "/reference: spin is already the reference"},
	} {
		c.criterion.Kind = Measure
		list := &Checklist{Sections: []Section{{Criteria: []Criterion{
			{Key: "spin", Kind: Measure, Reference: true, Procedure: &Procedure{}},
		}}}}
		if c.criterion.Key == "spin" {
			list.Sections[0].Criteria[0] = c.criterion
		}
		var book fault.Book
		(&validator{&book, list, nil}).reference(&c.criterion)
		if got := book.List().Error(); (len(book.List()) == 0) != (c.fault == "") || !strings.Contains(got, c.fault) {
			t.Errorf("%+v: %q, want %q", c.criterion, got, c.fault)
		}
		if c.criterion.Scored() == c.criterion.Reference || c.criterion.Measured() == c.criterion.Reference {
			t.Errorf("%+v: scored %v, measured %v", c.criterion, c.criterion.Scored(), c.criterion.Measured())
		}
	}
}
