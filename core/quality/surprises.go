package quality

import (
	"cmp"
	"context"
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

// place is where values of one measure are comparable.
type place struct {
	rig     string
	context checklist.Context
	values  []float64 // by number of the edition; NaN: none
}

// surpriser looks for surprises, one measure after the other.
type surpriser struct {
	*look
	numbers map[string]int // of editions, those of the table first
	places  []place        // of the measure in hand
	found   []surprising
}

// surprising is a surprise and where in the table it stands.
type surprising struct {
	Surprise
	edition, criterion int
}

func (l *look) surprises(ctx context.Context) ([]Surprise, error) {
	s := surpriser{look: l, numbers: map[string]int{}}
	for _, t := range append([]*scoring.Table{l.Table}, l.Others...) {
		for _, edition := range t.Editions {
			if _, there := s.numbers[edition]; !there {
				s.numbers[edition] = len(s.numbers)
			}
		}
	}
	for i, c := range l.Table.Criteria {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if c.Measured() {
			s.measure(i)
		}
	}
	slices.SortStableFunc(s.found, func(a, b surprising) int {
		return cmp.Or(cmp.Compare(a.edition, b.edition), cmp.Compare(a.criterion, b.criterion))
	})
	all := make([]Surprise, len(s.found))
	for n := range s.found {
		all[n] = s.found[n].Surprise
	}
	return all, nil
}

// measure looks for surprises in criterion i.
func (s *surpriser) measure(i int) {
	s.places = s.places[:0]
	if s.one() {
		s.Table.ValuesOf(s.row, i, func(rig string, context checklist.Context, _ float64) { s.place(rig, context, true) })
	}
	for _, other := range s.Others {
		if at, asked := other.Index(s.Table.Criteria[i].Key); asked && other.Criteria[at].Measured() {
			s.note(other, at)
		}
	}
	s.note(s.Table, i)
	fields := make([]field, len(s.places))
	for n := range s.places {
		fields[n] = fieldOf(s.places[n].values)
	}
	for e := range s.editions() {
		s.Table.ValuesOf(e, i, func(rig string, context checklist.Context, value float64) {
			n := s.place(rig, context, false)
			s.hold(e, i, rig, value, &s.places[n], fields[n])
		})
	}
}

// place finds a place; -1 where it is not there and is not to be added.
func (s *surpriser) place(rig string, context checklist.Context, add bool) int {
	for n := range s.places {
		if p := &s.places[n]; p.rig == rig && p.context == context {
			return n
		}
	}
	if !add {
		return -1
	}
	values := make([]float64, len(s.numbers))
	for n := range values {
		values[n] = math.NaN()
	}
	s.places = append(s.places, place{rig, context, values})
	return len(s.places) - 1
}

// note takes the values of a table in; those of places that are not looked at stay out.
func (s *surpriser) note(t *scoring.Table, i int) {
	t.Values(i, func(e int, rig string, context checklist.Context, value float64) {
		if n := s.place(rig, context, !s.one()); n >= 0 {
			number := e
			if t != s.Table {
				number = s.numbers[t.Editions[e]]
			}
			s.places[n].values[number] = value
		}
	})
}

// hold holds a value against what is known of its place.
func (s *surpriser) hold(e, i int, rig string, value float64, known *place, all field) {
	t, c := s.Table, s.Table.Criteria[i]
	x := Surprise{Edition: t.Editions[e], Criterion: c.Key, Rig: rig, Value: value}
	for _, edition := range slices.Backward(s.Lines[x.Edition]) {
		number, there := s.numbers[edition]
		if there && !math.IsNaN(known.values[number]) {
			x.fromEarlier(edition, known.values[number], c.Tolerance())
			break
		}
	}
	x.fromOthers(all, known.values[e], c.Tolerance())
	if x.Earlier == nil && x.Median == nil {
		return
	}
	cell := t.Cell(e, i)
	used := cell.Rigs[slices.IndexFunc(cell.Rigs, func(r scoring.OnRig) bool { return r.Rig == rig })].Used()
	for _, u := range used {
		x.Reviewers, x.Readings = append(x.Reviewers, u.Reviewer), append(x.Readings, u.ID)
	}
	x.Confirmed = confirmed(t.Own(e).Of(i), used, value, c)
	s.found = append(s.found, surprising{x, e, i})
}

// fromEarlier holds the value against that of an earlier edition.
func (s *Surprise) fromEarlier(edition string, value, tolerance float64) {
	apart := math.Abs(s.Value - value)
	if apart > max(tolerance, farFromEarlier)*math.Abs(value)+reading.Slack {
		s.Earlier, s.Previous = &value, edition
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
