package imports

import (
	"slices"
	"strings"
	"testing"

	"dappertally/core/catalogue"
	"dappertally/core/fault"
)

// read reads a catalogue and returns its entries, or the faults.
func read(form, text string) ([]Entry, string) {
	entries, err := ReadCatalogue(strings.NewReader(text), form)
	if err != nil {
		return nil, err.Error()
	}
	return entries, ""
}

// TestCatalogueIsReadAlike: a nested document, a list of rows and tables state the same.
func TestCatalogueIsReadAlike(t *testing.T) {
	const nested = `
distributions:
  - key: mossgate
    name: Mossgate
    family: [fenbase, wharfbase]
    model: fixed
    releases:
      - version: 6.10
        date: 2026-10-20
        replaces: [6.9]
        editions:
          - {key: latchwork, desktop: Latchwork, needs: {memoryMiB: 2048}}
rigs:
  - {key: bench-tiny, virtual: yes, cores: 4, weight: 0.5, equipment: [printer, wireless]}
`
	const rows = `
- {kind: distribution, key: mossgate, name: Mossgate, family: "fenbase, wharfbase", model: fixed}
- {kind: release, key: mossgate/6.10, date: 2026-10-20, replaces: 6.9}
- {kind: edition, key: mossgate/6.10/latchwork, desktop: Latchwork, needs.memoryMiB: 2048}
- {kind: rig, key: bench-tiny, virtual: true, cores: 4, weight: 0.5, equipment: printer; wireless}
`
	const csv = `kind;key;name;family;model;date;replaces;desktop;needs.memoryMiB;virtual;cores;weight;equipment
distribution;mossgate;Mossgate;fenbase, wharfbase;fixed;;;;;;;;
release;mossgate/6.10;;;;2026-10-20;6.9;;;;;;
edition;mossgate/6.10/latchwork;;;;;;Latchwork;2048;;;;
rig;bench-tiny;;;;;;;;1;4;0,5;"[""printer"", ""wireless""]"
`
	jsonl := `{"kind":"distribution","key":"mossgate","name":"Mossgate","family":["fenbase","wharfbase"],"model":"fixed"}
{"kind":"release","key":"mossgate/6.10","date":"2026-10-20","replaces":["6.9"]}
{"kind":"edition","key":"mossgate/6.10/latchwork","desktop":"Latchwork","needs":{"memoryMiB":2048}}
{"kind":"rig","key":"bench-tiny","virtual":true,"cores":4,"weight":0.5,"equipment":["printer","wireless"]}
`
	for form, text := range map[string]string{"yaml": nested, "yaml rows": rows, "csv": csv, "jsonl": jsonl} {
		entries, wrong := read(strings.Fields(form)[0], text)
		if wrong != "" || len(entries) != 4 {
			t.Errorf("%s: %d entries, %s", form, len(entries), wrong)
			continue
		}
		var d catalogue.Distribution
		var r catalogue.Release
		var e catalogue.Edition
		var rig catalogue.Rig
		var book fault.Book
		for i, thing := range []any{&d, &r, &e, &rig} {
			if entries[i].Fault != "" {
				t.Errorf("%s: line %d: %s", form, entries[i].Line, entries[i].Fault)
			}
			entries[i].Apply(thing, &book)
		}
		if faults := book.List(); len(faults) > 0 {
			t.Errorf("%s: %s", form, faults)
		}
		if entries[2].Key != "mossgate/6.10/latchwork" || d.Name != "Mossgate" ||
			!slices.Equal(d.Family, []string{"fenbase", "wharfbase"}) ||
			r.Date != "2026-10-20" ||
			!slices.Equal(r.Replaces, []string{"6.9"}) ||
			e.Needs.MemoryMiB != 2048 {
			t.Errorf("%s: %+v, %+v, %+v, %+v", form, entries[2], d, r, e)
		}
		if !rig.Virtual || rig.Cores != 4 || *rig.Weight != 0.5 ||
			!slices.Equal(rig.Equipment, []string{"printer", "wireless"}) {
			t.Errorf("%s: %+v", form, rig)
		}
	}
}

// TestCatalogueNamesItsFaults: every fault is reported with its line.
func TestCatalogueNamesItsFaults(t *testing.T) {
	for text, want := range map[string]string{
		"": "the file is empty", "- x": "row with named fields", "x": "distributions and rigs",
		"rigs: 3": "line 1: a list of rigs", "rigs:\n- 3": "line 2: a rig", "reviews: []": "as a bundle",
		"distributions: &a\n- *a": "line 2", "{": "line 1", "rigs: []": "no distributions and no rigs",
	} {
		if _, wrong := read("yaml", text); !strings.Contains(wrong, want) {
			t.Errorf("%q: %q, want %q", text, wrong, want)
		}
	}
	for text, want := range map[string]string{
		"": "empty", "kind,key\n": "no rows", "kind,name\nrig,x\n": "columns kind and key", "kind,key,colour,smell\n": "no column colour, smell",
	} {
		if _, wrong := read("csv", text); !strings.Contains(wrong, want) {
			t.Errorf("%q: %q, want %q", text, wrong, want)
		}
	}
	if _, wrong := read("tap", "1..1"); !strings.Contains(wrong, "yaml, csv") {
		t.Error(wrong)
	}
	for text, want := range map[string]string{
		"- {kind: bird, key: x}": "kind: must be one of", "- {kind: rig}": "key: is missing", "- {kind: release, key: mossgate}": "distribution/version",
		"rigs:\n- {cores: 2}": "key: is missing", "distributions:\n- {key: a, releases: [{date: 2026-01-01}]}": "version: is missing",
		"rigs:\n- {key: a, class: {x: {y: 1}}}": "too many levels", "rigs:\n- {key: a, equipment: [[1]]}": "plain values", "rigs:\n- {key: &k a, cpu: *k}": "write the value out",
	} {
		entries, wrong := read("yaml", text)
		if wrong != "" {
			t.Errorf("%q: %s", text, wrong)
			continue
		}
		if e := entries[len(entries)-1]; !strings.Contains(e.Column+": "+e.Fault, want) {
			t.Errorf("%q: %q, want %q", text, e.Column+": "+e.Fault, want)
		}
	}
	entries, _ := read(
		"yaml",
		"rigs:\n- key: a\n  cores: four\n  virtual: perhaps\n  weight: [1]\n  colour: red\n  memoryMiB: 99999999999\n",
	)
	var book fault.Book
	entries[0].Apply(&catalogue.Rig{}, &book)
	if faults := book.List(); len(faults) != 5 || faults[0].Pointer != "/cores" || entries[0].LineOf("virtual") != 4 {
		t.Errorf("%v", faults)
	}
}

func TestDaysOfASheet(t *testing.T) {
	for text, want := range map[string]string{"46315": "2026-10-20", "2026-10-20": "2026-10-20", "": ""} {
		if got := dayOfSheet(text); got != want {
			t.Errorf("%q is %q, want %q", text, got, want)
		}
	}
}
