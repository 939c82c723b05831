package exports

import (
	"dappertally/core/catalogue"
	"dappertally/internal/imports"
	"dappertally/internal/tables"
)

var entries = tables.Define("catalogue", "a distribution, release, edition or rig, as it can be imported",
	tables.Text("kind", "", "distribution, release, edition or rig"),
	tables.Text("key", "", ""),
	tables.Text("*", "", "the fields of each kind, by their names"),
)

// Catalogue is a table with a row for each distribution, release, edition and rig, in the columns that an import of
// the catalogue reads.
func Catalogue(distributions []catalogue.Distribution, rigs []catalogue.Rig) *tables.Table {
	var fields []tables.Column
	for _, name := range imports.CatalogueColumns() {
		fields = append(fields, tables.Text(name, "", ""))
	}
	t := entries.Table(fields...)
	add := func(kind imports.Kind, key string, thing any) {
		t.Add(append([]any{string(kind), key}, imports.RowOf(thing)...)...)
	}
	for i := range distributions {
		d := &distributions[i]
		add(imports.Distribution, d.Key, d)
		for j := range d.Releases {
			r := &d.Releases[j]
			key := d.Key + "/" + r.Version
			add(imports.Release, key, r)
			for k := range r.Editions {
				add(imports.Edition, key+"/"+r.Editions[k].Key, &r.Editions[k])
			}
		}
	}
	for i := range rigs {
		add(imports.Rig, rigs[i].Key, &rigs[i])
	}
	return t
}
