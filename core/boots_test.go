package core_test

import (
	"testing"

	"dappertally/core/comparing"
	"dappertally/core/scoring"
)

// TestBoots compares runs that name their start of the machine with results worked out by hand.
func TestBoots(t *testing.T) {
	b := parse(t, "testdata/boots.bundle.json")
	var want []struct {
		Edition, Verdict, Caution, Why string
		Boots, BaselineBoots           int
	}
	load(t, "testdata/boots.expected.json", &want)
	table := scoring.Tabulate(b.Input(&b.Checklists[0]), scoring.Options{})
	got, err := comparing.Compare(table, "base/1/x", nil)
	if err != nil {
		t.Fatal(err)
	}
	if len(got.Rows) != len(want) {
		t.Fatalf("%d rows, not %d", len(got.Rows), len(want))
	}
	for i, w := range want {
		r := got.Rows[i]
		if r.Edition != w.Edition || string(r.Verdict) != w.Verdict || r.Caution != w.Caution ||
			r.Boots != w.Boots || r.BaselineBoots != w.BaselineBoots {
			t.Errorf("%s: %s, %q, %d against %d starts; want %+v", r.Edition, r.Verdict, r.Caution, r.Boots, r.BaselineBoots, w)
		}
	}
}
