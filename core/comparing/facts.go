package comparing

import (
	"slices"
	"time"

	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// FactRow is one fact of several editions, with their differences.
type FactRow struct {
	Criterion string     `json:"criterion"`
	Cells     []FactCell `json:"cells"`   // in the order of the given editions
	Differs   bool       `json:"differs"` // not all editions that have it agree
	Versions  bool       `json:"versions"`
}

// FactCell is the fact of one edition, and how it compares with the baseline, the first edition.
type FactCell struct {
	Edition  string        `json:"edition"`
	Value    *reading.Fact `json:"value"`              // nil: not recorded
	OnlyHere []string      `json:"onlyHere,omitempty"` // of a list: entries that the baseline lacks
	Lacks    []string      `json:"lacks,omitempty"`    // of a list: entries that only the baseline has
	Order    string        `json:"order,omitempty"`    // of a version: newer, older
	Behind   *Behind       `json:"behind,omitempty"`   // of a version, if its component has a list of versions
}

// Component is the list of versions of a component, as a lead maintains it. The component is named after the fact
// that holds its version.
type Component struct {
	Fact     string    `json:"fact"`
	Versions []Version `json:"versions"` // oldest first
}

// Version is one version of a component and its release date, YYYY-MM-DD.
type Version struct {
	Version string `json:"version"`
	Date    string `json:"date"`
}

// Behind is how far a version was behind the newest known on a day.
type Behind struct {
	Newest   string `json:"newest"`
	Versions int    `json:"versions"` // how many versions are newer
	Days     int    `json:"days"`     // time since the first newer one was released
}

// FactsOf returns the facts of editions side by side; the first edition is the baseline. Editions that are not in the
// table are left out.
func FactsOf(t *scoring.Table, editions []string, components []Component) []FactRow {
	out := []FactRow{}
	for i, c := range t.Criteria {
		if c.Scored() {
			continue
		}
		row := FactRow{Criterion: c.Key, Cells: []FactCell{}}
		known := slices.IndexFunc(components, func(x Component) bool { return x.Fact == c.Key })
		for _, edition := range editions {
			e := t.Row(edition)
			if e < 0 {
				continue
			}
			row.Cells = append(row.Cells, FactCell{Edition: edition, Value: t.Cell(e, i).NewestFact()})
		}
		if !slices.ContainsFunc(row.Cells, func(c FactCell) bool { return c.Value != nil }) {
			continue
		}
		row.Versions = versions(row.Cells, known >= 0)
		row.pickOut()
		for n := range row.Cells {
			x := &row.Cells[n]
			if at, ok := measuredAt(t, x.Edition, i); ok && known >= 0 && x.Value != nil {
				x.Behind = components[known].Behind(x.Value.String(), at)
			}
		}
		out = append(out, row)
	}
	return out
}

// versions reports whether cells hold versions of a component: all look like versions, and not all are numbers, which
// can count anything, unless component says that the fact is one. A version such as 6.7 can have been recorded as a
// number.
func versions(cells []FactCell, component bool) bool {
	text := false
	for _, x := range cells {
		switch {
		case x.Value == nil:
		case x.Value.Sort == reading.FactList || !LooksLikeVersion(x.Value.String()):
			return false
		case x.Value.Sort == reading.FactText:
			text = true
		}
	}
	return text || component
}

// measuredAt returns when the newest fact of a cell was recorded.
func measuredAt(t *scoring.Table, edition string, criterion int) (at time.Time, ok bool) {
	e := t.Row(edition)
	for _, rig := range t.Cell(e, criterion).Rigs {
		for _, x := range rig.Used() {
			if !ok || x.At.After(at) {
				at, ok = x.At, true
			}
		}
	}
	return at, ok
}

// pickOut sets how each cell differs from the first.
func (r *FactRow) pickOut() {
	first := r.Cells[0].Value
	for n := range r.Cells {
		x := &r.Cells[n]
		if x.Value == nil || first == nil {
			continue
		}
		switch {
		case x.Value.Sort == reading.FactList && first.Sort == reading.FactList:
			x.OnlyHere, x.Lacks = reading.Missing(first.List, x.Value.List), reading.Missing(x.Value.List, first.List)
			r.Differs = r.Differs || len(x.OnlyHere)+len(x.Lacks) > 0
		case x.Value.String() != first.String():
			r.Differs = true
			if order := CompareVersions(x.Value.String(), first.String()); r.Versions && order > 0 {
				x.Order = "newer"
			} else if r.Versions && order < 0 {
				x.Order = "older"
			}
		}
	}
	if first == nil {
		known := slices.DeleteFunc(slices.Clone(r.Cells), func(c FactCell) bool { return c.Value == nil })
		r.Differs = slices.ContainsFunc(
			known, func(c FactCell) bool { return c.Value.String() != known[0].Value.String() },
		)
	}
}

// Behind returns how far a version was behind the newest known on a day; nil if no version was known by then.
func (c *Component) Behind(version string, at time.Time) *Behind {
	day := at.UTC().Format(time.DateOnly)
	var b *Behind
	var first string
	for _, v := range c.Versions {
		if v.Date > day {
			continue
		}
		if b == nil {
			b = &Behind{Newest: v.Version}
		}
		if CompareVersions(v.Version, b.Newest) > 0 {
			b.Newest = v.Version
		}
		if CompareVersions(v.Version, version) > 0 {
			b.Versions++
			if first == "" || v.Date < first {
				first = v.Date
			}
		}
	}
	if b != nil && b.Versions > 0 {
		since, err := time.Parse(time.DateOnly, first)
		today, _ := time.Parse(time.DateOnly, day) // checked by the format above
		if err == nil {
			b.Days = int(today.Sub(since).Hours() / 24)
		}
	}
	return b
}
