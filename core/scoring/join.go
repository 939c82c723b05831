package scoring

import (
	"slices"
)

// Join combines the editions of several tables, each from the first table that has it, so that versions of a
// checklist can be ranked together on their common ground. The tables must ask the same criteria in the same order,
// and must not be reduced to common rigs, which each table knows only for itself.
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

// origin is the table in which an edition's cells were computed, and its index there.
type origin struct {
	table *Table
	at    int
}

// takeRigs counts the rigs of a measure in the table of its cells.
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

// ListOf returns the checklist version of an edition of the table.
func (t *Table) ListOf(e int) string {
	if t.origins != nil {
		return t.origins[e].table.name
	}
	return t.name
}

// bestOf returns the best of the field by rig by which criterion i of edition e was scored.
func (t *Table) bestOf(e, i int) map[string]float64 {
	if t.origins != nil {
		return t.origins[e].table.best[i]
	}
	return t.best[i]
}
