package quality

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// Surprise is a measure on one rig that stands far from what is known.
type Surprise struct {
	Edition   string   `json:"edition"`
	Criterion string   `json:"criterion"`
	Rig       string   `json:"rig"`
	Value     float64  `json:"value"`
	Earlier   *float64 `json:"earlier"`   // of the previous release, where that is what surprises
	Previous  string   `json:"previous"`  // the edition that Earlier is of
	Median    *float64 `json:"median"`    // of the other editions, where that is what surprises
	Others    int      `json:"others"`    // how many other editions
	Confirmed string   `json:"confirmed"` // by another reviewer, another method, a restart; empty: not yet
	Reviewers []string `json:"reviewers"` // who measured it
	Readings  []string `json:"readings"`  // that the value is of
}

// Lines holds, for every edition, the earlier editions of its line, oldest first.
type Lines map[string][]string

// LinesOf finds the lines of a catalogue. An edition that names no line is on the
// line of its own key.
func LinesOf(distributions []catalogue.Distribution) Lines {
	lines := Lines{}
	for _, d := range distributions {
		releases := slices.Clone(d.Releases)
		slices.SortStableFunc(releases, func(a, b catalogue.Release) int { return strings.Compare(a.Date, b.Date) })
		line := map[string][]string{}
		for _, r := range releases {
			for _, e := range r.Editions {
				key := catalogue.EditionKey(d.Key, r.Version, e.Key)
				name := cmp.Or(e.Line, e.Key)
				lines[key] = slices.Clone(line[name])
				line[name] = append(line[name], key)
			}
		}
	}
	return lines
}

// What stands far from what is known: by more than a quarter of the earlier
// value, or far out among at least five others.
const (
	farFromEarlier = 0.25
	enoughOthers   = 5
)

// place is where a value was measured, which is what makes values comparable.
type place struct {
	criterion, rig string
	context        checklist.Context
}

type measured struct {
	edition        string
	row, criterion int // in the table
	value          float64
	rig            *scoring.OnRig
}

func surprises(t *scoring.Table, lines Lines, others []*scoring.Table) []Surprise {
	known := map[place]map[string]float64{} // by edition
	for _, other := range others {
		each(other, func(p place, m measured) { note(known, p, m) })
	}
	each(t, func(p place, m measured) { note(known, p, m) })
	fields := make(map[place]field, len(known))
	for p, values := range known {
		fields[p] = fieldOf(values)
	}
	found := []Surprise{}
	each(t, func(p place, m measured) {
		i, e := m.criterion, m.row
		s := Surprise{Edition: m.edition, Criterion: p.criterion, Rig: p.rig, Value: m.value}
		tolerance := t.Criteria[i].Tolerance()
		s.fromEarlier(known[p], lines[m.edition], tolerance)
		s.fromOthers(fields[p], known[p][m.edition], tolerance)
		if s.Earlier == nil && s.Median == nil {
			return
		}
		for _, x := range m.rig.Used() {
			s.Reviewers, s.Readings = append(s.Reviewers, x.Reviewer), append(s.Readings, x.ID)
		}
		s.Confirmed = confirmed(t.Owns[e].Of(i), m.rig.Used(), m.value, t.Criteria[i])
		found = append(found, s)
	})
	return found
}

// each visits the values of measures by edition, then checklist, then rig; values
// of several contexts, and inherited ones, compare with nothing.
func each(t *scoring.Table, visit func(place, measured)) {
	for e, edition := range t.Editions {
		for i, c := range t.Criteria {
			cell := &t.Cells[e][i]
			if !c.Measured() || cell.Lender() != "" {
				continue
			}
			for r := range cell.Rigs {
				rig := &cell.Rigs[r]
				if context, same := rig.Context(); same {
					visit(place{c.Key, rig.Rig, context}, measured{edition, e, i, rig.Mean(), rig})
				}
			}
		}
	}
}

func note(known map[place]map[string]float64, p place, m measured) {
	if known[p] == nil {
		known[p] = map[string]float64{}
	}
	known[p][m.edition] = m.value
}

// fromEarlier looks at the last earlier edition of the line that has a value.
func (s *Surprise) fromEarlier(known map[string]float64, earlier []string, tolerance float64) {
	for _, edition := range slices.Backward(earlier) {
		value, ok := known[edition]
		if !ok {
			continue
		}
		apart := math.Abs(s.Value - value)
		if apart > max(tolerance, farFromEarlier)*math.Abs(value)+reading.Slack {
			s.Earlier, s.Previous = &value, edition
		}
		return
	}
}

// fromOthers looks at the logarithms of the other editions' values; known is the edition's own one in the field.
func (s *Surprise) fromOthers(all field, known, tolerance float64) {
	others := all.without(known)
	s.Others = others.len()
	if s.Others < enoughOthers || s.Value <= 0 {
		return
	}
	own, m := math.Log(s.Value), others.median()
	if math.Abs(own-m) > math.Log1p(tolerance)+reading.Slack && reading.FarOut(own, m, others.mad(m), false) {
		median := math.Exp(m)
		s.Median = &median
	}
}

// confirmed tells what bears a value out: another reading on the same rig, within
// the tolerance, by another reviewer, by another method, or of which one was
// repeated after a restart.
func confirmed(usable, used []*reading.Reading, value float64, c *checklist.Criterion) string {
	by := ""
	for _, x := range usable {
		if x.Rig != used[0].Rig || x.Disturbance != "" || len(x.Answer.Runs) == 0 {
			continue
		}
		if v := reading.Value(x, c); math.Abs(v-value) > c.Tolerance()*max(math.Abs(v), math.Abs(value))+reading.Slack {
			continue
		}
		for _, u := range used {
			switch {
			case u.ID == x.ID:
			case x.Reviewer != u.Reviewer:
				return "another reviewer"
			case x.Context.Method != u.Context.Method:
				by = "another method"
			case (x.Repeat || u.Repeat) && by == "":
				by = "a restart"
			}
		}
	}
	return by
}
