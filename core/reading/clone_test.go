package reading

import (
	"reflect"
	"testing"
	"time"

	"dappertally/core/checklist"
)

// complete is a reading with a value in every field, including fields that exclude each other.
func complete() Reading {
	at := time.Date(2026, 4, 2, 9, 0, 0, 0, time.UTC)
	return Reading{
		ID: "a", Criterion: "start", Reviewer: "ines", Rig: "bench-old", At: at, Received: new(at.Add(time.Hour)),
		System:  "s1",
		Context: checklist.Context{Method: "stopwatch", Setup: "default", Phase: "fresh"},
		Answer: Answer{
			Grade: new(7.5), Check: Works, Runs: []float64{20, 21}, Level: "guided", NotApplicable: "none", NotTested: "no time",
			Count: &Count{Worked: []string{"a"}, Workaround: []string{"b"}, Failed: []string{"c"}, NotTested: []string{"d"},
				K: new(3), N: new(4)},
			Fact: &Fact{Text: "text", Number: 5, List: []string{"bale", "crate"}, Sort: FactList},
		},
		Boots: []Boot{{ID: "boot", Runs: 2}}, Adjustment: &Adjustment{Amount: 0.5, Reason: "the watch"}, Bound: "about",
		Disturbance: "a recorder ran", Replaces: "b", Repeat: true, Note: "note",
	}
}

// addresses collects where the memory begins that a value refers to, by the path to it.
func addresses(v reflect.Value, path string, at map[uintptr]string) {
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() && v.Type() != reflect.TypeFor[*time.Location]() {
			at[v.Pointer()] = path
			addresses(v.Elem(), path, at)
		}
	case reflect.Slice:
		if v.Len() > 0 {
			at[v.Pointer()] = path
		}
	case reflect.Struct:
		for i := range v.NumField() {
			addresses(v.Field(i), path+"."+v.Type().Field(i).Name, at)
		}
	}
}

// TestClone: a copy is equal and shares no memory, in any field.
func TestClone(t *testing.T) {
	r := complete()
	for i := range reflect.TypeOf(r).NumField() {
		if reflect.ValueOf(r).Field(i).IsZero() {
			t.Errorf("%s is not tried", reflect.TypeOf(r).Field(i).Name)
		}
	}
	for i := range reflect.TypeOf(r.Answer).NumField() {
		if reflect.ValueOf(r.Answer).Field(i).IsZero() {
			t.Errorf("%s of the answer is not tried", reflect.TypeOf(r.Answer).Field(i).Name)
		}
	}
	own := r.Clone()
	if !reflect.DeepEqual(own, r) {
		t.Errorf("%+v is copied as %+v", r, own)
	}
	theirs, ours := map[uintptr]string{}, map[uintptr]string{}
	addresses(reflect.ValueOf(r), "reading", theirs)
	addresses(reflect.ValueOf(own), "reading", ours)
	if len(ours) < 12 {
		t.Errorf("only %d parts are looked at", len(ours))
	}
	for address, path := range ours {
		if _, shared := theirs[address]; shared {
			t.Errorf("%s is shared", path)
		}
	}
	empty := Reading{ID: "a"}
	if own := empty.Clone(); !reflect.DeepEqual(own, empty) {
		t.Errorf("an empty reading is copied as %+v", own)
	}
}

// TestChain follows reviews back to the first, also where they wrongly continue each other.
func TestChain(t *testing.T) {
	reviews := map[string]*Review{}
	for id, continues := range map[string]string{"a": "", "b": "a", "c": "b", "x": "y", "y": "x", "z": "gone"} {
		reviews[id] = &Review{ID: id, Continues: continues}
	}
	for id, want := range map[string]string{"a": "a", "c": "cba", "x": "xy", "z": "z", "nobody's": ""} {
		got := ""
		for _, r := range Chain(reviews[id], reviews) {
			got += r.ID
		}
		if got != want {
			t.Errorf("the chain of %s is %q, want %q", id, got, want)
		}
	}
}

// TestStatistic finds a figure of a frame log by the name that checklists use.
func TestStatistic(t *testing.T) {
	f := Frames{Average: 60, Lows: []Low{{Percent: 1, TailMean: 40, Percentile: 45}, {Percent: 0.1, TailMean: 20,
		Percentile: 25}}}
	want := map[string]float64{"average": 60, "low-1-tail": 40, "low-1-percentile": 45, "low-0.1-tail": 20,
		"low-0.1-percentile": 25}
	for _, name := range checklist.FrameStatistics {
		if got := f.Statistic(name); got != want[name] {
			t.Errorf("%s is %v, want %v", name, got, want[name])
		}
	}
	if len(want) != len(checklist.FrameStatistics) {
		t.Errorf("checklists know %v", checklist.FrameStatistics)
	}
	for _, name := range []string{"", "highest", "low-5-tail"} {
		if got := f.Statistic(name); got == got {
			t.Errorf("%q is %v; there is no such figure", name, got)
		}
	}
}
