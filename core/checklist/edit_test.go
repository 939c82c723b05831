package checklist

import (
	"strings"
	"testing"

	"dappertally/core/fault"
)

func TestApply(t *testing.T) {
	list := sound()
	before := list.Clone()
	var book fault.Book
	guide, _ := list.Criterion("guide")
	heavier := *guide
	heavier.Weight = 5
	next := Apply(list, []Edit{
		{Drop: "steps"}, {Section: "usability", Criterion: &heavier}, {Section: "performance", Weight: number(10)},
		{Section: "performance", Criterion: &Criterion{Key: "resume", Kind: Check, Weight: 1}},
	}, &book)
	if faults := book.List(); len(faults) > 0 {
		t.Fatal(faults)
	}
	if !sameText(list, before) {
		t.Error("the list that the edits are made to was changed")
	}
	if _, there := next.Criterion("steps"); there {
		t.Error("steps is still there")
	}
	if g, _ := next.Criterion("guide"); g.Weight != 5 || next.Sections[1].Criteria[0].Key != "guide" {
		t.Error("guide did not change in its place")
	}
	if next.SectionOf("resume") != "performance" || next.Sections[0].Weight != 10 {
		t.Error("resume or the section's weight is missing")
	}
	edits, rest := EditsBetween(list, next)
	again := Apply(list, edits, &book)
	if len(rest) > 0 || !sameText(next, again) {
		t.Errorf("the edits found between the two lists do not lead from one to the other (left: %v)", rest)
	}
}

func TestApplyForgetsWhatWasDropped(t *testing.T) {
	var book fault.Book
	next := Apply(sound(), []Edit{{Drop: "start"}, {Drop: "guide"}}, &book)
	if faults := book.List(); len(faults) > 0 {
		t.Fatal(faults)
	}
	if len(next.Policy.Decisive) != 0 || next.Audiences[0].Criteria["guide"] != 0 {
		t.Error("a decisive criterion or an audience still names what was dropped")
	}
}

func TestApplyRefuses(t *testing.T) {
	for _, c := range []struct {
		name, pointer, says string
		edits               []Edit
	}{
		{"nothing", "/edits", "nothing to change", nil},
		{"an edit of no sort", "/edits/0", "exactly one", []Edit{{}}},
		{"an edit of two sorts", "/edits/0", "exactly one", []Edit{{Drop: "guide", Section: "usability", Weight: number(1)}}},
		{"an unknown criterion", "/edits/0/drop", "no criterion", []Edit{{Drop: "luck"}}},
		{"an unknown section", "/edits/1/section", "no section", []Edit{{Drop: "steps"}, {Section: "luck", Weight: number(1)}}},
		{"a list that would not be sound", "", "0 or more", []Edit{{Section: "usability", Weight: number(-1)}}},
		{"a section left without a weight", "", "none of its criteria", []Edit{{Drop: "start"}, {Drop: "steps"}}},
	} {
		var book fault.Book
		Apply(sound(), c.edits, &book)
		if !holds(book.List(), c.pointer, c.says) {
			t.Errorf("%s: %v", c.name, book.List())
		}
	}
}

func TestOverlap(t *testing.T) {
	base := sound()
	other := base.Clone()
	start, _ := other.Criterion("start")
	start.Weight = 7
	other.Sections[1].Weight = 50
	edits := []Edit{
		{Section: "performance", Criterion: &Criterion{Key: "start"}},
		{Drop: "guide"},
		{Section: "usability", Weight: number(1)},
	}
	if got := strings.Join(Overlap(base, other, edits), ", "); got != "start, section usability" {
		t.Errorf("overlap: %q", got)
	}
}

func TestCommonGround(t *testing.T) {
	older := sound()
	newer := older.Clone()
	start, _ := newer.Criterion("start")
	start.Curve.Ideal = 12
	guide, _ := newer.Criterion("guide")
	guide.Weight = 3
	newer.Sections[1].Criteria = append(newer.Sections[1].Criteria, Criterion{Key: "telemetry", Kind: Check, Weight: 1})
	ground, keys := CommonGround(older, newer)
	if got := strings.Join(keys, " "); got != "steps guide wireless media setup" {
		t.Errorf("common ground: %s", got)
	}
	if g, _ := ground.Criterion("guide"); g.Weight != 3 {
		t.Error("the common ground is not weighed by the newer list")
	}
	if len(newer.Sections[1].Criteria) != 5 {
		t.Error("the newer list was changed")
	}
}
