package results

import (
	"fmt"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
)

var criteria = tables.Define("criteria", "a criterion of a checklist",
	tables.Text("section", "Section", "its key"),
	tables.Text("criterion", "Criterion", "its key"),
	tables.Text("title", "Title", "what it asks, in a few words").Yields(),
	tables.Text("kind", "Kind", "how it is answered"),
	tables.Number("weight", "Weight", "within its section, for the audience"),
	tables.Share("share", "Share", "of the overall score, for the audience").To(1).Yields(),
	tables.Text("unit", "Unit", "of its values"),
	tables.Text("better", "Better", "higher or lower, where values have a direction"),
	tables.Points("gate", "Gate", "the points that the audience requires; empty: none").Yields(),
	tables.Text("scope", "Scope", "whether it is answered for each rig or once").YieldsFirst(),
)

// Criteria is a table of the criteria of a checklist with an audience's weights.
func Criteria(list *checklist.Checklist, audience checklist.Audience) *tables.Table {
	t := criteria.Table()
	shares := checklist.Shares(list, audience)
	for i := range list.Sections {
		s := &list.Sections[i]
		for j := range s.Criteria {
			c := &s.Criteria[j]
			var share any
			if x, scored := shares[c.Key]; scored {
				share = x
			}
			gate := tables.As{}
			if needs, ok := audience.Gate(c); ok {
				gate = tables.As{Data: needs, Text: numerals.Score(&needs)}
			}
			weight := audience.CriterionWeight(c)
			t.Add(s.Key, c.Key, c.Title, string(c.Kind), weight, share, c.Unit, c.Better, gate, string(c.Scope))
		}
	}
	return t
}

var rigs = tables.Define("rigs", "a rig",
	tables.Text("key", "Key", ""),
	tables.Text("name", "Name", ""),
	tables.Text("class", "Class", "older, current, low-power or virtual"),
	tables.Truth("virtual", "", "not a physical machine"),
	tables.Text("cpu", "Processor", "").Yields(),
	tables.Integer("cores", "Cores", ""),
	tables.Integer("memoryMiB", "Memory MiB", "").In("MiB"),
	tables.Text("graphics", "Graphics", "").YieldsFirst(),
	tables.Text("storage", "Storage", "").YieldsFirst(),
	tables.List("equipment", "Equipment", "what is built in or plugged in").Yields(),
	tables.Number("weight", "Weight", "in the average over rigs"),
	tables.Text("replaces", "Replaces", "key of the rig that this machine was before it changed").YieldsFirst(),
	tables.Truth("retired", "Retired", "no longer used for measurements").Yields(),
)

// Rigs is a table of the rigs.
func Rigs(all []catalogue.Rig) *tables.Table {
	t := rigs.Table()
	for i := range all {
		r := &all[i]
		weight := tables.As{Data: 1, Text: "1"}
		if r.Weight != nil {
			weight = tables.As{Data: *r.Weight, Text: fmt.Sprint(*r.Weight)}
		}
		retired := tables.As{Data: r.Retired}
		if r.Retired {
			retired.Text = "retired"
		}
		t.Add(
			r.Key,
			r.Name,
			r.Class,
			r.Virtual,
			r.CPU,
			some(r.Cores),
			some(int(r.MemoryMiB)),
			r.Graphics,
			r.Storage,
			r.Equipment,
			weight,
			r.Replaces,
			retired,
		)
	}
	return t
}

// some returns nil if the number is 0.
func some(n int) any {
	if n == 0 {
		return nil
	}
	return n
}
