package scoring

import (
	"slices"
)

// Join is the editions of several tables in one: each as the first table has it that
// has it at all, so that versions of a checklist can be ranked together on what they
// ask alike. The tables must ask the same criteria in the same order, and must not be
// narrowed to common rigs, which none of them can know of the others.
func Join(tables ...*Table) *Table {
	first := tables[0]
	t := &Table{
		Checklist: first.Checklist, Criteria: first.Criteria, Sections: first.Sections, weight: first.weight, index: first.index, on: first.on,
		rigs: make([][]string, len(first.Criteria)),
	}
	type row struct {
		table *Table
		at    int
	}
	rows := map[string]row{}
	for _, one := range tables {
		for e, edition := range one.Editions {
			if _, there := rows[edition]; !there {
				rows[edition] = row{one, e}
				t.Editions = append(t.Editions, edition)
			}
		}
	}
	slices.Sort(t.Editions)
	t.rigCount = make([]int32, len(t.Editions)*len(t.Criteria))
	for e, edition := range t.Editions {
		r := rows[edition]
		t.Reviews = append(t.Reviews, r.table.Reviews[r.at])
		t.Cells = append(t.Cells, r.table.Cells[r.at])
		t.Owns = append(t.Owns, r.table.Owns[r.at])
		t.origins = append(t.origins, r.table)
		for i, c := range t.Criteria {
			if c.Measured() {
				t.countRigs(e, i)
			}
		}
	}
	return t
}

// origin is the table that an edition's cells were computed in.
func (t *Table) origin(e int) *Table {
	if t.origins == nil {
		return t
	}
	return t.origins[e]
}

// ListOf names the checklist version that an edition of the table stands on.
func (t *Table) ListOf(e int) string { return t.origin(e).name }
