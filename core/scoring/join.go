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
	n := len(first.Criteria)
	t := &Table{
		Checklist: first.Checklist, Criteria: first.Criteria, Sections: first.Sections, weight: first.weight, index: first.index, on: first.on,
		rigs: make([][]string, n),
	}
	rows := map[string]origin{}
	for _, one := range tables {
		for e, edition := range one.Editions {
			if _, there := rows[edition]; !there {
				rows[edition] = origin{one, e}
				t.Editions = append(t.Editions, edition)
			}
		}
	}
	slices.Sort(t.Editions)
	t.rigCount = make([]uint16, len(t.Editions)*n)
	t.columns = NewColumns(t.Checklist, t.Editions)
	t.columns.estimated = make([][]bool, n)
	for i := range first.Columns().onRigs {
		t.columns.keepRigs(i)
	}
	for e, edition := range t.Editions {
		from := rows[edition]
		t.Reviews = append(t.Reviews, from.table.Reviews[from.at])
		t.origins = append(t.origins, from)
		for i, c := range t.Criteria {
			if c.Scored() {
				t.columns.copyFrom(e, i, from.table.Columns(), from.at)
			}
			if c.Measured() {
				t.takeRigs(e, i)
			}
		}
	}
	return t
}

// origin is the table that an edition's cells were computed in, and its place there.
type origin struct {
	table *Table
	at    int
}

// takeRigs counts the rigs of a measure in the table that its cells are from.
func (t *Table) takeRigs(e, i int) {
	from := t.origins[e]
	if _, answered := from.table.Columns().Points(i, from.at); !answered {
		return
	}
	row, _, rigs := t.brief(e, i)
	for _, r := range rigs {
		if rig := row.rigs[r.rig]; t.weight(rig) != 0 {
			t.countRig(e, i, rig)
		}
	}
	for _, x := range t.estimates(e, i) {
		if x.Weight != 0 {
			t.countRig(e, i, x.Rig)
		}
	}
}

// ListOf names the checklist version that an edition of the table stands on.
func (t *Table) ListOf(e int) string {
	if t.origins != nil {
		return t.origins[e].table.name
	}
	return t.name
}

// bestOf is the best of the field by rig that criterion i of edition e was scored by.
func (t *Table) bestOf(e, i int) map[string]float64 {
	if t.origins != nil {
		return t.origins[e].table.best[i]
	}
	return t.best[i]
}
