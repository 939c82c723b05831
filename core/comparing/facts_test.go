package comparing

import (
	"reflect"
	"testing"
)

func TestCompareVersions(t *testing.T) {
	ordered := []string{"1.9", "1.10~beta2", "1.10-rc1", "1.10", "1.10a", "1.10.1", "v2", "2.0.1", "10"}
	for i, a := range ordered {
		for j, b := range ordered {
			want := 0
			if i < j {
				want = -1
			} else if i > j {
				want = 1
			}
			if got := CompareVersions(a, b); got != want {
				t.Errorf("%s and %s: %d, want %d", a, b, got, want)
			}
		}
	}
	for s, want := range map[string]bool{"6.1": true, "v6": true, "": false, "v": false, "6.1 and 6.2": false, "six": false} {
		if LooksLikeVersion(s) != want {
			t.Errorf("%q looks like a version: %t", s, !want)
		}
	}
}

func TestFactsOf(t *testing.T) {
	table := tabled(1,
		made("a/1/x", 1, kernel("6.1"), formats("bale", "crate")),
		made("b/1/x", 1, kernel("6.4"), formats("Crate ", "sack")),
		made("c/1/x", 1, menu(4)))
	components := []Component{
		{
			"kernel",
			[]Version{{"6.0", "2026-01-01"}, {"6.2", "2026-04-01"}, {"6.4", "2026-04-21"}, {"6.5", "2026-06-01"}},
		},
	}
	rows := FactsOf(table, []string{"a/1/x", "b/1/x", "c/1/x", "gone/1/x"}, components)
	if len(rows) != 2 {
		t.Fatalf("%+v", rows)
	}
	k, f := rows[0], rows[1]
	if !k.Versions || !k.Differs || k.Cells[1].Order != "newer" || k.Cells[2].Value != nil || len(k.Cells) != 3 {
		t.Errorf("kernel: %+v", k)
	}
	// On 1 May 6.4 was the newest; 6.2, out for thirty days, was the first missed.
	if got := k.Cells[0].Behind; !reflect.DeepEqual(got, &Behind{"6.4", 2, 30}) {
		t.Errorf("6.1 lay behind: %+v", got)
	}
	if got := k.Cells[1].Behind; got == nil || got.Versions != 0 || got.Days != 0 {
		t.Errorf("6.4 lay behind: %+v", got)
	}
	if got := f.Cells[1]; !f.Differs || !reflect.DeepEqual(got.OnlyHere, []string{"sack"}) ||
		!reflect.DeepEqual(got.Lacks, []string{"bale"}) {
		t.Errorf("formats: %+v", got)
	}
	rows = FactsOf(tabled(1,
		made("a/1/x", 1, numbered(6.1)), made("b/1/x", 1, kernel("6.4.2")), made("d/1/x", 1, numbered(6.4))),
		[]string{"a/1/x", "b/1/x", "d/1/x"}, components)
	if k := rows[0]; !k.Versions || k.Cells[1].Order != "newer" || k.Cells[2].Order != "newer" ||
		!reflect.DeepEqual(k.Cells[0].Behind, &Behind{"6.4", 2, 30}) || k.Cells[2].Behind.Versions != 0 {
		t.Errorf("versions that were recorded as numbers: %+v", k)
	}
	counts := tabled(1, made("a/1/x", 1, numbered(6.1)), made("d/1/x", 1, numbered(6.4)))
	both := []string{"a/1/x", "d/1/x"}
	if k := FactsOf(counts, both, nil)[0]; k.Versions || !k.Differs || k.Cells[1].Order != "" {
		t.Errorf("numbers: %+v", k)
	}
	if k := FactsOf(counts, both, components)[0]; !k.Versions || k.Cells[1].Order != "newer" {
		t.Errorf("numbers that are versions of a component: %+v", k)
	}
	if rows := FactsOf(table, []string{"c/1/x", "a/1/x"}, nil); rows[0].Differs || rows[0].Cells[1].Order != "" {
		t.Errorf("against nothing: %+v", rows[0])
	}
}
