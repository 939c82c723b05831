package exports_test

import (
	"bytes"
	"reflect"
	"slices"
	"strings"
	"testing"

	"dappertally/core/catalogue"
	"dappertally/core/fault"
	"dappertally/internal/demo"
	"dappertally/internal/exports"
	"dappertally/internal/imports"
	"dappertally/internal/tables"
)

// TestCatalogueComesBack exports the demo's catalogue as a table and reads it as an import does: nothing is lost.
func TestCatalogueComesBack(t *testing.T) {
	b, err := demo.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	b.Rigs[0].Weight, b.Rigs[0].Retired = new(0.5), true
	b.Distributions[0].Retired = true
	b.Distributions[0].Releases[0].Replaces = []string{"1.0", "1.1"}
	var text bytes.Buffer
	if err := tables.WriteCSV(&text, exports.Catalogue(b.Distributions, b.Rigs)); err != nil {
		t.Fatal(err)
	}
	entries, err := imports.ReadCatalogue(&text, "csv")
	if err != nil {
		t.Fatal(err)
	}
	read := map[string]any{}
	for _, e := range entries {
		var thing any
		switch e.Kind {
		case imports.Distribution:
			thing = &catalogue.Distribution{Key: e.Key}
		case imports.Release:
			thing = &catalogue.Release{Version: e.Key[strings.LastIndex(e.Key, "/")+1:]}
		case imports.Edition:
			thing = &catalogue.Edition{Key: e.Key[strings.LastIndex(e.Key, "/")+1:]}
		case imports.Rig:
			thing = &catalogue.Rig{Key: e.Key}
		}
		var book fault.Book
		if e.Apply(thing, &book); e.Fault != "" || len(book.List()) > 0 {
			t.Fatalf("%s: %s, %v", e.Key, e.Fault, book.List())
		}
		read[string(e.Kind)+" "+e.Key] = thing
	}
	looked := 0
	same := func(kind imports.Kind, key string, want any) {
		t.Helper()
		looked++
		got := read[string(kind)+" "+key]
		if got == nil {
			t.Errorf("%s %s is gone", kind, key)
			return
		}
		if d := imports.Differences(want, got); len(d) > 0 {
			t.Errorf("%s %s differs by %v", kind, key, d)
		}
	}
	for i := range b.Distributions {
		d := &b.Distributions[i]
		same(imports.Distribution, d.Key, d)
		for j := range d.Releases {
			r := &d.Releases[j]
			same(imports.Release, d.Key+"/"+r.Version, r)
			for k := range r.Editions {
				same(imports.Edition, catalogue.EditionKey(d.Key, r.Version, r.Editions[k].Key), &r.Editions[k])
			}
		}
	}
	for i := range b.Rigs {
		same(imports.Rig, b.Rigs[i].Key, &b.Rigs[i])
		if got := read["rig "+b.Rigs[i].Key]; !reflect.DeepEqual(got, &b.Rigs[i]) {
			t.Errorf("the rig %+v comes back as %+v", b.Rigs[i], got)
		}
	}
	if looked != len(entries) || looked < 30 {
		t.Errorf("%d entries of %d were compared", looked, len(entries))
	}
}

// TestDifferencesOfEntries names the fields in which two entries differ.
func TestDifferencesOfEntries(t *testing.T) {
	was := &catalogue.Rig{Key: "bench-old", Name: "Old", MemoryMiB: 2048, Equipment: []string{"wireless"}}
	is := &catalogue.Rig{Key: "another", Name: "Old laptop", Virtual: true, Equipment: []string{"wireless",
		"printer"}, Weight: new(0.5)}
	want := []imports.Difference{
		{Field: "name", Was: "Old", Is: "Old laptop"}, {Field: "virtual", Was: "nothing", Is: "yes"},
		{Field: "memoryMiB", Was: "2048", Is: "nothing"}, {Field: "equipment", Was: "wireless", Is: "wireless, printer"},
		{Field: "weight", Was: "nothing", Is: "0.5"},
	}
	if got := imports.Differences(was, is); !slices.Equal(got, want) {
		t.Errorf("%+v, want %+v", got, want)
	}
	if got := imports.Differences(was, was); len(got) > 0 {
		t.Errorf("an entry differs from itself by %+v", got)
	}
	deep := imports.Differences(&catalogue.Edition{}, &catalogue.Edition{Needs: catalogue.Needs{MemoryMiB: 2048}})
	if !slices.Equal(deep, []imports.Difference{{Field: "needs.memoryMiB", Was: "nothing", Is: "2048"}}) {
		t.Errorf("a field of a field: %+v", deep)
	}
}
