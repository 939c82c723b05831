package quality

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/parallel"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// Surprise is a measure on one rig that is far from the known values.
type Surprise struct {
	Edition   string   `json:"edition"`
	Criterion string   `json:"criterion"`
	Rig       string   `json:"rig"`
	Value     float64  `json:"value"`
	Earlier   *float64 `json:"earlier"`   // value of the previous release, if the surprise is the difference from it
	Previous  string   `json:"previous"`  // the edition with that value
	Median    *float64 `json:"median"`    // median of the other editions, if the surprise is the difference from it
	Others    int      `json:"others"`    // number of other editions
	Confirmed string   `json:"confirmed"` // by another reviewer, another method, a restart; empty: not confirmed
	Reviewers []string `json:"reviewers"` // who measured it
	Readings  []string `json:"readings"`  // the review that the value is from
}

// Lines holds, for every edition, the earlier editions of its line, oldest first.
type Lines map[string][]string

// LinesOf returns the lines of a catalogue. An edition that names no line is on the line of its own key.
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

// Limits of a surprise: more than a quarter away from the earlier value, or an outlier among at least five others.
const (
	farFromEarlier = 0.25
	enoughOthers   = 5
)

// Fields are the known values of each measure, by what makes them comparable.
type Fields struct {
	table  *scoring.Table
	others []*scoring.Table
	places map[string][]place // by criterion
}

// place is where the values of one measure are comparable.
type place struct {
	rig     string
	context checklist.Context
	field   field
}

func placeOf(places []place, rig string, context checklist.Context) int {
	return slices.IndexFunc(places, func(p place) bool { return p.rig == rig && p.context == context })
}

// FieldsOf collects the values of a table's measures. Values in others, the tables of other checklist versions, count
// for editions that have none in the table.
func FieldsOf(t *scoring.Table, others ...*scoring.Table) *Fields {
	f := &Fields{t, others, map[string][]place{}}
	at := make([][]place, len(t.Criteria))
	parallel.Each((len(at)+together-1)/together, func(part int) {
		low := part * together
		some := at[low:min(low+together, len(at))]
		f.each(low, low+len(some), func(i int, rig string, context checklist.Context, value float64) {
			n := placeOf(at[i], rig, context)
			if n < 0 {
				n = len(at[i])
				at[i] = append(at[i], place{rig: rig, context: context})
			}
			at[i][n].field.add(value)
		})
		for _, places := range some {
			for n := range places {
				places[n].field.sort()
			}
		}
	})
	for i, c := range t.Criteria {
		f.places[c.Key] = at[i]
	}
	return f
}

// together is how many criteria one processor reads in a pass over the editions: their values lie beside each other.
const together = 8

// each calls visit for every known value of the criteria from low up to high, once per edition and place.
func (f *Fields) each(low, high int, visit func(i int, rig string, context checklist.Context, value float64)) {
	for n, t := range append([]*scoring.Table{f.table}, f.others...) {
		at := make([]int, high-low) // of each measure in t
		for i, c := range f.table.Criteria[low:high] {
			there, asked := t.Index(c.Key)
			if at[i] = there; !c.Measured() || !asked || !t.Criteria[there].Measured() {
				at[i] = -1
			}
		}
		for e, edition := range t.Editions {
			for i := range at {
				if at[i] < 0 {
					continue
				}
				t.Values(e, at[i], func(rig string, context checklist.Context, value float64) {
					if n > 0 && f.nearer(n, edition, f.table.Criteria[low+i].Key, rig, context) {
						return
					}
					visit(low+i, rig, context, value)
				})
			}
		}
	}
}

// nearer reports whether an edition's value in a place is known from a table with precedence over others[n-1]: the
// table itself, or a later one of the others.
func (f *Fields) nearer(n int, edition, criterion, rig string, context checklist.Context) bool {
	if _, known := valueIn(f.table, edition, criterion, rig, context); known {
		return true
	}
	for _, t := range f.others[n:] {
		if _, known := valueIn(t, edition, criterion, rig, context); known {
			return true
		}
	}
	return false
}

// value returns the known value of an edition in a place; NaN if there is none.
func (f *Fields) value(edition, criterion, rig string, context checklist.Context) float64 {
	if value, known := valueIn(f.table, edition, criterion, rig, context); known {
		return value
	}
	for _, t := range slices.Backward(f.others) {
		if value, known := valueIn(t, edition, criterion, rig, context); known {
			return value
		}
	}
	return math.NaN()
}

func valueIn(
	t *scoring.Table, edition, criterion, rig string, context checklist.Context,
) (value float64, known bool) {
	e := t.Row(edition)
	i, asked := t.Index(criterion)
	if e < 0 || !asked || !t.Criteria[i].Measured() {
		return 0, false
	}
	t.Values(e, i, func(on string, in checklist.Context, x float64) {
		if on == rig && in == context {
			value, known = x, true
		}
	})
	return value, known
}

// surprises examines the measures of edition e, in the checklist's order, then by rig.
func (l *look) surprises(e int) []Surprise {
	var found []Surprise
	t := l.Table
	for i, c := range t.Criteria {
		if !c.Measured() {
			continue
		}
		t.Values(e, i, func(rig string, context checklist.Context, value float64) {
			s := Surprise{Edition: t.Editions[e], Criterion: c.Key, Rig: rig, Value: value}
			l.hold(&s, context, c.Tolerance())
			if s.Earlier != nil || s.Median != nil {
				s.tell(t, e, i)
				found = append(found, s)
			}
		})
	}
	return found
}

// hold compares a value with the earlier release and with all others.
func (l *look) hold(s *Surprise, context checklist.Context, tolerance float64) {
	for _, edition := range slices.Backward(l.Lines[s.Edition]) {
		if value := l.valueOf(edition, s, context); !math.IsNaN(value) {
			s.fromEarlier(edition, value, tolerance)
			break
		}
	}
	places := l.Known.places[s.Criterion]
	n := placeOf(places, s.Rig, context)
	if n < 0 {
		return
	}
	s.fromOthers(places[n].field, l.valueOf(s.Edition, s, context), tolerance)
}

func (l *look) valueOf(edition string, s *Surprise, context checklist.Context) float64 {
	return l.Known.value(edition, s.Criterion, s.Rig, context)
}

// tell fills in who measured it, and what confirms it.
func (s *Surprise) tell(t *scoring.Table, e, i int) {
	cell := t.Cell(e, i)
	used := cell.Rigs[slices.IndexFunc(cell.Rigs, func(r scoring.OnRig) bool { return r.Rig == s.Rig })].Used()
	for _, u := range used {
		s.Reviewers, s.Readings = append(s.Reviewers, u.Reviewer), append(s.Readings, u.ID)
	}
	s.Confirmed = confirmed(t.Own(e).Of(i), used, s.Value, t.Criteria[i])
}

// fromEarlier compares the value with that of an earlier edition.
func (s *Surprise) fromEarlier(edition string, value, tolerance float64) {
	apart := math.Abs(s.Value - value)
	if apart > max(tolerance, farFromEarlier)*math.Abs(value)+reading.Slack {
		s.Earlier, s.Previous = &value, edition
	}
}

// fromOthers compares with the logarithms of the other editions' values; known is the edition's own value in the
// field.
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

// confirmed names what confirms a value: another reading on the same rig, within the tolerance, by another reviewer
// or another method, or a repetition after a restart.
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
